/** What differs between two topologies as graphs: what came, what went, and what goes another way. */
import { counted } from '../../base/phrase.ts';
import { show } from '../../conditions/explain.ts';
import { sameItems } from '../../incremental/memory.ts';
import type { StatementDecl } from '../../language/statement.ts';
import { type RoutingGraph, surroundingsOf } from '../../routing/graph.ts';
import { asksOf } from '../../routing/onward.ts';
import { decideFor } from '../../routing/walk.ts';
import type { Edge, GraphNode } from '../../brokers/terms.ts';

export type ChangeKind = 'added' | 'removed' | 're-routed' | 'changed';

/** One difference of a node or a way. */
export interface GraphChange {
  readonly kind: ChangeKind;
  readonly of: 'node' | 'edge' | 'access';
  /** The id in the graph after, or for what was removed in the one before; of access none. */
  readonly id: string;
  /** One sentence. */
  readonly text: string;
}

/**
 * @returns the differences, nodes before ways, in order of declaration. A way that only changed its
 *   condition, key or target is one re-routed way, not one removed and one added.
 */
export function compareGraphs(before: RoutingGraph, after: RoutingGraph): GraphChange[] {
  const changes: GraphChange[] = [];
  const node = (kind: ChangeKind, id: string, text: string) => changes.push({ kind, of: 'node', id, text });
  for (const [id, each] of after.nodes) {
    const old = before.nodes.get(id);
    if (!old) node('added', id, `${nameOf(each)} is new.`);
    else {
      const settings = settingsChanged(old, each);
      if (settings.length) node('changed', id, `${nameOf(each)}: ${settings.join(', ')}.`);
    }
  }
  for (const [id, each] of before.nodes)
    if (!after.nodes.has(id)) node('removed', id, `${nameOf(each)} is gone.`);

  const oldIds = new Set(before.edges.map(({ id }) => id));
  const newIds = new Set(after.edges.map(({ id }) => id));
  const added = after.edges.filter(({ id }) => !oldIds.has(id));
  const removed = before.edges.filter(({ id }) => !newIds.has(id));
  const partners = pair(removed, added);
  for (const edge of added) {
    const old = partners.get(edge);
    if (old) {
      const text = `${wayOf(after, edge)} was ${wayOf(before, old)}.`;
      changes.push({ kind: 're-routed', of: 'edge', id: edge.id, text });
    } else {
      changes.push({ kind: 'added', of: 'edge', id: edge.id, text: `${wayOf(after, edge)} is new.` });
    }
  }
  const replaced = new Set(partners.values());
  for (const edge of removed) {
    if (!replaced.has(edge))
      changes.push({ kind: 'removed', of: 'edge', id: edge.id, text: `${wayOf(before, edge)} is gone.` });
  }
  const known = new Map(before.edges.map((edge) => [edge.id, edge]));
  for (const edge of after.edges) {
    const old = known.get(edge.id);
    if (!old) continue;
    if (conditionOf(old) !== conditionOf(edge)) {
      const text = `${wayOf(after, edge)} let through ${conditionOf(old)}, now ${conditionOf(edge)}.`;
      changes.push({ kind: 're-routed', of: 'edge', id: edge.id, text });
    }
    const settings = changedBetween(detailsOf(old), detailsOf(edge));
    if (settings.length)
      changes.push({
        kind: 'changed',
        of: 'edge',
        id: edge.id,
        text: `${wayOf(after, edge)}: ${settings.join(', ')}.`,
      });
  }
  return [...changes, ...accessChanges(before, after, known)];
}

/** What a way is declared with beyond where it leads and what it lets through. */
const detailsOf = ({ link, publish, consume, deadLetter }: Edge): object =>
  link?.decl ?? publish ?? consume ?? deadLetter ?? {};

/** The ways whose permissions are decided otherwise; where none is, that the statements differ. */
function accessChanges(
  before: RoutingGraph,
  after: RoutingGraph,
  known: ReadonlyMap<string, Edge>,
): GraphChange[] {
  const written = ({ topology: { declared } }: RoutingGraph) => [
    ...(declared.access?.items ?? []).map(statementText),
    ...[...(declared.brokers ?? [])].map(
      ([id, { value }]) => `${id} is ${value.access?.value ?? 'controlled'}`,
    ),
  ];
  const [old, now] = [written(before), written(after)];
  if (sameItems(old, now)) return [];
  const changes = after.edges.flatMap((edge): GraphChange[] => {
    const was = known.get(edge.id);
    if (!was) return [];
    const [then, since] = [decisionsOn(before, was), decisionsOn(after, edge)];
    if (then.text === since.text) return [];
    const text =
      then.allowed === since.allowed
        ? `${wayOf(after, edge)}: ${since.text}; before, ${then.text}.`
        : `${wayOf(after, edge)} ${since.allowed ? 'is now permitted' : 'is now refused'}: ${since.text}.`;
    return [
      { kind: then.allowed === since.allowed ? 'changed' : 're-routed', of: 'edge', id: edge.id, text },
    ];
  });
  if (changes.length) return changes;
  const [gone, come] = [old.filter((each) => !now.includes(each)), now.filter((each) => !old.includes(each))];
  const text = `Access is stated otherwise (${counted(come.length, 'statement')} came, ${gone.length} went), which changes no way that is declared.`;
  return [{ kind: 'changed', of: 'access', id: '', text }];
}

/** What the permissions that a way needs come to, whatever the message. */
function decisionsOn(graph: RoutingGraph, edge: Edge): { readonly allowed: boolean; readonly text: string } {
  const decisions = asksOf(surroundingsOf(graph), edge).map((ask) => decideFor(graph, ask));
  return {
    allowed: decisions.every(({ allowed }) => allowed),
    text: decisions.map(({ why }) => why).join('; '),
  };
}

/** A statement by what it says, wherever it stands. */
function statementText({ allow, deny, who, on, when }: StatementDecl): string {
  const list = (all: typeof who) => all?.items.map(({ value }) => value) ?? [];
  const narrowed = Object.entries(when ?? {}).flatMap(([name, value]) =>
    typeof value === 'object' && value && 'value' in value ? [[name, value.value]] : [],
  );
  return JSON.stringify([list(allow), list(deny), list(who), list(on), narrowed]);
}

/** Finds for new ways the old one each stands in for: of the same kind between the same ends, else from the same end. */
function pair(removed: readonly Edge[], added: readonly Edge[]): Map<Edge, Edge> {
  const partners = new Map<Edge, Edge>();
  const free = new Set(removed);
  const keys = [
    ({ kind, from, to }: Edge) => `${kind} ${from} ${to}`,
    ({ kind, from, label }: Edge) => (label ? `${kind} ${from} ${label}` : ''),
  ];
  for (const key of keys) {
    const waiting = new Map<string, Edge[]>();
    for (const edge of free) waiting.set(key(edge), [...(waiting.get(key(edge)) ?? []), edge]);
    for (const edge of added) {
      const old = partners.has(edge) || !key(edge) ? undefined : waiting.get(key(edge))?.shift();
      if (!old) continue;
      partners.set(edge, old);
      free.delete(old);
    }
  }
  return partners;
}

const nameOf = ({ role, thing }: GraphNode) =>
  role === 'publisher' || role === 'taker'
    ? `App ${thing.name} as ${role}`
    : `${role[0]!.toUpperCase()}${role.slice(1)} ${thing.broker ? `${thing.broker}/` : ''}${thing.name}`;

function wayOf(graph: RoutingGraph, edge: Edge): string {
  const name = (id: string) => {
    const { thing } = graph.nodes.get(id)!;
    return thing.broker ? `${thing.broker}/${thing.name}` : thing.name;
  };
  // some kinds say all there is to say
  const plain = edge.kind === 'deadLetter' || edge.kind === 'unrouted';
  const words = plain ? '' : edge.kind === 'subscription' ? conditionOf(edge) : edge.label;
  return `${edge.kind === 'deadLetter' ? 'dead letters' : edge.kind} ${name(edge.from)} → ${name(edge.to)}${words ? ` (${words})` : ''}`;
}

const conditionOf = ({ condition }: Edge) => (condition.op === 'always' ? 'everything' : show(condition));

/** The scalar settings that differ, as words. */
const settingsChanged = (before: GraphNode, after: GraphNode): string[] =>
  // a dead letter's key is told with its way
  changedBetween(before.decl, after.decl);

function changedBetween(before: object, after: object): string[] {
  const old = scalars(before);
  const now = scalars(after);
  return [...new Set([...old.keys(), ...now.keys()])].flatMap((name) => {
    const [a, b] = [old.get(name), now.get(name)];
    if (a === b || name === 'note') return [];
    if (a === undefined) return [`${name} is now ${b}`];
    return [b === undefined ? `${name} is no longer stated` : `${name} was ${a}, now ${b}`];
  });
}

function scalars(decl: object): Map<string, string> {
  const found = new Map<string, string>();
  for (const [name, value] of Object.entries(decl)) {
    const inner: unknown =
      typeof value === 'object' && value !== null && 'value' in value ? value.value : undefined;
    if (inner !== undefined && typeof inner !== 'object') found.set(name, String(inner));
  }
  return found;
}

/** What differs between two topologies as graphs: what came, what went, and what goes another way. */
import { show } from '../../conditions/explain.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Edge, GraphNode } from '../../brokers/terms.ts';

export type ChangeKind = 'added' | 'removed' | 're-routed' | 'changed';

/** One difference of a node or a way. */
export interface GraphChange {
  readonly kind: ChangeKind;
  readonly of: 'node' | 'edge';
  /** The id in the graph after, or for what was removed in the one before. */
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
    if (!old || conditionOf(old) === conditionOf(edge)) continue;
    const text = `${wayOf(after, edge)} let through ${conditionOf(old)}, now ${conditionOf(edge)}.`;
    changes.push({ kind: 're-routed', of: 'edge', id: edge.id, text });
  }
  return changes;
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
function settingsChanged(before: GraphNode, after: GraphNode): string[] {
  const old = scalars(before.decl);
  const now = scalars(after.decl);
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

/**
 * Why a message does not reach a store: the way that comes closest, what fails first on it, and the
 * smallest changes, of the message or of the topology, that would let it through. Every change told
 * has been tried out: the trace was made again with it and reaches the store.
 */
import type { Telling } from '../trace/narrate.ts';
import { type Edited, type TextEdit, applyEdits } from '../../base/edits.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { attributeName, explain, show } from '../../conditions/explain.ts';
import type { Message } from '../../conditions/message.ts';
import { type Solution, assign, solve } from '../../conditions/solve.ts';
import { ENTRIES, addressOf, thing } from '../../language/thing.ts';
import { mqttEntry } from '../../routing/nodes.ts';
import { type RoutingGraph, buildGraph, surroundingsOf } from '../../routing/graph.ts';
import { type Domain, NOBODY, type Onward, addressed, entered, onward } from '../../routing/onward.ts';
import type { Edge } from '../../brokers/terms.ts';
import type { Hop, Sending } from '../../routing/hop.ts';
import { hopsOf, trace } from '../../routing/trace.ts';
import { ONE_MESSAGE, decideFor } from '../../routing/walk.ts';
import { addItem, removeAt, writeScalar } from '../../syntax/edit/edit.ts';
import { sequence } from '../../syntax/edit/proved.ts';
import type { Placed } from '../../syntax/place.ts';
import type { Json } from '../../syntax/render.ts';
import { lookUp } from '../../topology/address.ts';
import { readTopology } from '../../topology/read.ts';

/** A way to let the message through. */
export type Change =
  | { readonly of: 'message'; readonly title: string; readonly message: Message }
  | { readonly of: 'topology'; readonly title: string; readonly edits: readonly TextEdit[] };

export interface WhyNot {
  /** The message reaches the store after all. */
  readonly reached: boolean;
  /** The ways of the closest branch, from the entry; empty where no way leads there at all. */
  readonly branch: readonly Edge[];
  /** The first thing that fails on it. */
  readonly failed?: Telling & { readonly edge?: Edge };
  /** Changes that were tried and work, smallest first. */
  readonly changes: readonly Change[];
}

/** So many ways to change a message are gone on with from condition to condition. */
const MOST_SOLUTIONS = 30;
/** And so many that work are told. */
const MOST_CHANGES = 3;
/** Longer conditions are not said in full. */
const LONGEST_SHOWN = 60;

/** Conditions in a row on one way that are changed together, at most. */
const MOST_CONDITIONS = 6;

/**
 * @param store the node id of a queue or subscription
 * @returns why a message sent so does not come to rest there, and what would change that
 */
export function whyNot(graph: RoutingGraph, message: Message, sending: Sending, store: string): WhyNot {
  const root = trace(graph, message, sending).trace.root;
  if (reaches(root, store)) return { reached: true, branch: [], changes: [] };
  const entry = entryOf(graph, sending);
  const target = graph.nodes.get(store);
  const name = target ? addressOf(target.thing) : store;
  if (!entry || !target) {
    const text = target ? (root.end?.why ?? 'it enters nowhere') : `there is no store ${name}`;
    return { reached: false, branch: [], failed: { text }, changes: [] };
  }
  const matched = matchedIn(root);
  const steps = closest(graph, entry, store, root.message, matched);
  if (!steps) {
    const text = `no way leads from ${nameOf(graph, entry)} to ${name}`;
    return {
      reached: false,
      branch: [],
      failed: { text },
      changes: bindingTo(graph, message, sending, store, entry),
    };
  }
  const branch = steps.map(({ way }) => way.edge);
  return {
    reached: false,
    branch,
    failed: firstFailure(graph, steps, root, matched),
    changes: [
      ...messageChanges(graph, message, sending, store, branch),
      ...topologyChanges(graph, message, sending, store, steps),
    ],
  };
}

function reaches(root: Hop, store: string): boolean {
  for (const { node, again, end } of hopsOf({ root }))
    if (node === store && !again && end?.outcome !== 'refused' && end?.outcome !== 'lost') return true;
  return false;
}

function entryOf(graph: RoutingGraph, sending: Sending): string | undefined {
  if (sending.via === 'mqtt') return mqttEntry(graph.topology, sending.to) || undefined;
  const found = lookUp(graph.topology.names, sending.to, ENTRIES);
  return found.ok ? found.thing.id : undefined;
}

/** A way, and the message as it comes to it. */
interface Step {
  readonly way: Onward<Message>;
  readonly message: Message;
}

/** One message that goes every way, whether or not conditions let it: what they lack is told of each way. */
const ANYWAY: Domain<Message> = {
  ...ONE_MESSAGE,
  through: (_, message) => message,
  past: (_, message) => message,
};

/** @returns what keeps a message from going on by a way, and at which text; undefined where nothing does */
function obstacle(
  graph: RoutingGraph,
  { way, message }: Step,
  matched: ReadonlySet<string>,
): Telling | undefined {
  const { edge, closed, ask, sender } = way;
  if (edge.kind === 'unrouted')
    return matched.has(edge.from)
      ? {
          text: `${nameOf(graph, edge.to)} gets only what no binding of ${nameOf(graph, edge.from)} matches`,
          place: edge.place,
        }
      : undefined;
  if (evaluate(edge.condition, message) !== true)
    return { text: explain(edge.condition, message).text, place: edge.condition.place ?? edge.place };
  if (closed) return { text: closed.why, place: closed.place ?? edge.place };
  const behind = graph.nodes.get(edge.to);
  const entry = behind && sender ? addressed(surroundingsOf(graph), behind, sender) : undefined;
  if (entry?.closed) return { text: entry.closed.why, place: entry.closed.place ?? edge.place };
  for (const each of [ask, entry?.ask]) {
    if (!each || edge.kind === 'alias' || edge.kind === 'member') continue;
    const decision = decideFor(graph, each, message.key);
    if (!decision.allowed) return { text: decision.why, place: decision.place ?? edge.place };
  }
  return undefined;
}

const FOLLOWED: ReadonlySet<Edge['kind']> = new Set([
  'binding',
  'unrouted',
  'subscription',
  'alias',
  'link',
  'member',
]);

/** The exchanges and topics that let a message on. */
function matchedIn(root: Hop): Set<string> {
  const matched = new Set<string>();
  for (const hop of hopsOf({ root })) if (!hop.unmatched) matched.add(hop.node);
  return matched;
}

/** The way from the entry to the store with the fewest obstacles, then the fewest steps. */
function closest(
  graph: RoutingGraph,
  entry: string,
  store: string,
  message: Message,
  matched: ReadonlySet<string>,
): Step[] | undefined {
  const around = surroundingsOf(graph);
  // costs are small whole numbers: one list of nodes for each, taken in order
  const best = new Map<string, { cost: number; message: Message; by?: Step }>([
    [entry, { cost: 0, message }],
  ]);
  const levels: string[][] = [[entry]];
  for (let cost = 0; cost < levels.length; cost++) {
    for (const id of levels[cost] ?? []) {
      const at = best.get(id)!;
      const node = around.node(id);
      if (at.cost < cost || !node) continue;
      for (const way of onward(around, node, at.message, ANYWAY)) {
        if (!FOLLOWED.has(way.edge.kind)) continue;
        const by = { way, message: at.message };
        // an obstacle weighs more than any number of steps
        const next = cost + 1 + (obstacle(graph, by, matched) ? 1000 : 0);
        const { to } = way.edge;
        const known = best.get(to);
        if (known && known.cost <= next) continue;
        const behind = around.node(to);
        const here = way.messages ?? at.message;
        best.set(to, {
          cost: next,
          by,
          message: behind && way.sender ? entered(behind, here, ANYWAY) : here,
        });
        (levels[next] ??= []).push(to);
      }
    }
  }
  if (!best.has(store)) return undefined;
  const branch: Step[] = [];
  for (let by = best.get(store)!.by; by; by = best.get(by.way.edge.from)!.by) branch.unshift(by);
  return branch;
}

function firstFailure(
  graph: RoutingGraph,
  steps: readonly Step[],
  root: Hop,
  matched: ReadonlySet<string>,
): WhyNot['failed'] {
  if (root.end?.outcome === 'refused')
    return { text: root.end.why, ...(root.end.place ? { place: root.end.place } : {}) };
  for (const step of steps) {
    const failed = obstacle(graph, step, matched);
    if (failed) return { edge: step.way.edge, ...failed };
  }
  const edge = steps[0]?.way.edge;
  return {
    ...(edge ? { edge, place: edge.place } : {}),
    text: root.end?.why ?? 'another way was chosen',
  };
}

/** Meets the conditions of a way one after the other, and tries the result. */
function messageChanges(
  graph: RoutingGraph,
  message: Message,
  sending: Sending,
  store: string,
  branch: readonly Edge[],
): Change[] {
  const failing = branch.filter(
    (edge) => edge.kind !== 'unrouted' && evaluate(edge.condition, message) !== true,
  );
  if (failing.length === 0 || failing.length > MOST_CONDITIONS) return [];
  let solutions: Solution[] = [[]];
  for (const edge of branch) {
    if (edge.kind === 'unrouted') continue;
    // of the many ways to meet several conditions the smallest are tried
    solutions = solutions
      .flatMap((solution) =>
        solve(edge.condition, assign(message, solution)).map((more) => [...solution, ...more]),
      )
      .sort((a, b) => a.length - b.length)
      .slice(0, MOST_SOLUTIONS);
  }
  const changes: Change[] = [];
  for (const solution of solutions) {
    if (changes.length === MOST_CHANGES) break;
    const changed = assign(message, solution);
    const title = `send it with ${solution.map((each) => assignmentText(each)).join(' and ')}`;
    if (changes.some((change) => change.title === title)) continue;
    if (reaches(trace(graph, changed, sending).trace.root, store))
      changes.push({ of: 'message', title, message: changed });
  }
  return changes;
}

function assignmentText({ attribute, value }: Solution[number]): string {
  const name = attributeName(attribute);
  return value === undefined ? `no ${name}` : `${name} ${JSON.stringify(value)}`;
}

/** Tries edits of the text; those that let the message through are kept. */
function tried(
  graph: RoutingGraph,
  message: Message,
  sending: Sending,
  store: string,
  candidates: readonly { title: string; edits: readonly TextEdit[] }[],
): Change[] {
  const { documents, environment } = graph.topology;
  return candidates.flatMap(({ title, edits }): Change[] => {
    const topology = readTopology(applyEdits(documents, edits), environment ? { environment } : {});
    const worse = topology.findings.length > graph.topology.findings.length;
    if (worse || !reaches(trace(buildGraph(topology), message, sending).trace.root, store)) return [];
    return [{ of: 'topology', title, edits }];
  });
}

/** Another binding, no filter, an active link, a permission: for what fails on a way, one change each. */
function topologyChanges(
  graph: RoutingGraph,
  message: Message,
  sending: Sending,
  store: string,
  steps: readonly Step[],
): Change[] {
  const { topology } = graph;
  const edits: ((now: Placed) => Edited)[] = [];
  const titles: string[] = [];
  const add = (title: string, edit: (now: Placed) => Edited) => {
    if (titles.includes(title) || !edit(topology).ok) return;
    titles.push(title);
    edits.push(edit);
  };
  const entry = entryOf(graph, sending);
  const first = graph.nodes.get(entry ?? '');
  const publisher = sending.from ? thing('app', sending.from.replace(/^app:/, '')) : undefined;
  const asked = first && addressed(surroundingsOf(graph), first, { publisher }).ask;
  if (asked && asked.on.kind !== 'alias' && !decideFor(graph, asked, message.key).allowed)
    add(
      `let ${asked.who.name} publish into ${addressOf(asked.on)}`,
      permission(asked.who.id, 'publish', addressOf(asked.on)),
    );
  for (const { way, message: here } of steps) {
    const { edge, ask, sender } = way;
    const { from, to } = { from: graph.nodes.get(edge.from)!.thing, to: graph.nodes.get(edge.to)!.thing };
    const fails = edge.kind !== 'unrouted' && evaluate(edge.condition, here) !== true;
    if (fails && edge.kind === 'binding') {
      add(`bind ${to.name} to ${from.name} for this message too`, binding(graph, edge, here));
    } else if (fails && edge.kind === 'subscription') {
      const path = ['brokers', from.broker, 'subscriptions', edge.label, 'filter'];
      const filter = show(edge.condition);
      const said = filter.length > LONGEST_SHOWN ? `${filter.slice(0, LONGEST_SHOWN)}…` : filter;
      add(`take the filter ${said} off subscription ${edge.label}`, (now) => removeAt(now, path));
    } else if (fails && edge.kind === 'link') {
      add(`let link ${edge.label} carry \`${here.key}\` too`, (now) =>
        addItem(now, ['links', edge.label, 'keys'], here.key),
      );
    }
    if (edge.link?.decl.active?.value === false) {
      const { place } = edge.link.decl.active;
      add(`make link ${edge.link.thing.name} active`, (now) => writeScalar(now, place, 'true'));
    }
    if (edge.kind === 'subscription' && ask && !decideFor(graph, ask, here.key).allowed)
      add(
        `let topic ${addressOf(from)} publish into ${addressOf(to)}`,
        permission(from.id, 'publish', addressOf(to)),
      );
    if (edge.kind !== 'link') continue;
    const far = addressed(surroundingsOf(graph), graph.nodes.get(edge.to)!, sender ?? NOBODY).ask;
    if (ask && !decideFor(graph, ask, here.key).allowed)
      add(
        `let ${ask.who.id} take from ${addressOf(from)}`,
        permission(ask.who.id, 'consume', addressOf(from)),
      );
    if (far && !decideFor(graph, far, here.key).allowed)
      add(
        `let ${far.who.id} publish into ${addressOf(to)}`,
        permission(far.who.id, 'publish', addressOf(to)),
      );
  }
  if (titles.length === 0) return bindingTo(graph, message, sending, store, entry ?? '');
  // one after the other: where two begin the same section, the second adds to what the first began
  const all = sequence(topology, edits);
  return all.ok
    ? tried(graph, message, sending, store, [{ title: titles.join(', and '), edits: all.edits }])
    : [];
}

const permission = (who: string, action: string, on: string) => (now: Placed) =>
  addItem(now, ['access'], { allow: [action], who, on });

/** A further binding beside one that does not match, as narrow as this message. */
function binding(graph: RoutingGraph, beside: Edge, message: Message): (now: Placed) => Edited {
  const { binding: decl } = beside;
  const node = graph.nodes.get(beside.from)!;
  const ends = { from: decl?.from?.value ?? '', to: decl?.to?.value ?? '' };
  const headers = node.role === 'exchange' && node.decl.type?.value === 'headers';
  const condition: Record<string, Json> = headers
    ? { headers: { match: 'all', values: scalars(message.headers) } }
    : { key: message.key };
  return (now) => addItem(now, ['brokers', node.thing.broker, 'bindings'], { ...ends, ...condition });
}

function scalars(headers: Message['headers']): Record<string, string | number | boolean> {
  return Object.fromEntries(
    Object.entries(headers).filter(
      (entry): entry is [string, string | number | boolean] =>
        !entry[0].startsWith('x-') && ['string', 'number', 'boolean'].includes(typeof entry[1]),
    ),
  );
}

/** Where no way leads at all: a binding or subscription straight from the entry, on its own broker. */
function bindingTo(
  graph: RoutingGraph,
  message: Message,
  sending: Sending,
  store: string,
  entry: string,
): Change[] {
  const from = graph.nodes.get(entry);
  const to = graph.nodes.get(store);
  if (!from || !to || from.thing.broker !== to.thing.broker || to.role !== 'queue') return [];
  if (from.role === 'exchange') {
    const type = from.decl.type?.value;
    const condition: Record<string, Json> =
      type === 'headers'
        ? { headers: { match: 'all', values: scalars(message.headers) } }
        : type === 'fanout'
          ? {}
          : { key: message.key };
    // a name that an exchange and a queue share is told apart by its kind
    const shared = graph.nodes.has(`exchange:${to.thing.broker}/${to.thing.name}`);
    const value = {
      from: `${graph.nodes.has(`queue:${from.thing.broker}/${from.thing.name}`) ? 'exchange:' : ''}${from.thing.name}`,
      to: `${shared ? 'queue:' : ''}${to.thing.name}`,
      ...condition,
    };
    const edited = addItem(graph.topology, ['brokers', from.thing.broker, 'bindings'], value);
    return edited.ok
      ? tried(graph, message, sending, store, [
          { title: `bind ${to.thing.name} to ${from.thing.name}`, edits: edited.edits },
        ])
      : [];
  }
  return [];
}

function nameOf(graph: RoutingGraph, id: string): string {
  const node = graph.nodes.get(id);
  return node ? addressOf(node.thing) : id;
}

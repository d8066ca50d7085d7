/**
 * Why a message does not reach a store: the way that comes closest, what fails first on it, and the
 * smallest changes, of the message or of the topology, that would let it through. Every change told
 * has been tried out: the trace was made again with it and reaches the store.
 */
import type { Telling } from '../trace/narrate.ts';
import { type TextEdit, applyEdits } from '../../base/edits.ts';
import { admits, evaluate } from '../../conditions/evaluate.ts';
import { attributeName, explain, show } from '../../conditions/explain.ts';
import type { Message } from '../../conditions/message.ts';
import { type Solution, assign, solve } from '../../conditions/solve.ts';
import { ENTRIES, addressOf, thing } from '../../language/thing.ts';
import { mqttEntry } from '../../routing/edge-specs.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import type { Edge } from '../../routing/parts.ts';
import type { Hop, Sending } from '../../routing/hop.ts';
import { trace } from '../../routing/trace.ts';
import { addItem, removeAt, writeScalar } from '../../syntax/edit/edit.ts';
import type { Placed } from '../../syntax/place.ts';
import type { Json } from '../../syntax/render.ts';
import { lookUp } from '../../topology/address.ts';
import { tenantOf } from '../../topology/owner.ts';
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
  const branch = closest(graph, entry, store, root.message, root);
  if (!branch) {
    const text = `no way leads from ${nameOf(graph, entry)} to ${name}`;
    return {
      reached: false,
      branch: [],
      failed: { text },
      changes: bindingTo(graph, message, sending, store, entry),
    };
  }
  return {
    reached: false,
    branch,
    failed: firstFailure(graph, branch, root, message),
    changes: [
      ...messageChanges(graph, message, sending, store, branch),
      ...topologyChanges(graph, message, sending, store, branch),
    ],
  };
}

function reaches(hop: Hop, store: string): boolean {
  const here =
    hop.node === store && !hop.again && hop.end?.outcome !== 'refused' && hop.end?.outcome !== 'lost';
  return here || hop.next.some((next) => reaches(next, store));
}

function entryOf(graph: RoutingGraph, sending: Sending): string | undefined {
  if (sending.via === 'mqtt') return mqttEntry(graph.topology, sending.to) || undefined;
  const found = lookUp(graph.topology.declared, sending.to, ENTRIES);
  return found.ok ? found.thing.id : undefined;
}

/** Whether a way lets a message on as things are: its condition, and the permission of who moves it. */
function passes(
  graph: RoutingGraph,
  edge: Edge,
  message: Message,
  matchedElsewhere: ReadonlySet<string>,
): boolean {
  if (edge.kind === 'unrouted') return !matchedElsewhere.has(edge.from);
  if (edge.link?.decl.active?.value === false) return false;
  return admits(edge.condition, message) && permissionFor(graph, edge, message) === undefined;
}

/** @returns why whoever moves a message along a way may not, or undefined when it may. */
function permissionFor(graph: RoutingGraph, edge: Edge, message: Message): Telling | undefined {
  const to = graph.nodes.get(edge.to)!.thing;
  const from = graph.nodes.get(edge.from)!.thing;
  const ask = (who: typeof to, action: 'publish' | 'consume', on: typeof to) => {
    const tenant =
      who.kind === 'link' ? graph.topology.declared.tenant?.value : tenantOf(graph.topology, who);
    const decision = graph.decide({
      who: { thing: who, tenant },
      action,
      on,
      key: message.key,
      source: from,
    });
    return decision.allowed
      ? undefined
      : { text: decision.why, ...(decision.place ? { place: decision.place } : {}) };
  };
  if (edge.kind === 'subscription' && to.kind === 'queue') return ask(from, 'publish', to);
  if (edge.kind === 'link')
    return ask(edge.link!.thing, 'consume', from) ?? ask(edge.link!.thing, 'publish', to);
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

/** The way from the entry to the store with the fewest obstacles, then the fewest steps. */
function closest(
  graph: RoutingGraph,
  entry: string,
  store: string,
  message: Message,
  root: Hop,
): Edge[] | undefined {
  const matched = new Set<string>();
  const visit = (hop: Hop): void => {
    if (!hop.unmatched) matched.add(hop.node);
    hop.next.forEach(visit);
  };
  visit(root);
  // costs are small whole numbers: one list of nodes for each, taken in order
  const best = new Map<string, { cost: number; by?: Edge }>([[entry, { cost: 0 }]]);
  const levels: string[][] = [[entry]];
  for (let cost = 0; cost < levels.length; cost++) {
    for (const node of levels[cost] ?? []) {
      if (best.get(node)!.cost < cost) continue;
      for (const edge of graph.out.get(node) ?? []) {
        if (!FOLLOWED.has(edge.kind)) continue;
        // an obstacle weighs more than any number of steps
        const next = cost + 1 + (passes(graph, edge, message, matched) ? 0 : 1000);
        const known = best.get(edge.to);
        if (known && known.cost <= next) continue;
        best.set(edge.to, { cost: next, by: edge });
        (levels[next] ??= []).push(edge.to);
      }
    }
  }
  if (!best.has(store)) return undefined;
  const branch: Edge[] = [];
  for (let by = best.get(store)!.by; by; by = best.get(by.from)!.by) branch.unshift(by);
  return branch;
}

function firstFailure(
  graph: RoutingGraph,
  branch: readonly Edge[],
  root: Hop,
  message: Message,
): WhyNot['failed'] {
  if (root.end?.outcome === 'refused')
    return { text: root.end.why, ...(root.end.place ? { place: root.end.place } : {}) };
  for (const edge of branch) {
    if (edge.kind === 'unrouted') continue;
    if (evaluate(edge.condition, message) !== true) {
      return { edge, text: explain(edge.condition, message).text, place: edge.condition.place ?? edge.place };
    }
    if (edge.link?.decl.active?.value === false) {
      return { edge, text: `link ${edge.link.thing.name} is not active`, place: edge.link.decl.active.place };
    }
    const permission = permissionFor(graph, edge, message);
    if (permission) return { edge, text: permission.text, place: permission.place ?? edge.place };
  }
  const edge = branch.find((each) => each.kind === 'unrouted') ?? branch[0];
  return {
    ...(edge ? { edge, place: edge.place } : {}),
    text:
      edge?.kind === 'unrouted'
        ? `${nameOf(graph, edge.to)} gets only what no binding of ${nameOf(graph, edge.from)} matches`
        : (root.end?.why ?? 'another way was chosen'),
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
    solutions = solutions.flatMap((solution) =>
      solve(edge.condition, assign(message, solution)).map((more) => [...solution, ...more]),
    );
  }
  const changes: Change[] = [];
  for (const solution of solutions.sort((a, b) => a.length - b.length)) {
    const changed = assign(message, solution);
    const title = `send it with ${solution.map((each) => assignmentText(each)).join(' and ')}`;
    if (changes.some((change) => change.title === title)) continue;
    if (reaches(trace(graph, changed, sending).trace.root, store))
      changes.push({ of: 'message', title, message: changed });
  }
  return changes.slice(0, 3);
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
  branch: readonly Edge[],
): Change[] {
  const edits: TextEdit[] = [];
  const titles: string[] = [];
  const add = (title: string, edited: ReturnType<typeof addItem>) => {
    if (!edited.ok) return;
    titles.push(title);
    edits.push(...edited.edits);
  };
  const app = sending.from && thing('app', sending.from.replace(/^app:/, ''));
  const entry = entryOf(graph, sending);
  if (app && entry) {
    const on = graph.nodes.get(entry)!.thing;
    const tenant = tenantOf(graph.topology, app);
    if (
      on.kind !== 'alias' &&
      !graph.decide({ who: { thing: app, tenant }, action: 'publish', on, key: message.key }).allowed
    ) {
      add(
        `let ${app.name} publish into ${addressOf(on)}`,
        permission(graph.topology, app.id, 'publish', addressOf(on)),
      );
    }
  }
  for (const edge of branch) {
    const { from, to } = { from: graph.nodes.get(edge.from)!.thing, to: graph.nodes.get(edge.to)!.thing };
    const fails = edge.kind !== 'unrouted' && evaluate(edge.condition, message) !== true;
    if (fails && edge.kind === 'binding') {
      add(`bind ${to.name} to ${from.name} for this message too`, binding(graph, edge, message));
    } else if (fails && edge.kind === 'subscription') {
      const path = ['brokers', from.broker, 'subscriptions', edge.label, 'filter'];
      add(
        `take the filter ${show(edge.condition)} off subscription ${edge.label}`,
        removeAt(graph.topology, path),
      );
    } else if (fails && edge.kind === 'link') {
      add(
        `let link ${edge.label} carry \`${message.key}\` too`,
        addItem(graph.topology, ['links', edge.label, 'keys'], message.key),
      );
    }
    if (edge.link?.decl.active?.value === false) {
      const { place } = edge.link.decl.active;
      add(`make link ${edge.link.thing.name} active`, writeScalar(graph.topology, place, 'true'));
    }
    if (edge.kind === 'subscription' && permissionFor(graph, edge, message)) {
      add(
        `let topic ${addressOf(from)} publish into ${addressOf(to)}`,
        permission(graph.topology, from.id, 'publish', addressOf(to)),
      );
    }
    if (edge.kind === 'link' && permissionFor(graph, edge, message)) {
      const { id } = edge.link!.thing;
      add(
        `let ${id} take from ${addressOf(from)}`,
        permission(graph.topology, id, 'consume', addressOf(from)),
      );
      add(
        `let ${id} publish into ${addressOf(to)}`,
        permission(graph.topology, id, 'publish', addressOf(to)),
      );
    }
  }
  if (titles.length === 0) return bindingTo(graph, message, sending, store, entry ?? '');
  return tried(graph, message, sending, store, [{ title: titles.join(', and '), edits }]);
}

function permission(topology: Placed, who: string, action: string, on: string) {
  return addItem(topology, ['access'], { allow: [action], who, on });
}

/** A further binding beside one that does not match, as narrow as this message. */
function binding(graph: RoutingGraph, beside: Edge, message: Message) {
  const { binding: decl } = beside;
  const node = graph.nodes.get(beside.from)!;
  const ends = { from: decl?.from?.value ?? '', to: decl?.to?.value ?? '' };
  const headers = node.role === 'exchange' && node.decl.type?.value === 'headers';
  const condition: Record<string, Json> = headers
    ? { headers: { match: 'all', values: scalars(message.headers) } }
    : { key: message.key };
  return addItem(graph.topology, ['brokers', node.thing.broker, 'bindings'], {
    ...ends,
    ...condition,
  });
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

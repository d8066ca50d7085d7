/** Who may do what to what, each cell with its reason and the ways that need it. */
import { type Need, isMet } from './needs.ts';
import type { Usage } from './usage.ts';
import type { Action } from '../../language/statement.ts';
import { type Thing, addressOf, thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Decision } from '../../routing/permission.ts';
import type { Place } from '../../syntax/place.ts';
import { tenantOf } from '../../topology/owner.ts';

/** needed: a way needs it and has it; missing: a way needs it and has it not; unused: allowed, and no way needs it. */
export type CellState = 'needed' | 'missing' | 'unused' | 'none';

export interface Cell {
  readonly who: Thing;
  readonly tenant: string | undefined;
  readonly action: Action;
  readonly on: Thing;
  readonly owner: string | undefined;
  readonly state: CellState;
  /** What decided: a statement, the lack of one, or that the broker is open. */
  readonly why: string;
  readonly place?: Place;
  /** The ways that need it. */
  readonly needs: readonly Need[];
}

const ACTIONS: readonly Action[] = ['publish', 'consume', 'browse', 'declare', 'bind', 'subscribe'];

/** Whether an action can be done to a thing at all. */
const fits = (action: Action, { kind }: Thing): boolean => {
  if (action === 'publish') return kind !== 'subscription';
  if (action === 'consume' || action === 'browse') return kind === 'queue' || kind === 'subscription';
  return action !== 'subscribe' || kind === 'topic';
};

/** @returns everyone who may move messages: apps, links, and topics that hand to queues */
export function callersOf({ topology, nodes, out }: RoutingGraph): Thing[] {
  const { declared } = topology;
  const topics = [...nodes.values()].filter(
    ({ role, id }) => role === 'topic' && out.get(id)?.some(({ subscription }) => subscription?.decl.to),
  );
  return [
    ...[...(declared.apps?.keys() ?? [])].map((name) => thing('app', name)),
    ...topics.map((node) => node.thing),
    ...[...(declared.links?.keys() ?? [])].map((name) => thing('link', name)),
  ];
}

/** @returns what permission can be had on, on one broker or all */
export function subjectsOf({ nodes }: RoutingGraph, broker?: string): Thing[] {
  return [...nodes.values()].flatMap((node) =>
    node.thing.broker && (broker === undefined || node.thing.broker === broker) ? [node.thing] : [],
  );
}

/** @returns the cells of some callers and things, without those where nothing is needed and nothing allowed */
export function cellsOf(
  graph: RoutingGraph,
  usage: Usage,
  who: readonly Thing[],
  on: readonly Thing[],
): Cell[] {
  const { topology, decide } = graph;
  const stated = new Set<Action>(['publish', 'consume']);
  for (const { allow } of topology.declared.access?.items ?? [])
    for (const { value } of allow?.items ?? []) stated.add(value);
  const actions = ACTIONS.filter((action) => stated.has(action));
  const byCell = new Map<string, Need[]>();
  for (const need of usage.needs) {
    const id = `${need.who.thing.id} ${need.action} ${need.on.id}`;
    const list = byCell.get(id);
    if (list) list.push(need);
    else byCell.set(id, [need]);
  }
  const cells: Cell[] = [];
  for (const caller of who) {
    const tenant = tenantOf(topology, caller);
    for (const target of on) {
      for (const action of actions) {
        if (!fits(action, target)) continue;
        const needs = byCell.get(`${caller.id} ${action} ${target.id}`) ?? [];
        const decisions: Decision[] = needs.length
          ? needs.map((need) => isMet(decide, need))
          : [decide({ who: { thing: caller, tenant }, action, on: target })];
        const decision = decisions.find(({ allowed }) => !allowed) ?? decisions[0]!;
        const state = needs.length
          ? decision.allowed
            ? 'needed'
            : 'missing'
          : decision.allowed
            ? 'unused'
            : 'none';
        if (state === 'none') continue;
        const { why, place } = decision;
        const owner = tenantOf(topology, target);
        cells.push({
          who: caller,
          tenant,
          action,
          on: target,
          owner,
          state,
          why,
          ...(place ? { place } : {}),
          needs,
        });
      }
    }
  }
  return cells;
}

/** A need in words: which way, and for what. */
export function needInWords({ edge, source, who }: Need): string {
  switch (edge.kind) {
    case 'publish':
      return who.thing.kind === 'link'
        ? `${who.thing.name} carries ${edge.label} there`
        : `it publishes ${edge.label}`;
    case 'subscription':
      return `subscription ${edge.label} hands messages to it`;
    case 'link':
      return `link ${edge.label}${source ? ` delivers what ${addressOf(source)} held` : ' carries on what comes there'}`;
    default:
      return 'it takes from there';
  }
}

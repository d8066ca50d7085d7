/** What the routes of a topology need of its statements, and what those allow beyond. */
import { type Need, isMet, needsOf, ownedIn } from './needs.ts';
import type { Action, StatementDecl } from '../../language/statement.ts';
import type { Thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { covers, names } from '../../routing/permission.ts';

export interface Usage {
  /** Every permission that some way needs. */
  readonly needs: readonly Need[];
  /** The needs each statement meets. */
  readonly metBy: ReadonlyMap<StatementDecl, readonly Need[]>;
  /** The needs that no statement meets. */
  readonly unmet: readonly Need[];
}

/** @returns what every way of a graph needs, and which statement gives it */
export function usageOf(graph: RoutingGraph): Usage {
  const around = ownedIn(graph);
  const needs: Need[] = [];
  const unmet: Need[] = [];
  const metBy = new Map<StatementDecl, Need[]>();
  for (const edge of graph.edges) {
    for (const need of needsOf(around, edge)) {
      needs.push(need);
      const { allowed, by } = isMet(graph.decide, need);
      if (!allowed) unmet.push(need);
      else if (by) {
        const list = metBy.get(by);
        if (list) list.push(need);
        else metBy.set(by, [need]);
      }
    }
  }
  return { needs, metBy, unmet };
}

/** What one statement allows and no route needs. */
export interface Excess {
  /** Callers it names of whom no route needs anything it allows. */
  readonly who: readonly string[];
  /** By action, the things on which nobody it names needs that. */
  readonly on: ReadonlyMap<Action, readonly Thing[]>;
}

/** The actions that routes need; the others are for people and programs that set things up. */
const ROUTED = ['publish', 'consume'] as const;

/**
 * @param needs the needs of all routes on what the statement speaks of
 * @param things everything on brokers
 * @returns what a statement allows beyond what routes need; undefined where it allows nothing that routes could need
 */
export function excessOf(
  statement: StatementDecl,
  needs: readonly Need[],
  things: readonly Thing[],
): Excess | undefined {
  const actions = ROUTED.filter((action) => statement.allow?.items.some(({ value }) => value === action));
  if (actions.length === 0) return undefined;
  const patterns = statement.on?.items.map(({ value }) => value) ?? [];
  const targets = things.filter((each) => patterns.some((pattern) => covers(pattern, each)));
  const own = needs.filter(
    ({ action, on, who }) =>
      actions.includes(action) &&
      patterns.some((pattern) => covers(pattern, on)) &&
      statement.who?.items.some(({ value }) => names(value, who)),
  );
  const who = (statement.who?.items ?? []).filter(({ value }) => !own.some((need) => names(value, need.who)));
  const on = new Map<Action, readonly Thing[]>();
  for (const action of actions) {
    const idle = targets.filter(
      (target) =>
        couldBe(action, target) && !own.some((need) => need.action === action && need.on.id === target.id),
    );
    if (idle.length) on.set(action, idle);
  }
  return { who: who.map(({ value }) => value), on };
}

/** Whether an action can be done to a thing at all: nobody consumes from an exchange. */
function couldBe(action: (typeof ROUTED)[number], { kind }: Thing): boolean {
  if (action === 'publish') return kind !== 'subscription';
  return kind === 'queue' || kind === 'subscription';
}

/** The questions of the Access view. */
import {
  addressOf,
  arrivalsIn,
  callersOf,
  cellsOf,
  excessOf,
  isMet,
  labelsOf,
  matrixCsv,
  needInWords,
  needsOfRoute,
  needTitle,
  reachOfLabel,
  subjectsOf,
  tenantOf,
  usageOf,
  type Action,
  type Cell,
  type Need,
  type Thing,
} from '@vondle/core';
import type { Held } from './held.ts';
import type { LabelView, MatrixView, NeedView, StatementView } from './views.ts';
import { nodeName } from './words.ts';

/** A matrix of more than this is cut: nobody reads it, and it is exported whole. */
const MOST = 120;

export function matrixOf(held: Held, broker: string): MatrixView {
  const { graph } = held;
  const cells = cellsOf(graph, usageOf(graph), callersOf(graph), subjectsOf(graph, broker));
  const who = new Map<string, Thing>();
  const on = new Map<string, Thing>();
  for (const cell of cells) {
    who.set(cell.who.id, cell.who);
    on.set(cell.on.id, cell.on);
  }
  const callers = [...who.values()].slice(0, MOST);
  // as the graph has them, not as they are first met
  const targets = subjectsOf(graph, broker)
    .filter(({ id }) => on.has(id))
    .slice(0, MOST);
  const shown = new Set([...callers, ...targets].map(({ id }) => id as string));
  return {
    who: callers.map((each) => ({
      id: each.id,
      name: each.kind === 'topic' ? addressOf(each) : each.name,
      kind: each.kind,
      tenant: tenantOf(graph.topology, each) ?? '',
    })),
    on: targets.map((each) => ({
      id: each.id,
      name: each.name,
      kind: each.kind,
      owner: tenantOf(graph.topology, each) ?? '',
    })),
    cells: cells
      .filter((cell) => shown.has(cell.who.id) && shown.has(cell.on.id))
      .map((cell) => ({
        who: cell.who.id,
        on: cell.on.id,
        action: cell.action,
        state: cell.state as Exclude<Cell['state'], 'none'>,
        why: cell.why,
        needs: cell.needs.map((need) => ({ words: needInWords(need), spot: held.spot(need.edge.place) })),
        ...held.spotIf(cell.place),
      })),
  };
}

/** The whole matrix, of all brokers. */
export function matrixText({ graph }: Held): string {
  return matrixCsv(cellsOf(graph, usageOf(graph), callersOf(graph), subjectsOf(graph)));
}

export function needView(held: Held, need: Need): NeedView {
  const { allowed, why } = isMet(held.graph.decide, need);
  return {
    title: needTitle(need),
    met: allowed,
    why,
    because: needInWords(need),
    spot: held.spot(need.edge.place),
  };
}

export const missingLeave = (held: Held): NeedView[] =>
  usageOf(held.graph).unmet.map((need) => needView(held, need));

export const routeLeave = (held: Held, app: string, type: string): NeedView[] =>
  needsOfRoute(held.graph, app, type).map((need) => needView(held, need));

const VERBS: Readonly<Partial<Record<Action, string>>> = { publish: 'publish to', consume: 'consume from' };

/** Every statement, with what it allows and no route needs. */
export function statementsOf(held: Held): StatementView[] {
  const { graph } = held;
  const { needs, metBy } = usageOf(graph);
  const things = subjectsOf(graph);
  return (graph.topology.declared.access?.items ?? []).map((statement, index) => {
    const excess = statement.allow && excessOf(statement, needs, things);
    const parts = [...(excess?.on ?? [])].map(
      ([action, idle]) => `${VERBS[action] ?? action} ${idle.map(addressOf).join(', ')}`,
    );
    if (excess?.who.length) parts.push(`${excess.who.join(', ')}, who need none of it`);
    return {
      title: statement.name?.value ?? `statement ${index + 1}`,
      spot: held.spot(statement.name?.place ?? statement.place),
      beyond: parts.join('; '),
      uses: metBy.get(statement)?.length ?? 0,
    };
  });
}

export function labelReach(held: Held, label: string): LabelView[] {
  const { graph } = held;
  return reachOfLabel(graph, arrivalsIn(graph), label).map(
    ({ app, tenant, store, types, takes, allowed, cleared, why }) => ({
      app,
      tenant: tenant ?? '',
      store: nodeName(graph, store.id),
      node: store.id,
      types: [...types],
      takes,
      allowed,
      cleared,
      why,
    }),
  );
}

export const labels = ({ graph }: Held): string[] => labelsOf(graph);

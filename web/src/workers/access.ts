/** The questions of the Access view. */
import { addressOf, tenantOf, type Action, type Thing } from '@vondle/core/topology';
import {
  arrivalsIn,
  callersOf,
  cellsOf,
  excessOf,
  isMet,
  isOpen,
  labelsOf,
  needInWords,
  needsOfRoute,
  needTitle,
  reachOfLabel,
  subjectsOf,
  usageOf,
  type Cell,
  type Need,
} from '@vondle/core/analysis';
import type { Workspace } from './workspace.ts';
import type { LabelView, MatrixView, NeedView, StatementView } from './views.ts';
import { nodeName } from '@vondle/core/assist';

/** A matrix of more than this is cut: nobody reads it, and it is exported whole. */
const MOST = 120;

export function matrixOf(workspace: Workspace, broker: string): MatrixView {
  const { graph } = workspace;
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
    open: isOpen(graph.topology, broker),
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
        needs: cell.needs.map((need) => ({
          words: needInWords(need),
          spot: workspace.spot(need.edge.place),
        })),
        ...workspace.spotIf(cell.place),
      })),
  };
}

/** The whole matrix, of all brokers. */
export async function matrixText({ graph }: Workspace): Promise<string> {
  const { matrixCsv } = await import('@vondle/core/formats/csv');
  return matrixCsv(cellsOf(graph, usageOf(graph), callersOf(graph), subjectsOf(graph)));
}

export function needView(workspace: Workspace, need: Need): NeedView {
  const { allowed, why } = isMet(workspace.graph.decide, need);
  return {
    title: needTitle(need),
    met: allowed,
    why,
    because: needInWords(need),
    spot: workspace.spot(need.edge.place),
  };
}

export const missingPermission = (workspace: Workspace): NeedView[] =>
  usageOf(workspace.graph).unmet.map((need) => needView(workspace, need));

export const routePermissions = (workspace: Workspace, app: string, type: string): NeedView[] =>
  needsOfRoute(workspace.graph, app, type).map((need) => needView(workspace, need));

const VERBS: Readonly<Partial<Record<Action, string>>> = { publish: 'publish to', consume: 'consume from' };

/** Every statement, with what it allows and no route needs. */
export function statementsOf(workspace: Workspace): StatementView[] {
  const { graph } = workspace;
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
      spot: workspace.spot(statement.name?.place ?? statement.place),
      beyond: parts.join('; '),
      uses: metBy.get(statement)?.length ?? 0,
    };
  });
}

export function labelReach(workspace: Workspace, label: string): LabelView[] {
  const { graph } = workspace;
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

export const labels = ({ graph }: Workspace): string[] => labelsOf(graph);

/** What of the graph is drawn: all of it or a part, brokers folded, with what a comparison tells. */
import { kindOf } from '@vondle/core/brokers';
import { compareGraphs, fold, neighbourhood } from '@vondle/core/analysis';
import type { GraphNode, RoutingGraph } from '@vondle/core/routing';
import { layOut } from './layout.ts';
import type { ChangeView, Drawing, EdgeView, Layout, NodeView, Showing, Troubles } from './views.ts';
import { edgeLabel, nodeName, noteOf } from '@vondle/core/assist';

/** More nodes than this are not laid out as they are: the largest brokers are folded first. */
const MOST_NODES = 2000;

/**
 * @param base the graph compared with, if any
 * @param troubles what is wrong with each thing
 * @param before where everything stood when it was drawn last
 */
export function draw(
  graph: RoutingGraph,
  base: RoutingGraph | undefined,
  troubles: ReadonlyMap<string, Troubles>,
  showing: Showing,
  before?: Layout,
): Drawing {
  const changes = base && showing.compared ? compareGraphs(base, graph) : [];
  const changed = new Map(changes.map((change) => [`${change.of} ${change.id}`, change.kind]));
  const nodeView = (of: RoutingGraph, node: GraphNode): NodeView => {
    const change = changed.get(`node ${node.id}`);
    return {
      id: node.id,
      role: node.role,
      broker: node.thing.broker,
      name: node.thing.name,
      address: nodeName(of, node.id),
      note: noteOf(of, node),
      ...troubles.get(node.id),
      ...(change ? { change } : {}),
    };
  };
  const gone = new Set(changes.flatMap(({ kind, id }) => (kind === 'removed' ? [id] : [])));
  const nodes = [...graph.nodes.values()].map((node) => nodeView(graph, node));
  for (const node of base?.nodes.values() ?? []) if (gone.has(node.id)) nodes.push(nodeView(base!, node));
  const edges: EdgeView[] = [...graph.edges, ...(base?.edges.filter(({ id }) => gone.has(id)) ?? [])].map(
    (edge) => {
      const { id, kind, from, to } = edge;
      const change = changed.get(`edge ${id}`);
      return { id, kind, from, to, label: edgeLabel(edge), ...(change ? { change } : {}) };
    },
  );

  edges.push(...becauseOf(graph, nodes));

  const near = showing.near
    ? around(nodes, edges, showing)
    : showing.only.length
      ? neighbourhood(edges, showing.only, 1)
      : undefined;
  const seen = near ? nodes.filter(({ id }) => near.has(id)) : nodes;
  const ways = near ? edges.filter(({ from, to }) => near.has(from) && near.has(to)) : edges;
  const folded = toFold(seen, showing.folded);
  const kept = changed.size && !showing.unchanged ? keptOf(seen, ways, folded, showing.way) : undefined;
  const { folds, foldOf, edges: left } = fold(seen, ways, folded, kept);
  const sizes = sizesOf(seen);
  const kinds = new Map(
    [...(graph.topology.declared.brokers ?? [])].map(([id, { value }]) => [id, kindOf(value).title]),
  );
  const shown: NodeView[] = [
    ...seen.filter(({ id }) => !foldOf.has(id)),
    ...folds.map(({ id, role, brokers, members }): NodeView => {
      // a plate of some of a broker stands in its band, which says the broker's name
      const part = role === 'broker' && members.length < sizes.get(brokers[0]!)!;
      const name = part ? 'unchanged' : role === 'broker' ? brokers[0]! : `${members.length} ${role}s`;
      const note = role === 'broker' ? held(members, graph) : brokers.join(', ');
      const broker = role === 'broker' ? brokers[0]! : '';
      return { id, role, broker, name, address: name, note, members: members.length };
    }),
  ];
  const lines: EdgeView[] = left.map(({ count, ...edge }) =>
    count > 1 ? { ...edge, label: `${count} ways`, count } : edge,
  );
  return {
    nodes: shown,
    edges: lines,
    layout: layOut(shown, lines, kinds, before, showing.room),
    changes: changes.map((change) => ({ ...change, at: at(change, edges) })),
    whole: nodes.length,
  };
}

/** The ids of the lines that join an app, and of what it hands on. */
export const followsId = (app: string): string => `follows ${app}`;
export const handsId = (app: string, to: string): string => `hands ${app} → ${to}`;

/**
 * The lines that join an app: from what it takes to what it publishes because of it, and to what it hands on to.
 * @param nodes get the apps that are only handed to, which no message comes to by a broker
 */
function becauseOf({ topology }: RoutingGraph, nodes: NodeView[]): EdgeView[] {
  const there = new Set(nodes.map(({ id }) => id));
  const found: EdgeView[] = [];
  for (const [app, { value }] of topology.declared.apps ?? []) {
    const from = `taker:${app}`;
    if (!there.has(from)) continue;
    const follows = value.publishes?.items.some(({ because }) => because?.items.length);
    if (follows && there.has(`publisher:${app}`))
      found.push({ id: followsId(app), kind: 'follows', from, to: `publisher:${app}`, label: '' });
    for (const { to } of value.hands?.items ?? []) {
      if (!to || !topology.declared.apps?.has(to.value)) continue;
      const id = `taker:${to.value}`;
      if (!there.has(id)) {
        there.add(id);
        const name = to.value;
        nodes.push({ id, role: 'taker', broker: '', name, address: name, note: 'outside of brokers' });
      }
      found.push({ id: handsId(app, to.value), kind: 'hands', from, to: id, label: '' });
    }
  }
  return found;
}

/** What a folded broker holds: `3 exchanges, 8 queues`. */
function held(members: readonly string[], graph: RoutingGraph): string {
  const counts = new Map<string, number>();
  for (const id of members) {
    const role = graph.nodes.get(id)?.role ?? 'thing';
    counts.set(role, (counts.get(role) ?? 0) + 1);
  }
  const plural = (role: string) => (role === 'alias' ? 'aliases' : `${role}s`);
  return [...counts].map(([role, n]) => `${n} ${n === 1 ? role : plural(role)}`).join(', ');
}

function around(
  nodes: readonly NodeView[],
  edges: readonly EdgeView[],
  { near, depth }: Showing,
): Set<string> | undefined {
  const name = near.replace(/^app:/, '');
  const start = nodes.flatMap(({ id }) =>
    id === near || id === `publisher:${name}` || id === `taker:${name}` ? [id] : [],
  );
  return start.length ? neighbourhood(edges, start, depth) : undefined;
}

/** How many nodes of each broker there are. */
function sizesOf(nodes: readonly NodeView[]): Map<string, number> {
  const sizes = new Map<string, number>();
  for (const { broker } of nodes) if (broker) sizes.set(broker, (sizes.get(broker) ?? 0) + 1);
  return sizes;
}

/**
 * What stays of two states that are compared when all that is the same in both folds away: what changed, the ends of
 * ways that changed, what the followed message passes, and brokers that were unfolded by hand.
 */
function keptOf(
  nodes: readonly NodeView[],
  edges: readonly EdgeView[],
  asked: ReadonlySet<string>,
  way: readonly string[],
): Set<string> {
  const kept = new Set<string>(way);
  for (const { id, broker, change } of nodes) if (change || asked.has(`-${broker}`)) kept.add(id);
  for (const { from, to, change } of edges) if (change) kept.add(from).add(to);
  return kept;
}

/** The brokers to fold: those asked for, and of what is still too much the largest first. */
function toFold(nodes: readonly NodeView[], asked: readonly string[]): Set<string> {
  const folded = new Set(asked);
  const sizes = sizesOf(nodes);
  let left = nodes.filter(({ broker }) => !folded.has(broker)).length;
  for (const [broker, size] of [...sizes].sort((a, b) => b[1] - a[1])) {
    if (left <= MOST_NODES) break;
    // one that was unfolded by hand is named with a minus
    if (folded.has(broker) || folded.has(`-${broker}`)) continue;
    folded.add(broker);
    left -= size;
  }
  return folded;
}

function at({ of, id }: Omit<ChangeView, 'at'>, edges: readonly EdgeView[]): string {
  return of === 'node' ? id : (edges.find((edge) => edge.id === id)?.from ?? '');
}

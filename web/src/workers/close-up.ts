/** Everything about one thing, for the panel beside a view. */
import { kindOf } from '@vondle/core/brokers';
import { addressOf, declarationOf, thing, type Thing, type ThingKind } from '@vondle/core/topology';
import { conditionKind, conditionText, readCondition, tryCondition, typesAt } from '@vondle/core/analysis';
import { settingsOf } from '@vondle/core/assist';
import type { Edge, RoutingGraph } from '@vondle/core/routing';
import type { Workspace } from './workspace.ts';
import type { CloseUp, ConditionView, FindingView } from './views.ts';
import { edgeLabel, KINDS, nodeName, nodesOfThing, noteOf } from '@vondle/core/assist';

/** @returns what an id stands for: `queue:mainland/boards`, `app:archive`, and the graph's `taker:archive`. */
export function thingOf(id: string): Thing {
  const [, kind, rest] = /^([a-z]+):([^]*)$/.exec(id) ?? ['', 'app', id];
  if (kind === 'publisher' || kind === 'taker') return thing('app', rest!);
  const resource = /^(?:exchange|queue|topic|subscription|alias)$/.test(kind!);
  const slash = rest!.indexOf('/');
  return resource && slash > 0
    ? thing(kind as ThingKind, rest!.slice(slash + 1), rest!.slice(0, slash))
    : thing(kind as ThingKind, rest!);
}

/** More ways than this are counted, not listed. */
const MOST_WAYS = 40;

export function closeUpOf(
  workspace: Workspace,
  id: string,
  findings: readonly FindingView[],
): CloseUp | undefined {
  const { graph } = workspace;
  const { topology } = graph;
  const of = thingOf(id);
  const nodes = nodesOfThing(graph, of);
  const place = declarationOf(topology, of) ?? graph.nodes.get(id)?.place;
  if (!place) return undefined;
  const ways = (map: ReadonlyMap<string, readonly Edge[]>, end: 'from' | 'to') => {
    const all = nodes.flatMap((each) => map.get(each) ?? []);
    return {
      count: all.length,
      list: all.slice(0, MOST_WAYS).map((edge) => ({
        id: edge[end],
        name: nodeName(graph, edge[end]),
        role: graph.nodes.get(edge[end])!.role,
        by: edge.kind === 'publish' ? edge.label : edgeLabel(edge) || KINDS[edge.kind],
        spot: workspace.spot(edge.place),
      })),
    };
  };
  const node = graph.nodes.get(nodes[0] ?? '');
  const about = node ? noteOf(graph, node) : of.kind;
  return {
    id: of.kind === 'app' ? (nodes[0] ?? of.id) : of.id,
    thing: of.id,
    name: of.name,
    title: of.broker ? addressOf(of) : of.name,
    subtitle: of.kind === 'app' ? 'app' : of.broker ? `${about} on ${of.broker}` : about,
    spot: workspace.spot(place),
    settings: settingsOf(topology, of).map(({ place: at, from, values, ...setting }) => ({
      ...setting,
      ...(from ? { from: [...from] } : {}),
      ...(values ? { values: [...values] } : {}),
      ...workspace.spotIf(at),
    })),
    findings: findings.filter(({ about, also }) =>
      [about, ...also].some(
        (each) => each !== undefined && (each === id || each === of.id || nodes.includes(each)),
      ),
    ),
    conditions: conditionsOf(graph, of, nodes),
    upstream: ways(graph.into, 'from'),
    downstream: ways(graph.out, 'to'),
    acts: actsOn(graph, of),
    reach:
      of.kind === 'queue' || of.kind === 'subscription'
        ? [...new Set(nodes.flatMap((each) => [...typesAt(graph, each)]))]
        : [],
  };
}

/** What can be declared about a thing where it is looked at: bound, taken from, published to, allowed. */
function actsOn({ topology }: RoutingGraph, of: Thing): CloseUp['acts'] {
  const { kind, name, broker } = of;
  const decl = topology.declared.brokers?.get(broker)?.value;
  const feed = decl && kindOf(decl).feed;
  const address = addressOf(of);
  const act = (
    title: string,
    form: CloseUp['acts'][number]['form']['kind'],
    given: CloseUp['acts'][number]['form']['given'],
    on?: string,
  ) => ({ title, form: { kind: form, given, ...(on ? { on } : {}) } });
  const publish = act('publish to this', 'publish', { to: address });
  const take = act('take from this', 'take', { from: address });
  const allow = act('allow somebody', 'permission', { on: [of.broker ? address : of.id] });
  switch (kind) {
    case 'exchange':
      return [act('bind to a queue', 'binding', { from: name }, broker), publish, allow];
    case 'topic':
      return [act('subscribe to this', 'subscription', { topic: name }, broker), publish, allow];
    case 'queue':
      return [
        feed === 'topic'
          ? act('subscribe it to a topic', 'subscription', { to: name }, broker)
          : act('bind this', 'binding', { to: name }, broker),
        take,
        allow,
      ];
    case 'subscription': {
      const handsOn = decl && 'subscriptions' in decl && decl.subscriptions?.get(name)?.value.to;
      return handsOn ? [] : [take, allow];
    }
    case 'alias':
    case 'spread':
      return [publish];
    case 'message':
      return [
        act('publish this', 'publish', { message: name }),
        act('promise where it goes', 'expectation', { 'given.message': name }),
      ];
    case 'app':
      return [act('publish', 'publish', {}, name), act('take', 'take', {}, name)];
    case 'broker':
      return feed === 'topic'
        ? [act('topic', 'topic', {}, name), act('queue', 'queue', {}, name)]
        : [act('exchange', 'exchange', {}, name), act('queue', 'queue', {}, name)];
    default:
      return [];
  }
}

/** More conditions than this are edited in the text. */
const MOST_CONDITIONS = 8;

/** The ways that a thing's conditions are on: a subscription's own, a queue's or exchange's bindings. */
function conditionsOf(graph: RoutingGraph, of: Thing, nodes: readonly string[]): CloseUp['conditions'] {
  const ways =
    of.kind === 'subscription'
      ? topicsOf(graph, of.broker).flatMap((topic) =>
          (graph.out.get(topic) ?? []).filter((edge) => edge.subscription?.thing.id === of.id),
        )
      : nodes.flatMap((node) => graph.into.get(node) ?? []);
  return ways
    .filter((edge) => conditionKind(graph, edge) !== undefined)
    .slice(0, MOST_CONDITIONS)
    .map((edge) => ({
      edge: edge.id,
      node: edge.from,
      title: edge.subscription
        ? `subscription ${edge.label}`
        : `binding${edge.label ? ` ${edge.label}` : ''} from ${nodeName(graph, edge.from)}`,
    }));
}

function topicsOf({ topology }: RoutingGraph, broker: string): string[] {
  const decl = topology.declared.brokers?.get(broker)?.value;
  const kind = decl && kindOf(decl);
  return decl && kind?.feed === 'topic'
    ? kind.feeds(decl).map(({ name }) => thing('topic', name, broker).id)
    : [];
}

/** A condition as it stands, or as somebody is about to write it, on the samples that come to it. */
export function conditionOn(
  graph: RoutingGraph,
  node: string,
  edgeId: string,
  asked: string | undefined,
): ConditionView | undefined {
  const edge = graph.out.get(node)?.find(({ id }) => id === edgeId);
  const kind = edge && conditionKind(graph, edge);
  if (!edge || !kind) return undefined;
  const written = conditionText(graph, edge);
  const read = asked === undefined || asked === written ? undefined : readCondition(graph, edge, asked);
  if (read && !read.ok) return { kind, written, trouble: read.message, trials: [] };
  const trials = tryCondition(graph, edge, read?.predicate ?? edge.condition);
  return {
    kind,
    written,
    trials: trials.map(({ type, sample, verdict, why }) => ({ type, sample, passes: verdict === true, why })),
  };
}

/** The worker that holds the current Topology; the main thread asks it questions and draws. */
import {
  addressOf,
  buildGraph,
  instancesOf,
  locator,
  missesAt,
  readTopology,
  runChecks,
  samplesOf,
  show,
  summarise,
  trace,
  whyHop,
  whyNot,
  formatDuration,
  type Edge,
  type Finding,
  type GraphNode,
  type Hop,
  type Place,
  type Position,
  type RoutingGraph,
  type Severity,
  type TopologyDocument,
  type Trace,
} from '@vondle/core';
import * as Comlink from 'comlink';
import { layOut } from './layout.ts';
import type {
  Analysis,
  CloseUp,
  EdgeView,
  Fact,
  FindingView,
  FollowView,
  HopView,
  Layout,
  MessageView,
  NodeView,
  OutlineGroup,
  Sending,
  Spot,
  WhyNotView,
} from './views.ts';

let graph: RoutingGraph = buildGraph(readTopology([]));
let locate: (place: Place) => Position = locator([]);
let analysis: Analysis | undefined;

const spotOf = (place: Place): Spot => ({ ...place, ...locate(place) });
const spotIf = (place: Place | undefined) => (place ? { spot: spotOf(place) } : {});
const WEIGHT: Record<Severity, number> = { error: 3, warning: 2, advice: 1 };

function worse(a: Severity | undefined, b: Severity): Severity {
  return a && WEIGHT[a] >= WEIGHT[b] ? a : b;
}

function findingView(finding: Finding): FindingView {
  const { check, severity, message, place, about, mends } = finding;
  return {
    check,
    severity,
    message,
    spot: spotOf(place),
    ...(about ? { about } : {}),
    mends: (mends ?? []).map(({ title, edits }) => ({ title, edits: [...edits] })),
  };
}

function noteOf(node: GraphNode): string {
  switch (node.role) {
    case 'publisher':
    case 'taker': {
      const edges = (node.role === 'publisher' ? graph.out : graph.into).get(node.id) ?? [];
      const count = instancesOf(graph, node.thing.name);
      const times = count === 1 ? '' : ` · ×${count}`;
      if (node.role === 'publisher') {
        const types = new Set(edges.map((edge) => edge.label)).size;
        return `${types} ${types === 1 ? 'type' : 'types'}${times}`;
      }
      const copy = edges.some((edge) => edge.consume?.each?.value === 'copy');
      return copy ? `×${count}, each a copy` : count === 1 ? '×1' : `×${count} share`;
    }
    case 'exchange':
      return `${node.decl.type?.value ?? '?'} exchange${node.decl.internal?.value ? ' · internal' : ''}`;
    case 'topic':
      return node.decl.order?.value === 'fifo' ? 'topic · ordered' : 'topic';
    case 'alias':
      return 'alias';
    case 'spread':
      return `spread · ${node.decl.choose?.value ?? 'rotate'}`;
    case 'subscription':
      return 'subscription';
    case 'queue': {
      const { decl } = node;
      const parts = ['queue'];
      if ('perInstanceOf' in decl && decl.perInstanceOf) parts[0] = 'one per instance';
      if (decl.order?.value === 'fifo') parts[0] = 'ordered';
      if (decl.ttl) parts.push(`ttl ${formatDuration(decl.ttl.value)}`);
      if ((graph.out.get(node.id) ?? []).some((edge) => edge.kind === 'link'))
        parts[0] = 'a link takes from it';
      return parts.join(' · ');
    }
  }
}

function nodeName(id: string): string {
  const node = graph.nodes.get(id);
  if (!node) return id;
  return node.role === 'publisher' || node.role === 'taker' ? node.thing.name : addressOf(node.thing);
}

function nodeView(node: GraphNode, worst: ReadonlyMap<string, Severity>): NodeView {
  const found = worst.get(node.id);
  return {
    id: node.id,
    role: node.role,
    broker: node.thing.broker,
    name: node.thing.name,
    address: nodeName(node.id),
    note: noteOf(node),
    spot: spotOf(node.place),
    ...(found ? { worst: found } : {}),
  };
}

/** The words on an edge: its label, or the filter of a subscription. */
function edgeLabel(edge: Edge): string {
  if (edge.kind === 'publish' || edge.kind === 'take' || edge.kind === 'member' || edge.kind === 'deadLetter')
    return '';
  if (edge.kind === 'subscription') return edge.condition.op === 'always' ? '' : show(edge.condition);
  if (edge.kind === 'link') {
    const latency = edge.link?.decl.latency?.value;
    return latency ? `${edge.label} · ${formatDuration(latency)}` : edge.label;
  }
  return edge.label;
}

function edgeView(edge: Edge): EdgeView {
  const { id, kind, from, to, place } = edge;
  return { id, kind, from, to, label: edgeLabel(edge), spot: spotOf(place) };
}

function outline(worst: ReadonlyMap<string, Severity>): OutlineGroup[] {
  const { declared, messages } = graph.topology;
  const groups: OutlineGroup[] = [];
  const add = (title: string, items: { id: string; name: string; kind: string; place: Place }[]) => {
    if (items.length === 0) return;
    groups.push({
      title,
      items: items.map(({ id, name, kind, place }) => {
        const found = worst.get(id);
        return { id, name, kind, spot: spotOf(place), ...(found ? { worst: found } : {}) };
      }),
    });
  };
  for (const [broker, { value }] of declared.brokers ?? []) {
    const maps =
      value.variant === 'amqp'
        ? ([
            ['exchange', value.exchanges],
            ['queue', value.queues],
            ['alias', value.aliases],
          ] as const)
        : ([
            ['topic', value.topics],
            ['subscription', value.subscriptions],
            ['queue', value.queues],
            ['alias', value.aliases],
          ] as const);
    add(
      broker,
      maps.flatMap(([kind, map]) =>
        [...(map?.values() ?? [])].map(({ name, key }) => ({
          id: `${kind}:${broker}/${name}`,
          name,
          kind,
          place: key,
        })),
      ),
    );
  }
  add(
    'links',
    [...(declared.links?.values() ?? [])].map(({ name, key }) => ({
      id: `link:${name}`,
      name,
      kind: 'link',
      place: key,
    })),
  );
  add(
    'spreads',
    [...(declared.spreads?.values() ?? [])].map(({ name, key }) => ({
      id: `spread:${name}`,
      name,
      kind: 'spread',
      place: key,
    })),
  );
  add(
    'messages',
    [...messages.values()].map(({ id, place }) => ({
      id: `message:${id}`,
      name: id,
      kind: 'message',
      place,
    })),
  );
  add(
    'apps',
    [...(declared.apps?.values() ?? [])].map(({ name, key }) => ({
      id: `app:${name}`,
      name,
      kind: 'app',
      place: key,
    })),
  );
  return groups;
}

function messageViews(): MessageView[] {
  const { topology } = graph;
  return [...topology.messages.values()].map((type) => ({
    id: type.id,
    key: type.key?.value ?? '',
    labels: [...type.labels],
    samples: samplesOf(type),
    publishes: [...(topology.declared.apps ?? [])].flatMap(([app, { value }]) =>
      (value.publishes?.items ?? [])
        .filter((publish) => publish.message?.value === type.id)
        .map((publish) => ({ app, to: publish.to?.value ?? '', via: publish.via?.value ?? '' })),
    ),
  }));
}

function hopView(hop: Hop, before?: Hop): HopView {
  const node = graph.nodes.get(hop.node);
  const telling = whyHop(graph, hop, before);
  return {
    node: hop.node,
    name: node ? nodeName(hop.node) : (hop.address ?? 'nothing'),
    role: node?.role ?? '',
    why: telling.text,
    ...spotIf(telling.place),
    copies: hop.copies,
    latency: hop.latency,
    again: hop.again === true,
    ...(hop.note ? { note: hop.note } : {}),
    takers: [...(hop.takers ?? [])],
    ...(hop.end ? { end: { outcome: hop.end.outcome, why: hop.end.why, ...spotIf(hop.end.place) } } : {}),
    misses: missesAt(graph, hop).map(({ edge, text, place }) => ({
      to: edge.to,
      name: edge.kind === 'subscription' ? edge.label : nodeName(edge.to),
      text,
      spot: spotOf(place ?? edge.place),
    })),
    next: hop.next.map((each) => hopView(each, hop)),
  };
}

function light(traces: readonly { trace: Trace; from: string }[]): FollowView['lit'] {
  const lit: FollowView['lit'] = { nodes: {}, edges: {}, ends: {} };
  const pass = (id: string, copies: number) => (lit.nodes[id] = (lit.nodes[id] ?? 0) + copies);
  const visit = (hop: Hop): void => {
    const { end } = hop;
    const stopped = end?.outcome === 'refused' || end?.outcome === 'unresolved';
    if (hop.edge) lit.edges[hop.edge.id] = stopped ? 'refused' : 'passed';
    if (end && end.outcome !== 'held' && end.outcome !== 'taken') lit.ends[hop.node] = end.outcome;
    if (!hop.again && !stopped) pass(hop.node, hop.copies);
    for (const taker of stopped ? [] : (hop.takers ?? [])) {
      const edge = (graph.out.get(hop.node) ?? []).find(
        (each) => each.kind === 'take' && each.to === taker.replace(/^app:/, 'taker:'),
      );
      if (!edge) continue;
      lit.edges[edge.id] = 'passed';
      pass(edge.to, hop.copies);
    }
    hop.next.forEach(visit);
  };
  for (const { trace: each, from } of traces) {
    const refused = each.root.end?.outcome === 'refused';
    for (const edge of graph.out.get(`publisher:${from}`) ?? []) {
      if (edge.to === each.root.node && edge.label === each.message.type)
        lit.edges[edge.id] = refused ? 'refused' : 'passed';
    }
    if (from) pass(`publisher:${from}`, 0);
    visit(each.root);
  }
  return lit;
}

const worker = {
  /** Reads the documents anew; everything asked afterwards is about them. */
  analyse(documents: TopologyDocument[]): Analysis {
    const topology = readTopology(documents);
    graph = buildGraph(topology);
    locate = locator(documents);
    const findings = [...topology.findings, ...runChecks(graph)];
    const worst = new Map<string, Severity>();
    for (const { about, severity } of findings)
      if (about) worst.set(about, worse(worst.get(about), severity));
    const views = findings.map(findingView);
    const order = new Map(documents.map(({ name }, index) => [name, index]));
    views.sort(
      (a, b) => (order.get(a.spot.doc) ?? 0) - (order.get(b.spot.doc) ?? 0) || a.spot.start - b.spot.start,
    );
    analysis = {
      name: topology.name,
      findings: views,
      outline: outline(worst),
      nodes: [...graph.nodes.values()].map((node) => nodeView(node, worst)),
      edges: graph.edges.map(edgeView),
      messages: messageViews(),
    };
    return analysis;
  },

  /** Lays the graph of the last analysis out. */
  async layout(): Promise<Layout> {
    const { nodes, edges } = analysis ?? { nodes: [], edges: [] };
    const kinds = new Map(
      [...(graph.topology.declared.brokers ?? [])].map(([id, { value }]) => [
        id,
        value.variant === 'amqp' ? 'AMQP 0-9-1' : 'publish-subscribe',
      ]),
    );
    return layOut(nodes, edges, kinds);
  },

  /** Follows one message from every place it is sent to. */
  follow(sendings: Sending[]): FollowView {
    const traces = sendings.map(({ message, to, via, from }) => ({
      from,
      to,
      via,
      trace: trace(graph, message, {
        to,
        ...(via === 'mqtt' ? { via } : {}),
        ...(from ? { from: `app:${from}` } : {}),
        mandatory: isMandatory(from, message.type, to),
      }).trace,
    }));
    const { text, trouble } = summarise(graph, ...traces.map(({ trace: each }) => each));
    return {
      entries: traces.map(({ to, via, from, trace: each }) => ({ to, via, from, hop: hopView(each.root) })),
      sentence: text,
      trouble: trouble.map(({ text: words, place }) => ({ text: words, ...spotIf(place) })),
      rests: traces.flatMap(({ trace: each }) =>
        each.rests.map((rest) => ({
          node: rest.node,
          name: nodeName(rest.node),
          copies: rest.copies,
          takers: rest.takers.map((id) => id.replace(/^app:/, '')),
          outcome: rest.outcome,
          latency: rest.latency,
        })),
      ),
      lit: light(traces),
    };
  },

  /** Why a message does not reach a store: asked for each place it is sent to from which a way leads there. */
  whyNot(sendings: Sending[], store: string): WhyNotView[] {
    const found = sendings.map(({ message, to, via, from }) => {
      const result = whyNot(
        graph,
        message,
        { to, ...(via === 'mqtt' ? { via } : {}), ...(from ? { from: `app:${from}` } : {}) },
        store,
      );
      return { to, result };
    });
    // a way that fails somewhere says more than no way at all
    const ways = found.filter(({ result }) => result.reached || result.branch.length > 0);
    return (ways.length ? ways : found).map(({ to, result }) => ({
      reached: result.reached,
      to,
      text: result.failed?.text ?? '',
      ...spotIf(result.failed?.place),
      changes: result.changes.map((change) =>
        change.of === 'message'
          ? { ...change }
          : { of: change.of, title: change.title, edits: [...change.edits] },
      ),
    }));
  },

  /** Everything about one thing. */
  closeUp(id: string): CloseUp | undefined {
    const node = graph.nodes.get(id) ?? appNode(id);
    if (!node || !analysis) return undefined;
    const facts: Fact[] = [];
    const app = node.thing.kind === 'app';
    for (const [name, value] of Object.entries(node.decl as Record<string, unknown>)) {
      const shown = factValue(name, value);
      if (shown !== undefined)
        facts.push({ name, value: shown, ...spotIf((value as { place?: Place }).place) });
    }
    const ids = app ? [`publisher:${node.thing.name}`, `taker:${node.thing.name}`] : [node.id];
    const ways = (map: ReadonlyMap<string, readonly Edge[]>, end: 'from' | 'to') =>
      ids
        .flatMap((each) => map.get(each) ?? [])
        .map((edge) => ({
          id: edge[end],
          name: nodeName(edge[end]),
          by: edge.kind === 'publish' ? edge.label : edgeLabel(edge) || KINDS[edge.kind],
          spot: spotOf(edge.place),
        }));
    return {
      id: node.id,
      title: nodeName(node.id),
      subtitle: app ? 'app' : node.thing.broker ? `${noteOf(node)} on ${node.thing.broker}` : noteOf(node),
      spot: spotOf(node.place),
      facts,
      findings: analysis.findings.filter((finding) => finding.about === node.id),
      upstream: ways(graph.into, 'from'),
      downstream: ways(graph.out, 'to'),
    };
  },
};

const KINDS: Record<Edge['kind'], string> = {
  publish: 'publishes',
  binding: 'binding',
  unrouted: 'unrouted',
  subscription: 'subscription',
  deadLetter: 'dead letters',
  alias: 'alias',
  link: 'link',
  member: 'member',
  take: 'takes',
};

function appNode(id: string): GraphNode | undefined {
  const name = id.replace(/^app:/, '');
  return graph.nodes.get(`publisher:${name}`) ?? graph.nodes.get(`taker:${name}`);
}

function isMandatory(app: string, type: string | undefined, to: string): boolean {
  const publishes = graph.topology.declared.apps?.get(app)?.value.publishes?.items ?? [];
  return publishes.some(
    (each) => each.message?.value === type && each.to?.value === to && each.mandatory?.value === true,
  );
}

/** Settings that are kept in milliseconds. */
const DURATIONS = /^(?:ttl|lease|delay|expires|latency|takes|dedupe|within)$/;

/** A declared setting as text; undefined for what is no single setting. */
function factValue(name: string, value: unknown): string | undefined {
  if (typeof value !== 'object' || value === null || !('value' in value)) return undefined;
  const { value: inner } = value as { value: unknown };
  if (typeof inner === 'number' && DURATIONS.test(name)) return formatDuration(inner);
  return typeof inner === 'object' ? undefined : String(inner);
}

export type CoreWorker = typeof worker;
Comlink.expose(worker);

/** The routing graph as data other programs read: JSON, DOT and GraphML. */
import { sayable, xmlDocument } from '../xml.ts';
import { show } from '../../conditions/explain.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Edge } from '../../brokers/terms.ts';

export interface GraphData {
  readonly topology: string;
  readonly nodes: readonly {
    readonly id: string;
    readonly role: string;
    readonly broker?: string;
    readonly name: string;
  }[];
  readonly edges: readonly {
    readonly id: string;
    readonly kind: string;
    readonly from: string;
    readonly to: string;
    readonly label?: string;
  }[];
}

/** @returns the graph as plain data, nodes and edges in order of declaration. */
export function graphData(graph: RoutingGraph): GraphData {
  return {
    topology: graph.topology.name,
    nodes: [...graph.nodes.values()].map(({ id, role, thing }) => ({
      id,
      role,
      ...(thing.broker ? { broker: thing.broker } : {}),
      name: thing.name,
    })),
    edges: graph.edges.map((edge) => {
      const label = edgeWords(edge);
      return { id: edge.id, kind: edge.kind, from: edge.from, to: edge.to, ...(label ? { label } : {}) };
    }),
  };
}

/** @returns the words on an edge: its label, or a subscription's filter. */
export function edgeWords(edge: Edge): string {
  if (edge.kind !== 'subscription') return edge.label;
  return edge.condition.op === 'always' ? edge.label : `${edge.label}: ${show(edge.condition)}`;
}

const SHAPES: Record<string, string> = {
  publisher: 'cds',
  exchange: 'ellipse',
  topic: 'ellipse',
  alias: 'ellipse',
  spread: 'ellipse',
  queue: 'box',
  subscription: 'box',
  taker: 'house',
};
const STYLES: Record<string, string> = {
  deadLetter: 'dotted',
  unrouted: 'dashed',
  link: 'dashed',
  alias: 'dashed',
};

/** @returns the graph in the DOT language, brokers as clusters. */
export function toDot(graph: RoutingGraph): string {
  const { topology, nodes, edges } = graphData(graph);
  const quote = (text: string) => `"${text.replace(/[\\"]/g, '\\$&').replace(/\n/g, '\\n')}"`;
  const line = (node: (typeof nodes)[number]) =>
    `${quote(node.id)} [label=${quote(node.name)}, shape=${SHAPES[node.role] ?? 'box'}];`;
  const brokers = [...new Set(nodes.flatMap((node) => node.broker ?? []))];
  return [
    `digraph ${quote(topology)} {`,
    '  rankdir=LR;',
    ...brokers.flatMap((broker) => [
      `  subgraph ${quote(`cluster_${broker}`)} {`,
      `    label=${quote(broker)};`,
      ...nodes.filter((node) => node.broker === broker).map((node) => `    ${line(node)}`),
      '  }',
    ]),
    ...nodes.filter((node) => !node.broker).map((node) => `  ${line(node)}`),
    ...edges.map(({ from, to, kind, label }) => {
      const style = STYLES[kind] ? `, style=${STYLES[kind]}` : '';
      return `  ${quote(from)} -> ${quote(to)} [label=${quote(label ?? '')}${style}];`;
    }),
    '}',
    '',
  ].join('\n');
}

/** @returns the graph as GraphML 1.0. */
export function toGraphml(graph: RoutingGraph): string {
  const { topology, nodes, edges } = graphData(graph);
  const key = (of: string) => (name: string) => ({
    '@id': name,
    '@for': of,
    '@attr.name': name,
    '@attr.type': 'string',
  });
  const data = (values: Readonly<Record<string, string | undefined>>) =>
    Object.entries(values).flatMap(([name, value]) =>
      value === undefined ? [] : [{ '@key': name, '#text': sayable(value) }],
    );
  return xmlDocument({
    graphml: {
      '@xmlns': 'http://graphml.graphdrawing.org/xmlns',
      key: [...['role', 'broker', 'name'].map(key('node')), ...['kind', 'label'].map(key('edge'))],
      graph: {
        '@id': sayable(topology),
        '@edgedefault': 'directed',
        node: nodes.map(({ id, role, broker, name }) => ({
          '@id': sayable(id),
          data: data({ role, broker, name }),
        })),
        edge: edges.map(({ id, from, to, kind, label }) => ({
          '@id': sayable(id),
          '@source': sayable(from),
          '@target': sayable(to),
          data: data({ kind, label }),
        })),
      },
    },
  });
}

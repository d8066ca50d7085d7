/** Short words for nodes and edges of the graph, as pictures and lists show them. */
import { formatDuration } from '../base/values.ts';
import { show } from '../conditions/explain.ts';
import { addressOf } from '../language/thing.ts';
import type { RoutingGraph } from '../routing/graph.ts';
import type { Edge, GraphNode } from '../brokers/terms.ts';
import { instancesOf } from '../routing/walk.ts';

/** The line under a node's name: its type and the settings that matter. */
export function noteOf(graph: RoutingGraph, node: GraphNode): string {
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

/** `mainland/boards`, or an app's name. */
export function nodeName(graph: RoutingGraph, id: string): string {
  const node = graph.nodes.get(id);
  if (!node) return id;
  return node.role === 'publisher' || node.role === 'taker' ? node.thing.name : addressOf(node.thing);
}

/** The words on an edge: its label, or the filter of a subscription. */
export function edgeLabel(edge: Edge): string {
  if (edge.kind === 'publish' || edge.kind === 'take' || edge.kind === 'member' || edge.kind === 'deadLetter')
    return '';
  if (edge.kind === 'subscription') return edge.condition.op === 'always' ? '' : show(edge.condition);
  if (edge.kind === 'link') {
    const latency = edge.link?.decl.latency?.value;
    return latency ? `${edge.label} · ${formatDuration(latency)}` : edge.label;
  }
  return edge.label;
}

/** What an edge is, where it has no words of its own. */
export const KINDS: Record<Edge['kind'], string> = {
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

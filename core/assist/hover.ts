/** What is told of a name that somebody points at. */
import { nodeName, noteOf } from './words.ts';
import type { Thing } from '../language/thing.ts';
import type { RoutingGraph } from '../routing/graph.ts';
import type { Edge } from '../brokers/terms.ts';

/** @returns the graph's nodes of a thing: an app that sends and takes has two; a subscription that hands on, none */
export function nodesOfThing(graph: RoutingGraph, { kind, name, id }: Thing): string[] {
  const ids = kind === 'app' ? [`publisher:${name}`, `taker:${name}`] : [id];
  return ids.filter((each) => graph.nodes.has(each));
}

/** A thing in a line: what it is, what leads to it, who takes from it. */
export function lineOn(graph: RoutingGraph, of: Thing): string {
  const nodes = nodesOfThing(graph, of);
  const count = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`;
  const names = (edges: readonly Edge[], end: 'from' | 'to') => {
    const all = [...new Set(edges.map((edge) => nodeName(graph, edge[end])))];
    return all.length > 3 ? `${all.slice(0, 3).join(', ')} and ${all.length - 3} more` : all.join(', ');
  };
  if (of.kind === 'message') {
    const { messages } = graph.topology;
    const type = messages.get(of.name);
    const publishers = [...graph.nodes.values()].filter(
      (node) =>
        node.role === 'publisher' && (graph.out.get(node.id) ?? []).some((edge) => edge.label === of.name),
    );
    const key = type?.key ? ` with key ${type.key.value}` : '';
    return `message type${key}; ${publishers.length ? `sent by ${publishers.map((each) => each.thing.name).join(', ')}` : 'nobody sends it'}`;
  }
  const node = graph.nodes.get(nodes[0] ?? '');
  const parts = [node ? noteOf(graph, node) : of.kind];
  const into = nodes.flatMap((each) => graph.into.get(each) ?? []);
  const out = nodes.flatMap((each) => graph.out.get(each) ?? []);
  const takes = out.filter(({ kind }) => kind === 'take');
  const on = out.filter(({ kind }) => kind !== 'take');
  if (into.length) parts.push(`${count(into.length, 'way')} in, from ${names(into, 'from')}`);
  if (on.length) parts.push(`${count(on.length, 'way')} on, to ${names(on, 'to')}`);
  if (takes.length) parts.push(`taken by ${names(takes, 'to')}`);
  return parts.join('; ');
}

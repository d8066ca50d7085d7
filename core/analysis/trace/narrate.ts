/** A trace in words: why each hop was made, what was not taken, and the whole result in a sentence. */
import { evaluate } from '../../conditions/evaluate.ts';
import { explain } from '../../conditions/explain.ts';
import { addressOf } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Edge } from '../../brokers/terms.ts';
import type { Hop } from '../../routing/hop.ts';
import type { Trace } from '../../routing/trace.ts';
import type { Place } from '../../syntax/place.ts';

/** Why a hop was made (or a way not taken), with the text to look at. */
export interface Telling {
  readonly text: string;
  readonly place?: Place;
}

/** @returns the reason a hop was made. */
export function whyHop(graph: RoutingGraph, hop: Hop, before?: Hop): Telling {
  const { edge } = hop;
  if (!edge) return { text: 'published here' };
  const at = { place: edge.place };
  switch (edge.kind) {
    case 'binding': {
      const from = graph.nodes.get(edge.from);
      if (from?.role === 'exchange' && from.decl.type?.value === 'fanout') {
        return { text: 'a fanout exchange gives to every binding', ...at };
      }
      return { text: explain(edge.condition, hop.message).text, ...at };
    }
    case 'unrouted':
      return { text: `nothing else matched, so it goes to ${nameOf(graph, edge.to)}`, ...at };
    case 'subscription': {
      const name = edge.label;
      const message = before?.message ?? hop.message;
      const why = explain(edge.condition, message).text;
      const wrap = edge.subscription?.decl.wrap?.value ? '; wrapped in the topic’s envelope' : '';
      return { text: `subscription ${name}: ${why}${wrap}`, ...at };
    }
    case 'alias':
      return {
        text: edge.link ? `a remote alias, ${edge.label}` : `an alias of ${nameOf(graph, edge.to)}`,
        ...at,
      };
    case 'link': {
      const latency = edge.link?.decl.latency?.value;
      return { text: `carried by link ${edge.label}${latency ? ` in ${latency} ms` : ''}`, ...at };
    }
    case 'member':
      return { text: before?.note ?? 'a member of the spread', ...at };
    case 'deadLetter':
      return { text: `given up here, so it goes to ${nameOf(graph, edge.to)}`, ...at };
    case 'publish':
    case 'take':
      return { text: edge.label, ...at };
  }
}

/** A way that was there but not taken from a hop, and why. */
export interface Miss extends Telling {
  readonly edge: Edge;
}

/** @returns the bindings or subscriptions at a hop that did not let the message on, with what failed. */
export function missesAt(graph: RoutingGraph, hop: Hop): Miss[] {
  if (hop.again) return [];
  const misses: Miss[] = [];
  for (const edge of graph.out.get(hop.node) ?? []) {
    if (edge.kind === 'unrouted' && !hop.unmatched) {
      misses.push({ edge, text: 'only for what no binding here matches', place: edge.place });
    }
    if (edge.kind !== 'binding' && edge.kind !== 'subscription') continue;
    if (evaluate(edge.condition, hop.message) === true) continue;
    misses.push({
      edge,
      text: explain(edge.condition, hop.message).text,
      place: edge.condition.place ?? edge.place,
    });
  }
  return misses;
}

function nameOf(graph: RoutingGraph, id: string): string {
  const node = graph.nodes.get(id);
  return node ? addressOf(node.thing) : 'nothing';
}

/** The whole result in numbers and words. */
export interface Summary {
  readonly copies: number;
  readonly stores: number;
  readonly apps: number;
  /** `1 message becomes 9 copies in 4 stores for 4 apps` */
  readonly text: string;
  /** What went wrong, a phrase each: lost, sent back, refused, waiting, unresolved, looped. */
  readonly trouble: readonly Telling[];
}

/** @returns one sending (which may enter at several places, a trace each) as the sentence people quote. */
export function summarise(graph: RoutingGraph, ...traces: readonly Trace[]): Summary {
  const rests = traces.flatMap((trace) => trace.rests);
  const copies = rests.reduce((sum, rest) => sum + rest.copies, 0);
  const stores = new Set(rests.map((rest) => rest.node)).size;
  const apps = new Set(rests.flatMap((rest) => rest.takers).filter((id) => id.startsWith('app:'))).size;
  const trouble = traces
    .flatMap((trace) => trace.ends)
    .filter(({ end }) => end.outcome !== 'held' && end.outcome !== 'taken')
    .map(({ hop, end }) => ({
      text: `${end.outcome} at ${nameOf(graph, hop.node)}: ${end.why}`,
      ...(end.place ? { place: end.place } : hop.edge ? { place: hop.edge.place } : {}),
    }));
  const text =
    copies === 0
      ? '1 message reaches no store'
      : `1 message becomes ${plural(copies, 'copy', 'copies')} in ${plural(stores, 'store', 'stores')} for ${plural(apps, 'app', 'apps')}`;
  return { copies, stores, apps, text, trouble };
}

function plural(count: number, one: string, many: string): string {
  return `${count} ${count === 1 ? one : many}`;
}

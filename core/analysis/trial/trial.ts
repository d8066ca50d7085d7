/**
 * A condition tried before it is written: what it lets through of the messages that come to it. The
 * text is read by the language's own reader, in the place where it will stand.
 */
import { arrivalsAt } from '../classes/arrivals.ts';
import { keptSamples } from '../samples/kept.ts';
import { samplesOf } from '../samples/samples.ts';
import type { Edited } from '../../base/edits.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { explain } from '../../conditions/explain.ts';
import type { Message } from '../../conditions/message.ts';
import { ALWAYS, type Predicate } from '../../conditions/predicate.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import type { Edge } from '../../brokers/terms.ts';
import { setAt, writeText, writeValue } from '../../syntax/edit/edit.ts';
import { type Place, writtenAt } from '../../syntax/place.ts';
import { readTopology } from '../../topology/read.ts';

/** In which words a way's condition is written. */
export type ConditionKind = 'filter' | 'key' | 'headers';

export type Condition =
  { readonly ok: true; readonly predicate: Predicate } | { readonly ok: false; readonly message: string };

export interface Trial {
  readonly type: string;
  readonly sample: string;
  readonly message: Message;
  /** Undefined: the standard calls it unknown, and it does not pass. */
  readonly verdict: boolean | undefined;
  /** Down to the operand that decided. */
  readonly why: string;
}

/** @returns how a way's condition is written; undefined where it has none to write */
export function conditionKind(graph: RoutingGraph, { kind, from, binding }: Edge): ConditionKind | undefined {
  if (kind === 'subscription') return 'filter';
  const node = graph.nodes.get(from);
  if (kind !== 'binding' || !binding || node?.role !== 'exchange') return undefined;
  const type = node.decl.type?.value;
  return type === 'headers' ? 'headers' : type === 'fanout' ? undefined : 'key';
}

/** @returns the condition as it stands in the text; empty where none is written */
export function conditionText({ topology }: RoutingGraph, edge: Edge): string {
  const place = placeOf(edge);
  if (!place) return '';
  const written = writtenAt(topology, place);
  if (!edge.binding || edge.binding.headers?.place === place) return written;
  const quoted = /^(["'])(.*)\1$/s.exec(written);
  return quoted ? quoted[2]! : written;
}

function placeOf({ subscription, binding }: Edge): Place | undefined {
  return subscription ? subscription.decl.filter?.place : (binding?.headers?.place ?? binding?.key?.place);
}

/**
 * Reads a condition as it would be read in its place.
 * @param text a filter or a `headers` map as YAML, or a bare binding key
 */
export function readCondition(graph: RoutingGraph, edge: Edge, text: string): Condition {
  const kind = conditionKind(graph, edge);
  const node = graph.nodes.get(edge.from);
  const type = node?.role === 'exchange' ? node.decl.type?.value : '';
  if (kind === undefined)
    return { ok: false, message: 'Everything goes this way; there is nothing to write.' };
  if (text.trim() === '' && kind !== 'key') return { ok: true, predicate: ALWAYS };
  const indent = ' '.repeat(12);
  const value = kind === 'key' ? JSON.stringify(text) : `\n${indent}${text.replaceAll('\n', `\n${indent}`)}`;
  const broker =
    kind === 'filter'
      ? `    kind: pubsub\n    topics: { t: {} }\n    subscriptions:\n      s:\n        topic: t\n        filter: ${value}\n`
      : `    kind: amqp\n    exchanges: { e: { type: ${type} } }\n    queues: { q: {} }\n    bindings:\n      - from: e\n        to: q\n        ${kind}: ${value}\n`;
  const tried = readTopology([{ name: 'tried', text: `brokers:\n  b:\n${broker}` }]);
  const [finding] = tried.findings;
  if (finding) return { ok: false, message: finding.message };
  const way = buildGraph(tried).edges.find((each) => each.kind === edge.kind);
  return way ? { ok: true, predicate: way.condition } : { ok: false, message: 'This is no condition.' };
}

/**
 * @param most trials are given at most
 * @returns every sample of the types that may come this way, and whether the condition lets it through
 */
export function tryCondition(graph: RoutingGraph, edge: Edge, predicate: Predicate, most = 60): Trial[] {
  const { topology } = graph;
  const kept = keptSamples(topology);
  const found: Trial[] = [];
  for (const id of typesAt(graph, edge.from)) {
    const type = topology.messages.get(id)!;
    const own = kept.filter(({ message }) => message.type === id);
    for (const { name, message } of [...samplesOf(type), ...own]) {
      if (found.length >= most) return found;
      const verdict = evaluate(predicate, message);
      found.push({ type: id, sample: name, message, verdict, why: explain(predicate, message).text });
    }
  }
  return found;
}

/** @returns the message types that may come to a node, in order of declaration */
export function typesAt(graph: RoutingGraph, node: string): Set<string> {
  return new Set(arrivalsAt(graph, node).map(({ type }) => type.id));
}

/** The edits that write a condition; empty text takes a filter away. */
export function writeCondition(graph: RoutingGraph, edge: Edge, text: string): Edited {
  const kind = conditionKind(graph, edge);
  const condition = readCondition(graph, edge, text);
  if (!condition.ok) return condition;
  const { topology } = graph;
  const place = placeOf(edge);
  if (place) {
    if (kind === 'key') return writeText(topology, place, text);
    if (text.trim() !== '') return writeValue(topology, place, text);
    return { ok: false, message: 'To let everything through, take the whole filter out of the text.' };
  }
  if (kind !== 'filter' || !edge.subscription)
    return { ok: false, message: 'This binding has no key yet; write it in the text.' };
  const { broker, name } = edge.subscription.thing;
  const inner = /^\{\s*selector\s*:\s*("(?:[^"\\]|\\.)*")\s*\}$/s.exec(text.trim());
  if (!inner)
    return { ok: false, message: 'A first filter is begun as { selector: "…" }; the text takes any other.' };
  const selector = JSON.parse(inner[1]!) as string;
  return setAt(
    topology,
    ['brokers', broker, 'subscriptions', name, 'filter'],
    { selector },
    { withParameters: true },
  );
}

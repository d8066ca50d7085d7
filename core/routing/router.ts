/** One exchange's bindings, arranged so that a message finds its own without trying all of them. */
import { admits } from '../conditions/evaluate.ts';
import type { Message } from '../conditions/message.ts';
import type { Predicate } from '../conditions/predicate.ts';
import { KeyTrie } from './key-trie.ts';
import type { Edge } from '../brokers/terms.ts';

type ExchangeType = 'direct' | 'fanout' | 'topic' | 'headers';

/** Gives the bindings that match a message, each once. */
export interface Router {
  readonly match: (message: Message) => readonly Edge[];
  readonly type: ExchangeType;
  readonly bindings: readonly Edge[];
}

const NONE: readonly Edge[] = [];

/** Builds the router of an exchange (AMQP 0-9-1 §3.1.3) from its bindings. */
export function exchangeRouter(type: ExchangeType, bindings: readonly Edge[]): Router {
  return { match: matcherOf(type, bindings), type, bindings };
}

function matcherOf(type: ExchangeType, all: readonly Edge[]): Router['match'] {
  const bindings = all.some(({ condition }) => condition.op === 'never')
    ? all.filter(({ condition }) => condition.op !== 'never')
    : all;
  switch (type) {
    case 'fanout':
      return () => bindings;
    case 'direct': {
      const byKey = groupBy(bindings, keyOf);
      return (message) => byKey.get(message.key) ?? NONE;
    }
    case 'topic': {
      const trie = new KeyTrie<number>();
      bindings.forEach((edge, i) => trie.add(keyOf(edge), i));
      // an MQTT filter may be narrower than its key: a leading wildcard leaves `$` topics out
      const narrower = bindings.some((edge) => edge.condition.op !== 'words');
      return (message) => {
        // in the order of the text, whatever the trie's
        const found = trie.match(message.key).sort((a, b) => a - b);
        const matched = found.map((i) => bindings[i]!);
        return narrower ? matched.filter((edge) => admits(edge.condition, message)) : matched;
      };
    }
    case 'headers':
      return headersRouter(bindings);
  }
}

function keyOf(edge: Edge): string {
  return edge.key ?? '';
}

function groupBy<T>(items: readonly T[], by: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const item of items) {
    const group = groups.get(by(item));
    if (group) group.push(item);
    else groups.set(by(item), [item]);
  }
  return groups;
}

/**
 * Headers bindings by one of the headers they need: an `all` by its first, an `any` by each. Only
 * bindings that share a header with the message are evaluated; those that need none always are.
 */
function headersRouter(bindings: readonly Edge[]): Router['match'] {
  const always: Edge[] = [];
  const byNeed = new Map<string, Edge[]>();
  const index = (need: string, edge: Edge) => {
    const edges = byNeed.get(need);
    if (edges) edges.push(edge);
    else byNeed.set(need, [edge]);
  };
  for (const edge of bindings) {
    const { condition } = edge;
    if (condition.op !== 'all' && condition.op !== 'any') always.push(edge);
    else if (condition.op === 'any') new Set(condition.of.map(needOf)).forEach((need) => index(need, edge));
    else if (condition.of.length === 0) always.push(edge);
    else {
      // equality divides better than presence
      const best = condition.of.find((part) => part.op === 'equals') ?? condition.of[0]!;
      index(needOf(best), edge);
    }
  }
  return (message) => {
    const found = new Set<Edge>();
    const consider = (edges: readonly Edge[] | undefined) => {
      for (const edge of edges ?? NONE)
        if (!found.has(edge) && admits(edge.condition, message)) found.add(edge);
    };
    consider(always);
    for (const [name, value] of Object.entries(message.headers)) {
      consider(byNeed.get(needId(name)));
      consider(byNeed.get(needId(name, value)));
    }
    return [...found];
  };
}

function needOf(part: Predicate): string {
  if (part.op === 'equals') return needId((part.of as { name: string }).name, part.value);
  return needId((part as { of: { name: string } }).of.name);
}

function needId(name: string, value?: unknown): string {
  return value === undefined ? `?${name}` : `=${name}\u0000${typeof value}\u0000${String(value)}`;
}

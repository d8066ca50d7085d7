/** What an AMQP 0-9-1 broker refuses of what can be declared, whatever it has already. */
import { formatDuration } from '../../base/values.ts';
import type { Place } from '../../syntax/place.ts';
import type { Refusal } from '../kind.ts';
import type { GraphNode } from '../terms.ts';
import type { AmqpQueueDecl, ExchangeDecl } from './declares.ts';

/** The longest time a queue's settings may name: ten years of 365 days, in milliseconds. */
const LONGEST_MS = 315_360_000_000;

/** Exchanges every broker has (AMQP 0-9-1 §3.1.3.1), which may be named as they are and no other way. */
const BUILT_IN: Readonly<Record<string, string>> = Object.assign(
  Object.create(null) as Record<string, string>,
  {
    'amq.direct': 'direct',
    'amq.fanout': 'fanout',
    'amq.topic': 'topic',
    'amq.headers': 'headers',
    'amq.match': 'headers',
  },
);

/** @returns why a queue or exchange would not be made, once for each reason */
export function refused(node: GraphNode): readonly Refusal[] {
  const { thing, place } = node;
  if (node.role === 'queue') return ofQueue(thing.name, place, node.decl as AmqpQueueDecl);
  return node.role === 'exchange' ? ofExchange(thing.name, place, node.decl) : [];
}

function ofQueue(name: string, key: Place, queue: AmqpQueueDecl): Refusal[] {
  const found: Refusal[] = [];
  const complain = (why: string, place: Place, without: readonly string[] = []) =>
    found.push({ why, place, without });
  const { maxDeliveries, maxPriority, durable, autoDelete, exclusive, ttl, expires, deadLetter, wireName } =
    queue;
  if (maxDeliveries) {
    const replicated = 'it is replicated, for `maxDeliveries` counts deliveries, and a replicated queue';
    if (maxPriority?.value)
      complain(`${replicated} orders by no priority`, maxPriority.place, ['maxPriority', 'maxDeliveries']);
    if (durable?.value === false)
      complain(`${replicated} is durable`, durable.place, ['durable', 'maxDeliveries']);
    if (autoDelete?.value)
      complain(`${replicated} cannot delete itself`, autoDelete.place, ['autoDelete', 'maxDeliveries']);
    if (exclusive?.value)
      complain(`${replicated} belongs to no one connection`, exclusive.place, ['exclusive', 'maxDeliveries']);
  }
  if (expires?.value === 0)
    complain('`expires` of nothing would remove it before anybody used it', expires.place, ['expires']);
  for (const [setting, time] of [
    ['ttl', ttl],
    ['expires', expires],
  ] as const)
    if (time && time.value > LONGEST_MS)
      complain(
        `\`${setting}\` is longer than ${formatDuration(LONGEST_MS)}, the longest time there may be`,
        time.place,
        [setting],
      );
  if (deadLetter?.key && !deadLetter.to)
    complain('`deadLetter` has a key and nowhere to send to', deadLetter.key.place);
  if ((wireName?.value ?? name).startsWith('amq.'))
    complain('names that begin with `amq.` are the broker’s own', wireName?.place ?? key);
  return found;
}

function ofExchange(name: string, key: Place, exchange: ExchangeDecl): Refusal[] {
  const { wireName, type, durable, autoDelete, internal, unroutedTo } = exchange;
  const wire = wireName?.value ?? name;
  if (!wire.startsWith('amq.')) return [];
  const place = wireName?.place ?? key;
  const builtIn = BUILT_IN[wire];
  if (builtIn === undefined) return [{ why: 'names that begin with `amq.` are the broker’s own', place }];
  const same =
    (type?.value ?? 'direct') === builtIn &&
    durable?.value !== false &&
    !autoDelete?.value &&
    !internal?.value &&
    !unroutedTo;
  if (same) return [];
  const why = `\`${wire}\` is there already, durable, of type ${builtIn} and nothing else, and cannot be made otherwise`;
  return [{ why, place }];
}

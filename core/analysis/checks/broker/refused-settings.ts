import { type Complaint, check } from '../check.ts';
import { formatDuration } from '../../../base/values.ts';
import type { AmqpQueueDecl, ExchangeDecl } from '../../../brokers/amqp/declares.ts';
import { removeAt } from '../../../syntax/edit/edit.ts';
import type { Place } from '../../../syntax/place.ts';
import type { Mend } from '../../../topology/topology.ts';

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

/** Settings a broker would not make a queue or exchange with, whatever it has already. */
export const refusedSettings = check({
  id: 'broker/refused-settings',
  severity: 'error',
  finds: 'A queue or exchange with settings that an AMQP 0-9-1 broker refuses, alone or together.',
  why: 'A rollout would fail at it; where it replaces what is there already, that would be gone and nothing in its place.',
  of: 'broker',
  run: ({ name: broker, decl }) => {
    if (decl.variant !== 'amqp') return [];
    return [
      ...[...(decl.queues?.values() ?? [])].flatMap(({ name, key, value }) =>
        ofQueue(broker, name, key, value),
      ),
      ...[...(decl.exchanges?.values() ?? [])].flatMap(({ name, key, value }) =>
        ofExchange(broker, name, key, value),
      ),
    ];
  },
});

function ofQueue(broker: string, name: string, key: Place, queue: AmqpQueueDecl): Complaint[] {
  const found: Complaint[] = [];
  const complain = (why: string, place: Place, mends: readonly Mend[] = []) =>
    found.push({
      message: `The broker refuses ${broker}/${name}: ${why}.`,
      place,
      about: `queue:${broker}/${name}`,
      mends,
    });
  const without = (setting: string): Mend => ({
    title: `Take \`${setting}\` out`,
    edit: (topology) => removeAt(topology, ['brokers', broker, 'queues', name, setting]),
  });
  const { maxDeliveries, maxPriority, durable, autoDelete, exclusive, ttl, expires, deadLetter, wireName } =
    queue;
  if (maxDeliveries) {
    const replicated = 'it is replicated, for `maxDeliveries` counts deliveries, and a replicated queue';
    if (maxPriority?.value)
      complain(`${replicated} orders by no priority`, maxPriority.place, [
        without('maxPriority'),
        without('maxDeliveries'),
      ]);
    if (durable?.value === false)
      complain(`${replicated} is durable`, durable.place, [without('durable'), without('maxDeliveries')]);
    if (autoDelete?.value)
      complain(`${replicated} cannot delete itself`, autoDelete.place, [
        without('autoDelete'),
        without('maxDeliveries'),
      ]);
    if (exclusive?.value)
      complain(`${replicated} belongs to no one connection`, exclusive.place, [
        without('exclusive'),
        without('maxDeliveries'),
      ]);
  }
  if (expires?.value === 0)
    complain('`expires` of nothing would remove it before anybody used it', expires.place, [
      without('expires'),
    ]);
  for (const [setting, time] of [
    ['ttl', ttl],
    ['expires', expires],
  ] as const)
    if (time && time.value > LONGEST_MS)
      complain(
        `\`${setting}\` is longer than ${formatDuration(LONGEST_MS)}, the longest time there may be`,
        time.place,
        [without(setting)],
      );
  if (deadLetter?.key && !deadLetter.to)
    complain('`deadLetter` has a key and nowhere to send to', deadLetter.key.place);
  if ((wireName?.value ?? name).startsWith('amq.'))
    complain('names that begin with `amq.` are the broker’s own', wireName?.place ?? key);
  return found;
}

function ofExchange(broker: string, name: string, key: Place, exchange: ExchangeDecl): Complaint[] {
  const { wireName, type, durable, autoDelete, internal, unroutedTo } = exchange;
  const wire = wireName?.value ?? name;
  if (!wire.startsWith('amq.')) return [];
  const about = `exchange:${broker}/${name}`;
  const place = wireName?.place ?? key;
  const builtIn = BUILT_IN[wire];
  if (builtIn === undefined)
    return [
      {
        message: `The broker refuses ${broker}/${name}: names that begin with \`amq.\` are the broker’s own.`,
        place,
        about,
      },
    ];
  const same =
    (type?.value ?? 'direct') === builtIn &&
    durable?.value !== false &&
    !autoDelete?.value &&
    !internal?.value &&
    !unroutedTo;
  if (same) return [];
  const message = `The broker refuses ${broker}/${name}: \`${wire}\` is there already, durable, of type ${builtIn} and nothing else, and cannot be made otherwise.`;
  return [{ message, place, about }];
}

/** What a broker has, as the topology language says it: the settings of one thing, and what the language cannot say of it. */
import { formatDuration } from '../../base/values.ts';
import type { Json } from '../../syntax/render.ts';
import type { HostedThing } from '../rollout/hosted.ts';
import type { Arguments, WireBinding, WireExchange, WireQueue } from '../rollout/wire.ts';

/** Settings of a thing by the keys of the language. */
export type Said = Readonly<Record<string, Json>>;

/** How things of a broker are named in documents; undefined for one that no document has. */
export interface NamesThere {
  readonly exchange: (wireName: string) => string | undefined;
  readonly queue: (wireName: string) => string | undefined;
  /** On a publish-subscribe broker. */
  readonly topic?: (wireName: string) => string | undefined;
}

/** Told what cannot be said, in a sentence. */
export type Note = (sentence: string) => void;

const TYPES = new Set(['direct', 'fanout', 'topic', 'headers']);

function noteOthers(note: Note, what: string, others: Readonly<Record<string, unknown>>): void {
  const names = Object.keys(others);
  if (names.length) note(`${what} has settings that the language cannot say: ${names.join(', ')}.`);
}

/** A policy's settings hold for whatever matches its pattern; no document states them. */
function notePolicy(note: Note, what: string, policy: Arguments = {}): void {
  const settings = Object.entries(policy).map(([name, value]) => `${name} = ${JSON.stringify(value)}`);
  if (settings.length)
    note(
      `A policy of the broker sets ${settings.join(', ')} on ${what}. The language cannot state policies: a trace does not know of it.`,
    );
}

/** @returns what is said of an exchange; undefined where it is of a kind that the language does not know */
export function exchangeSaid(
  { name, type, durable, autoDelete, internal, arguments: terms, policy }: WireExchange,
  names: NamesThere,
  note: Note,
): Said | undefined {
  if (!TYPES.has(type)) {
    note(
      `The exchange ${name} is of the type ${type}, which the language does not know; it is left out, with its bindings.`,
    );
    return undefined;
  }
  const { 'alternate-exchange': unrouted, ...others } = terms;
  noteOthers(note, `The exchange ${name}`, others);
  notePolicy(note, `the exchange ${name}`, policy);
  return {
    type,
    ...(durable ? {} : { durable: false }),
    ...(autoDelete ? { autoDelete: true } : {}),
    ...(internal ? { internal: true } : {}),
    ...leadingTo(names, note, 'unroutedTo', unrouted, `What no binding of ${name} matches`),
  };
}

function leadingTo(
  names: NamesThere,
  note: Note,
  key: string,
  exchange: Arguments[string] | undefined,
  what: string,
): Record<string, string> {
  if (exchange === undefined) return {};
  const found = names.exchange(String(exchange));
  if (found !== undefined) return { [key]: found };
  note(`${what} goes to the exchange ${String(exchange)}, which is not there.`);
  return {};
}

/** @returns what is said of a queue */
export function queueSaid(
  { name, durable, autoDelete, exclusive, arguments: terms, policy, kind: live }: WireQueue,
  names: NamesThere,
  note: Note,
): Said {
  const {
    'x-message-ttl': ttl,
    'x-expires': expires,
    'x-max-length': maxLength,
    'x-max-length-bytes': maxBytes,
    'x-overflow': overflow,
    'x-max-priority': maxPriority,
    'x-delivery-limit': maxDeliveries,
    'x-queue-type': kind,
    'x-dead-letter-exchange': dead,
    'x-dead-letter-routing-key': deadKey,
    ...others
  } = terms;
  const what = `The queue ${name}`;
  const of = kind ?? live ?? 'classic';
  if (of !== 'classic' && !(of === 'quorum' && maxDeliveries !== undefined))
    note(
      `${what} is of the kind ${String(of)}, which the language cannot state${of === 'quorum' ? ' without maxDeliveries' : ''}: rollouts leave the queue alone.`,
    );
  notePolicy(note, `the queue ${name}`, policy);
  const odd = overflow !== undefined && overflow !== 'reject-publish' && overflow !== 'drop-head';
  noteOthers(note, what, { ...others, ...(odd ? { 'x-overflow': overflow } : {}) });
  const time = (ms: Arguments[string]) => formatDuration(Number(ms));
  return {
    ...(durable ? {} : { durable: false }),
    ...(autoDelete ? { autoDelete: true } : {}),
    ...(exclusive ? { exclusive: true } : {}),
    ...(ttl === undefined ? {} : { ttl: time(ttl) }),
    ...(expires === undefined ? {} : { expires: time(expires) }),
    ...(maxLength === undefined ? {} : { maxLength }),
    ...(maxBytes === undefined ? {} : { maxBytes }),
    ...(overflow === 'reject-publish'
      ? { overflow: 'refuse-new' }
      : overflow === 'drop-head'
        ? { overflow: 'drop-oldest' }
        : {}),
    ...(maxPriority === undefined ? {} : { maxPriority }),
    ...(maxDeliveries === undefined ? {} : { maxDeliveries }),
    ...deadLetterSaid(name, names, note, dead, deadKey),
  };
}

function deadLetterSaid(
  queue: string,
  names: NamesThere,
  note: Note,
  exchange: Arguments[string] | undefined,
  key: Arguments[string] | undefined,
): Record<string, Json> {
  if (exchange === undefined) return {};
  if (exchange === '') {
    const to = names.queue(String(key ?? queue));
    // a queue is reached through the unnamed exchange, by its own name
    if (to !== undefined && key !== undefined) return { deadLetter: { to } };
    note(
      `Dead letters of ${queue} go to ${String(key ?? 'queues by the names of their keys')}, which is no queue that is there.`,
    );
    return {};
  }
  const { to } = leadingTo(names, note, 'to', exchange, `Dead letters of ${queue}`);
  return to === undefined ? {} : { deadLetter: { to, ...(key === undefined ? {} : { key: String(key) }) } };
}

/** @param type of the exchange it begins at. @returns what is said of a binding; undefined where an end of it is in no document */
export function bindingSaid(
  { source, destination, to, key, arguments: terms }: WireBinding,
  type: string | undefined,
  names: NamesThere,
  note: Note,
): Said | undefined {
  const from = names.exchange(source);
  const target = to === 'queue' ? names.queue(destination) : names.exchange(destination);
  if (from === undefined || target === undefined) return undefined;
  const { 'x-match': match = 'all', ...values } = terms;
  if (type !== 'headers') noteOthers(note, `The binding of ${destination} to ${source}`, terms);
  return {
    from,
    to: target,
    ...(key === '' ? {} : { key }),
    ...(type === 'headers' ? { headers: { match, values } } : {}),
  };
}

/** Settings in milliseconds, and what the language calls them. */
const TIMES: Readonly<Record<string, string>> = {
  dedupeMs: 'dedupe',
  leaseMs: 'lease',
  ttlMs: 'ttl',
  delayMs: 'delay',
};

/** @returns what is said of a topic, queue or subscription of a publish-subscribe broker; undefined where what it leads to is in no document */
export function hostedSaid(
  { kind, name, settings }: HostedThing,
  names: NamesThere,
  note: Note,
): Said | undefined {
  const said: Record<string, Json> = {};
  for (const [key, value] of Object.entries(settings)) {
    if (value === undefined) continue;
    if (TIMES[key]) said[TIMES[key]] = formatDuration(Number(value));
    else if (key === 'topic' || key === 'to') {
      const found = key === 'topic' ? names.topic?.(String(value)) : names.queue(String(value));
      if (found === undefined) {
        note(`The ${kind} ${name} leads to ${String(value)}, which is not there.`);
        return undefined;
      }
      said[key] = found;
    } else if (key === 'deadLetter') {
      const to = String((value as { to?: unknown }).to);
      const found = names.queue(to) ?? names.topic?.(to);
      if (found === undefined) note(`Dead letters of ${name} go to ${to}, which is not there.`);
      else said['deadLetter'] = { to: found };
    } else said[key] = value;
  }
  return said;
}

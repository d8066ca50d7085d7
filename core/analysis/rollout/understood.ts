/**
 * What a rollout may touch of a broker that others built. A queue with an argument, of a kind or under a policy that the
 * language cannot state may lose more than its settings when it is made anew: a stream its history, a single active
 * consumer its order. So it is left alone, and named with the reason. Nor is a thing ever replaced because of a setting
 * that no document states: only a setting that the documents state, or stated when they made the thing, is one to change.
 */
import { listed } from '../../base/phrase.ts';
import { type Arguments, type Wanted, type WireExchange, type WireQueue, differs } from './wire.ts';

const isCount = (value: unknown): boolean => Number.isSafeInteger(value) && (value as number) >= 0;
const isText = (value: unknown): boolean => typeof value === 'string';

/** Queue arguments that the language can state: what they are called in a policy, and which values they may have. */
const QUEUE_ARGUMENTS: Readonly<Record<string, readonly [policy: string, (value: unknown) => boolean]>> = {
  'x-message-ttl': ['message-ttl', isCount],
  'x-expires': ['expires', isCount],
  'x-max-length': ['max-length', isCount],
  'x-max-length-bytes': ['max-length-bytes', isCount],
  'x-overflow': ['overflow', (value) => value === 'drop-head' || value === 'reject-publish'],
  'x-max-priority': ['max-priority', isCount],
  'x-delivery-limit': ['delivery-limit', isCount],
  'x-dead-letter-exchange': ['dead-letter-exchange', isText],
  'x-dead-letter-routing-key': ['dead-letter-routing-key', isText],
};
const QUEUE_POLICIES: ReadonlySet<string> = new Set(Object.values(QUEUE_ARGUMENTS).map(([name]) => name));
const EXCHANGE_TYPES: ReadonlySet<string> = new Set(['direct', 'fanout', 'topic', 'headers']);
const ALTERNATE = 'alternate-exchange';

const settingsText = (terms: Arguments, names: readonly string[]): string =>
  listed(names.map((name) => `${name} = ${JSON.stringify(terms[name])}`));

/** @returns what is not understood of a queue that is there, in words; '' where all of it is */
export function strangeInQueue({ arguments: terms, policy = {}, kind, exclusive }: WireQueue): string {
  const parts: string[] = [];
  const type = terms['x-queue-type'] ?? kind ?? 'classic';
  // the language states a quorum queue by its delivery limit, and no other kind than that and classic
  if (type !== 'classic' && !(type === 'quorum' && terms['x-delivery-limit'] !== undefined))
    parts.push(`it is of the kind ${String(type)}`);
  if (exclusive) parts.push('it belongs to a connection');
  const names = Object.keys(terms).filter(
    (name) =>
      name !== 'x-queue-type' &&
      (!Object.hasOwn(QUEUE_ARGUMENTS, name) ||
        !QUEUE_ARGUMENTS[name]![1](terms[name]) ||
        // the language states a delivery limit of quorum queues alone
        (name === 'x-delivery-limit' && type !== 'quorum')),
  );
  if (names.length) parts.push(`it has ${settingsText(terms, names)}`);
  const byPolicy = Object.keys(policy).filter((name) => !QUEUE_POLICIES.has(name));
  if (byPolicy.length) parts.push(`a policy sets ${settingsText(policy, byPolicy)}`);
  return parts.join('; ');
}

/** @returns what is not understood of an exchange that is there, in words; '' where all of it is */
export function strangeInExchange({ type, arguments: terms, policy = {} }: WireExchange): string {
  const parts: string[] = [];
  if (!EXCHANGE_TYPES.has(type)) parts.push(`it is of the type ${type}`);
  const names = Object.keys(terms).filter((name) => name !== ALTERNATE);
  if (names.length) parts.push(`it has ${settingsText(terms, names)}`);
  const byPolicy = Object.keys(policy).filter((name) => name !== ALTERNATE);
  if (byPolicy.length) parts.push(`a policy sets ${settingsText(policy, byPolicy)}`);
  return parts.join('; ');
}

/** How a thing that is there differs from what is wanted. */
export interface Difference {
  /** What the documents ask for, in words; '' where nothing of it differs. */
  readonly asked: string;
  /** What is there and no document states, in words; '' where there is nothing. */
  readonly unstated: string;
}

/**
 * @param made the same thing as earlier revisions made it, if they did
 * @returns how a thing differs in what documents state, and in what none does
 */
export function difference<T extends WireExchange | WireQueue>(
  wanted: Wanted<T>,
  there: T,
  made: readonly T[],
): Difference {
  const stated = (name: string) =>
    name in wanted.arguments || made.some(({ arguments: terms }) => name in terms);
  const names = Object.keys(there.arguments).filter(
    (name) => !stated(name) && !(name === 'x-queue-type' && there.arguments[name] === 'classic'),
  );
  const known = new Set(names);
  const terms = Object.entries(there.arguments).filter(([name]) => !known.has(name));
  const ours = made.length > 0;
  const as = <K extends keyof T>(key: K) =>
    ours || !(wanted.byDefault ?? []).includes(key as string) ? {} : { [key]: wanted[key] };
  // what a document leaves to its default is no wish, unless it was made by that default
  const seen = {
    ...there,
    arguments: Object.fromEntries(terms),
    ...as('durable'),
    ...as('autoDelete'),
    ...('type' in wanted ? { ...as('type' as keyof T), ...as('internal' as keyof T) } : {}),
  } as T;
  const flags = (['type', 'durable', 'autoDelete', 'internal'] as (keyof T)[])
    .filter((key) => key in there && seen[key] !== there[key])
    .map((key) => `${String(key)} = ${String(there[key])}`);
  return {
    asked: differs(wanted, seen),
    unstated: listed([...flags, ...(names.length ? [settingsText(there.arguments, names)] : [])]),
  };
}

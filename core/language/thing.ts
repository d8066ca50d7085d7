/** Thing ids: how everything in a topology is named. */

/** What a thing is. */
export type ThingKind =
  | 'app'
  | 'tenant'
  | 'message'
  | 'broker'
  | 'exchange'
  | 'queue'
  | 'topic'
  | 'subscription'
  | 'alias'
  | 'link'
  | 'spread';

/** The id of a thing, unique in a topology: `queue:mainland/boards`, `app:archive`, `spread:manifest-work`. */
export type ThingId = string & { readonly __thing: true };

export interface Thing {
  readonly id: ThingId;
  readonly kind: ThingKind;
  /** The broker it is on; empty for what is on none. */
  readonly broker: string;
  readonly name: string;
}

export function thing(kind: ThingKind, name: string, broker = ''): Thing {
  return { id: `${kind}:${broker ? `${broker}/` : ''}${name}` as ThingId, kind, broker, name };
}

/** @returns how a person writes a thing: `mainland/boards`, or `app:archive` for what is on no broker. */
export function addressOf(of: Thing): string {
  if (of.broker) return `${of.broker}/${of.name}`;
  return of.kind === 'broker' ? of.name : of.id;
}

/** What can be published to. */
export const ENTRIES: readonly ThingKind[] = ['exchange', 'topic', 'queue', 'alias', 'spread'];
/** What can be taken from. */
export const STORES: readonly ThingKind[] = ['queue', 'subscription'];
/** What the other places of the language may name; shared, so that look-ups can be remembered by them. */
export const EXCHANGES: readonly ThingKind[] = ['exchange'];
export const QUEUES: readonly ThingKind[] = ['queue'];
export const TOPICS: readonly ThingKind[] = ['topic'];
export const BINDABLE: readonly ThingKind[] = ['queue', 'exchange'];
export const HOSTED_ENTRIES: readonly ThingKind[] = ['topic', 'queue'];

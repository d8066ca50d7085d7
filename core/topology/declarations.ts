/** Where everything that has a name is declared. */
import { kindOf } from '../brokers/kinds.ts';
import { isMap } from '../incremental/layered.ts';
import type { Items } from '../language/shape.ts';
import { type Thing, thing } from '../language/thing.ts';
import type { Place } from '../syntax/place.ts';
import type { Topology } from './topology.ts';

/** @returns where a thing is declared, from the root of a document. */
export function pathOf(of: Thing): string[] {
  const sections: Record<Thing['kind'], string> = {
    app: 'apps',
    tenant: 'tenants',
    message: 'messages',
    broker: 'brokers',
    exchange: 'exchanges',
    queue: 'queues',
    topic: 'topics',
    subscription: 'subscriptions',
    alias: 'aliases',
    link: 'links',
    spread: 'spreads',
  };
  return of.broker ? ['brokers', of.broker, sections[of.kind], of.name] : [sections[of.kind], of.name];
}

/** @returns where a thing is declared; undefined for what no document declares. */
export function declarationOf({ declared }: Topology, of: Thing): Place | undefined {
  let at: unknown = declared;
  let found: Place | undefined;
  for (const key of pathOf(of)) {
    // sections are fields of what is declared; what they hold, by name, are items
    const item = isMap(at) ? (at as Items<object>).get(key) : undefined;
    at = item ? item.value : (at as Record<string, unknown>)[key];
    found = item?.key;
    if (at === undefined) return undefined;
  }
  return found;
}

/** @returns everything that is declared by name, in order, with the place of its name. */
export function* declarationsIn({
  declared,
}: Topology): Generator<{ readonly of: Thing; readonly place: Place }> {
  const all = function* (kind: Thing['kind'], items: Items<unknown> | undefined, broker = '') {
    for (const { name, key } of items?.values() ?? []) yield { of: thing(kind, name, broker), place: key };
  };
  yield* all('tenant', declared.tenants);
  yield* all('message', declared.messages);
  yield* all('app', declared.apps);
  yield* all('broker', declared.brokers);
  for (const { name, value } of declared.brokers?.values() ?? []) {
    for (const [kind, items] of kindOf(value).resources(value)) yield* all(kind, items, name);
  }
  yield* all('link', declared.links);
  yield* all('spread', declared.spreads);
}

/** Names in the text: which thing one stands for, where that is declared, and where else it is named. */
import { thing, type Thing } from '../model/address.ts';
import type { Place, Val } from '../model/place.ts';
import { isMap } from '../model/layered.ts';
import { pathOf } from './edit.ts';
import type { AmqpQueueDecl, AppDecl, BindingDecl, MessageTypeDecl, SubscriptionDecl } from './language.ts';
import type { Topology } from './read.ts';
import type { Items } from './shape.ts';
import { meantBy, namingsIn, usesIn } from './uses.ts';

/** A name in the text and what it stands for. */
export interface Symbol {
  readonly thing: Thing;
  readonly place: Place;
  /** Whether this is the declaration itself. */
  readonly declares: boolean;
}

/** @returns the name an offset of a document stands in or at the end of, if it names one thing. */
export function symbolAt(topology: Topology, doc: string, offset: number): Symbol | undefined {
  const here = (place: Place) => place.doc === doc && place.start <= offset && offset <= place.end;
  for (const { of, place } of declarationsIn(topology))
    if (here(place)) return { thing: of, place, declares: true };
  for (const use of usesIn(topology.declared)) {
    if (!here(use.value.place)) continue;
    const meant = meantBy(topology.declared, use);
    if (meant) return { thing: meant, place: use.value.place, declares: false };
  }
  return undefined;
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

/** @returns every place that names a thing, its declaration not among them. */
export function usesOf(topology: Topology, { id, name }: Pick<Thing, 'id' | 'name'>): Place[] {
  const found: Place[] = [];
  // whatever names it ends in its name; looking up what is meant costs far more than asking that first
  const names = (value: Val<string> | undefined) => value?.value.endsWith(name) === true;
  const elsewhere = (owner: object) => {
    const decl = owner as Partial<BindingDecl & AmqpQueueDecl & AppDecl & MessageTypeDecl & SubscriptionDecl>;
    const { from, to } = decl;
    if (from && to) return !names(from) && !names(to);
    const { home, tenant, publishes, consumes, extends: parents, topic } = decl;
    if (home || tenant || publishes || consumes || parents || topic) return false;
    return !names(decl.deadLetter?.to) && !names(decl.perInstanceOf);
  };
  for (const { uses } of namingsIn(topology.declared, { has: elsewhere })) {
    for (const use of uses)
      if (names(use.value) && meantBy(topology.declared, use)?.id === id) found.push(use.value.place);
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
    if (value.variant === 'amqp') yield* all('exchange', value.exchanges, name);
    else {
      yield* all('topic', value.topics, name);
      yield* all('subscription', value.subscriptions, name);
    }
    yield* all('queue', value.queues, name);
    yield* all('alias', value.aliases, name);
  }
  yield* all('link', declared.links);
  yield* all('spread', declared.spreads);
}

/** What somebody who carries links has to know of each: where it takes from, what it lets through, where it leads. */
import { asAmqp, asHosted } from '../../brokers/kinds.ts';
import { wordsOf } from '../../conditions/words.ts';
import { ENTRIES, type Thing, type ThingKind, thing } from '../../language/thing.ts';
import { lookUp } from '../../topology/address.ts';
import { tenantOf } from '../../topology/owner.ts';
import type { Topology } from '../../topology/topology.ts';

/**
 * Somewhere a link may publish: on a broker, to an exchange with the message's key, or to a queue by its name; on a
 * publish-subscribe broker, to a topic or queue.
 */
export interface LinkEnd {
  readonly broker: string;
  readonly exchange: string;
  /** The key of what goes to a queue: its name. */
  readonly queue?: string;
  /** On a publish-subscribe broker: the topic or queue. */
  readonly entry?: string;
}

/** A link as it is carried. */
export interface CarriedLink {
  readonly name: string;
  /** Whose it is, where somebody's. */
  readonly tenant?: string;
  /** The queue it takes from; on a publish-subscribe broker, the queue or subscription. */
  readonly from: { readonly broker: string; readonly queue: string };
  readonly to: LinkEnd;
  /** Patterns of which a key must match one; undefined where all travel. */
  readonly keys?: readonly (readonly string[])[];
  /** Messages on their way at once, at most. */
  readonly batch: number;
  /** Where what remote aliases send over it goes, by the address that such a message is marked with. */
  readonly aliases: Readonly<Record<string, LinkEnd>>;
}

const STORES: readonly ThingKind[] = ['queue', 'subscription'];

/** @returns the links to carry, and those that cannot be, with the reason */
export function linksToCarry(topology: Topology): {
  carried: CarriedLink[];
  left: { name: string; why: string }[];
} {
  const carried: CarriedLink[] = [];
  const left: { name: string; why: string }[] = [];
  const { declared, names } = topology;
  const amqp = (broker: string) => asAmqp(declared.brokers?.get(broker)?.value);
  const end = (of: Thing): LinkEnd | undefined => {
    const decl = amqp(of.broker);
    if (of.kind === 'exchange') {
      const exchange = decl?.exchanges?.get(of.name)?.value;
      return exchange && { broker: of.broker, exchange: exchange.wireName?.value ?? of.name };
    }
    const hosted = asHosted(declared.brokers?.get(of.broker)?.value);
    if (hosted) {
      const items = of.kind === 'topic' ? hosted.topics : hosted.queues;
      const entry = items?.get(of.name)?.value;
      return entry && { broker: of.broker, exchange: '', entry: entry.wireName?.value ?? of.name };
    }
    const queue = of.kind === 'queue' ? decl?.queues?.get(of.name)?.value : undefined;
    if (!queue || queue.exclusive?.value || queue.perInstanceOf) return undefined;
    return { broker: of.broker, exchange: '', queue: queue.wireName?.value ?? of.name };
  };
  /** What can be taken from: a queue, or a subscription that keeps what it gets. */
  const storeOf = (of: Thing): { broker: string; queue: string; hosted: boolean } | undefined => {
    const hosted = asHosted(declared.brokers?.get(of.broker)?.value);
    if (!hosted) {
      const { queue } = end(of) ?? {};
      return queue === undefined ? undefined : { broker: of.broker, queue, hosted: false };
    }
    if (of.kind === 'subscription' && hosted.subscriptions?.get(of.name)?.value.to) return undefined;
    const items = of.kind === 'queue' ? hosted.queues : hosted.subscriptions;
    const store = items?.get(of.name)?.value;
    return store && { broker: of.broker, queue: store.wireName?.value ?? of.name, hosted: true };
  };
  /** Aliases are seen through, on their own broker. */
  const named = (address: string, from?: string): Thing | undefined => {
    let found = lookUp(names, address, ENTRIES, from);
    for (let hops = 0; found.ok && found.thing.kind === 'alias' && hops < 64; hops++) {
      const alias = declared.brokers?.get(found.thing.broker)?.value.aliases?.get(found.thing.name)?.value;
      if (!alias?.to || alias.over) return undefined;
      found = lookUp(names, alias.to.value, ENTRIES, found.thing.broker);
    }
    return found.ok ? found.thing : undefined;
  };
  for (const { name, value } of declared.links?.values() ?? []) {
    const not = (why: string) => left.push({ name, why });
    if (value.active?.value === false) {
      not('it is not active');
      continue;
    }
    if (value.unread?.length) {
      not('it could not be read whole');
      continue;
    }
    const taken = value.from && lookUp(names, value.from.value, STORES);
    const from = taken?.ok ? storeOf(taken.thing) : undefined;
    const target = value.to && named(value.to.value);
    const to = target && end(target);
    if (!from || !to) {
      not(
        'what is carried lies in one store, and leads to an exchange, a topic or a queue that is always there',
      );
      continue;
    }
    if (from.hosted && value.keys) {
      not('its keys choose by a key, and the messages of a publish-subscribe broker have none');
      continue;
    }
    const tenant = tenantOf(topology, thing('link', name));
    const aliases: Record<string, LinkEnd> = {};
    for (const { value: broker } of declared.brokers?.values() ?? [])
      for (const alias of broker.aliases?.values() ?? []) {
        if (alias.value.over?.value !== name || !alias.value.to) continue;
        const there = named(alias.value.to.value);
        const where = there && end(there);
        if (where) aliases[alias.value.to.value] = where;
      }
    carried.push({
      name,
      ...(tenant === undefined ? {} : { tenant }),
      from: { broker: from.broker, queue: from.queue },
      to,
      ...(value.keys ? { keys: value.keys.items.map((each) => wordsOf(each.value)) } : {}),
      batch: value.batch?.value ?? 1,
      aliases,
    });
  }
  return { carried, left };
}

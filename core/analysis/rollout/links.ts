/** What somebody who carries links has to know of each: where it takes from, what it lets through, where it leads. */
import { asAmqp } from '../../brokers/kinds.ts';
import { wordsOf } from '../../conditions/words.ts';
import { ENTRIES, QUEUES, type Thing } from '../../language/thing.ts';
import { lookUp } from '../../topology/address.ts';
import type { Topology } from '../../topology/topology.ts';

/** Somewhere a link may publish: on a broker, to an exchange with the message's key, or to a queue by its name. */
export interface LinkEnd {
  readonly broker: string;
  readonly exchange: string;
  /** The key of what goes to a queue: its name. */
  readonly queue?: string;
}

/** A link as it is carried. */
export interface CarriedLink {
  readonly name: string;
  readonly from: { readonly broker: string; readonly queue: string };
  readonly to: LinkEnd;
  /** Patterns of which a key must match one; undefined where all travel. */
  readonly keys?: readonly (readonly string[])[];
  /** Messages on their way at once, at most. */
  readonly batch: number;
  /** Where what remote aliases send over it goes, by the address that such a message is marked with. */
  readonly aliases: Readonly<Record<string, LinkEnd>>;
}

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
    const queue = of.kind === 'queue' ? decl?.queues?.get(of.name)?.value : undefined;
    if (!queue || queue.exclusive?.value || queue.perInstanceOf) return undefined;
    return { broker: of.broker, exchange: '', queue: queue.wireName?.value ?? of.name };
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
    const taken = value.from && lookUp(names, value.from.value, QUEUES);
    const from = taken?.ok ? end(taken.thing) : undefined;
    const target = value.to && named(value.to.value);
    const to = target && end(target);
    if (!from?.queue || !to) {
      not('only queues and exchanges of AMQP 0-9-1 brokers are carried between yet');
      continue;
    }
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
      from: { broker: from.broker, queue: from.queue },
      to,
      ...(value.keys ? { keys: value.keys.items.map((each) => wordsOf(each.value)) } : {}),
      batch: value.batch?.value ?? 1,
      aliases,
    });
  }
  return { carried, left };
}

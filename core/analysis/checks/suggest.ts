/** What mends propose: entries that a type is published to, keys that would match it, places siblings use. */
import { kindOf } from '../../brokers/kinds.ts';
import { ENTRIES, type Thing } from '../../language/thing.ts';
import { lookUp } from '../../topology/address.ts';
import type { Topology } from '../../topology/topology.ts';

/** @returns the exchanges and topics of a broker that a message type is published to, aliases followed */
export function entriesFor(topology: Topology, broker: string, type: string): Thing[] {
  const found = new Map<string, Thing>();
  for (const { value } of topology.declared.apps?.values() ?? []) {
    for (const { message, to } of value.publishes?.items ?? []) {
      if (message?.value !== type || !to) continue;
      let entry = lookUp(topology.names, to.value, ENTRIES);
      for (let hops = 0; entry.ok && entry.thing.kind === 'alias' && hops < 50; hops++) {
        const { broker: home, name } = entry.thing;
        const alias = topology.declared.brokers?.get(home)?.value.aliases?.get(name)?.value;
        entry = lookUp(topology.names, alias?.to?.value ?? '', ENTRIES, home);
      }
      const thing = entry.ok ? entry.thing : undefined;
      if (thing?.broker === broker && (thing.kind === 'exchange' || thing.kind === 'topic'))
        found.set(thing.id, thing);
    }
  }
  return [...found.values()];
}

/** @returns how a binding of an exchange is written that matches every message of a type, and few others */
export function patternOf(
  topology: Topology,
  exchange: Thing,
  type: string,
): Record<string, string | Record<string, string | object>> {
  const broker = topology.declared.brokers?.get(exchange.broker)?.value;
  const kind = broker && kindOf(broker).typeOf(broker, exchange.name);
  if (kind === 'fanout') return {};
  if (kind === 'headers') return { headers: { match: 'all', values: {} } };
  const key = topology.messages.get(type)?.key?.value ?? '';
  return { key: kind === 'topic' ? patternOfTemplate(key) : key };
}

/** @returns the topic pattern of a key template: `sailing.{route}.late` → `sailing.*.late` */
export function patternOfTemplate(template: string): string {
  return template
    .split(/\.(?![^{]*\})/)
    .map((word) => (/\{[^{}]*\.\.\.\}/.test(word) ? '#' : word.includes('{') ? '*' : word))
    .join('.');
}

/** @returns what most of a broker's things name at a setting, itself left out; undefined where none does */
export function usualAmong(values: Iterable<string | undefined>): string | undefined {
  const counts = new Map<string, number>();
  for (const value of values) if (value !== undefined) counts.set(value, (counts.get(value) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0];
}

/** @returns where most queues and subscriptions of a broker send their dead letters */
export function usualDeadLetter(topology: Topology, broker: string, but: string): string | undefined {
  const decl = topology.declared.brokers?.get(broker)?.value;
  const resources = decl ? kindOf(decl).resources(decl) : [];
  return usualAmong(
    resources
      .flatMap(([, items]) => [...(items?.values() ?? [])])
      .filter(({ name }) => name !== but)
      .map(({ value }) => value.deadLetter?.to?.value)
      .filter((to) => to !== but),
  );
}

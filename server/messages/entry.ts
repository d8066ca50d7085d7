/** Where a message enters a broker, in that broker's own terms. */
import { linksToCarry } from '@vondle/core/analysis';
import type { Message } from '@vondle/core/conditions';
import type { RoutingGraph } from '@vondle/core/routing';
import { ENTRIES, lookUp } from '@vondle/core/topology';
import { asAmqp, asHosted } from '@vondle/core/brokers';
import { Problem } from '../http/problem.ts';

/** Where a message is sent, on the wire. */
export type Entry =
  | { readonly kind: 'amqp'; readonly exchange: string; readonly key: string; readonly mark?: string }
  | { readonly kind: 'mqtt'; readonly topic: string }
  | { readonly kind: 'hosted'; readonly entry: string; readonly as: string; readonly tenant: string };

/** What is sent, by whom: an app, and which of its ways to publish. */
export interface SentBy {
  readonly app: string;
  /** The entry, as the topology writes it; the broker, by MQTT. */
  readonly to: string;
  readonly via?: 'amqp' | 'mqtt' | undefined;
}

/**
 * @param to an entry, as the topology writes it
 * @returns what it stands for: itself; of a spread each of its members, in their order; nothing where there is none
 */
export function membersOf(graph: RoutingGraph, to: string): string[] {
  const found = lookUp(graph.topology.names, to, ENTRIES);
  if (!found.ok) return [];
  if (found.thing.kind !== 'spread') return [to];
  const { members } = graph.topology.declared.spreads?.get(found.thing.name)?.value ?? {};
  return (members?.items ?? []).map(({ value }) => value);
}

/** @returns the exchange that MQTT publishes enter, by its name on the wire */
export function mqttExchange(graph: RoutingGraph, broker: string): string {
  const decl = asAmqp(graph.topology.declared.brokers?.get(broker)?.value);
  const named = decl?.mqtt?.exchange?.value ?? '';
  const found = lookUp(graph.topology.names, named, ['exchange'], broker);
  return found.ok
    ? (decl?.exchanges?.get(found.thing.name)?.value.wireName?.value ?? found.thing.name)
    : named;
}

/**
 * @returns how a message is sent to an entry, on the wire of the broker that has it
 * @throws Problem where that is not this broker, or nothing can be published there
 */
export function entryOf(
  graph: RoutingGraph,
  { to, via, app }: SentBy,
  broker: string,
  message: Message,
): Entry {
  const { declared, names } = graph.topology;
  const elsewhere = () =>
    new Problem(
      409,
      'Not on this broker',
      `That is not an entry of ${broker}; choose a message that enters there.`,
    );
  const decl = declared.brokers?.get(broker)?.value;
  if (via === 'mqtt') {
    if (to !== broker) throw elsewhere();
    return { kind: 'mqtt', topic: message.key.replaceAll('.', '/') };
  }
  let found = lookUp(names, to, ENTRIES);
  for (let hops = 0; found.ok && found.thing.kind === 'alias' && hops < 50; hops++) {
    const { broker: at, name } = found.thing;
    const alias = declared.brokers?.get(at)?.value.aliases?.get(name)?.value;
    const link =
      alias?.over && linksToCarry(graph.topology).carried.find((each) => each.name === alias.over!.value);
    // what a remote alias sends travels in the queue of its link, marked with where it goes
    if (link && link.from.broker === broker && alias.to)
      return { kind: 'amqp', exchange: '', key: link.from.queue, mark: alias.to.value };
    found = lookUp(names, alias?.to?.value ?? '', ENTRIES, at);
  }
  if (!found.ok || found.thing.broker !== broker) throw elsewhere();
  const { kind, name } = found.thing;
  const hosted = asHosted(decl);
  if (hosted) {
    const items = kind === 'topic' ? hosted.topics : hosted.queues;
    const tenant = declared.apps?.get(app)?.value.tenant?.value ?? declared.tenant?.value ?? '';
    return {
      kind: 'hosted',
      entry: items?.get(name)?.value.wireName?.value ?? name,
      as: `app:${app}`,
      tenant,
    };
  }
  const amqp = asAmqp(decl);
  if (!amqp) throw elsewhere();
  if (kind === 'exchange') {
    const exchange = amqp.exchanges?.get(name)?.value;
    if (exchange?.internal?.value)
      throw new Problem(409, 'Cannot be sent to', `${name} is internal: no publisher may send to it.`);
    return { kind: 'amqp', exchange: exchange?.wireName?.value ?? name, key: message.key };
  }
  const queue = amqp.queues?.get(name)?.value;
  if (queue?.exclusive?.value || queue?.perInstanceOf)
    throw new Problem(
      409,
      'Cannot be sent to',
      `${name} belongs to the connections of its app; nothing can be published to it from here.`,
    );
  return { kind: 'amqp', exchange: '', key: queue?.wireName?.value ?? name };
}

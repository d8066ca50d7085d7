/** What a topology declares, as lists: the outline, and the message types with their samples. */
import { samplesOf, type Items, type RoutingGraph, type Severity } from '@vondle/core';
import type { MessageView, OutlineGroup, PublishView } from './views.ts';

/** Everything by broker and kind. */
export function outlineOf(graph: RoutingGraph, worst: ReadonlyMap<string, Severity>): OutlineGroup[] {
  const { declared } = graph.topology;
  const groups: OutlineGroup[] = [];
  const add = (
    title: string,
    kinds: readonly (readonly [string, Items<unknown> | undefined])[],
    broker = '',
  ) => {
    const items = kinds.flatMap(([kind, map]) =>
      [...(map?.keys() ?? [])].map((name) => {
        const id = `${kind}:${broker ? `${broker}/` : ''}${name}`;
        const found = worst.get(id);
        return { id, name, kind, ...(found ? { worst: found } : {}) };
      }),
    );
    if (items.length) groups.push({ title, items });
  };
  for (const [broker, { value }] of declared.brokers ?? []) {
    const inner =
      value.variant === 'amqp'
        ? ([['exchange', value.exchanges]] as const)
        : ([
            ['topic', value.topics],
            ['subscription', value.subscriptions],
          ] as const);
    add(broker, [...inner, ['queue', value.queues], ['alias', value.aliases]], broker);
  }
  add('links', [['link', declared.links]]);
  add('spreads', [['spread', declared.spreads]]);
  add('messages', [['message', declared.messages]]);
  add('apps', [['app', declared.apps]]);
  add('tenants', [['tenant', declared.tenants]]);
  return groups;
}

/** The message types with their samples, and who publishes each where. */
export function messagesOf({ topology }: RoutingGraph): MessageView[] {
  const publishes = new Map<string, PublishView[]>();
  for (const { name: app, value } of topology.declared.apps?.values() ?? []) {
    for (const { message, to, via } of value.publishes?.items ?? []) {
      const list = publishes.get(message?.value ?? '') ?? [];
      list.push({ app, to: to?.value ?? '', via: via?.value ?? '' });
      publishes.set(message?.value ?? '', list);
    }
  }
  return [...topology.messages.values()].map((type) => ({
    id: type.id,
    key: type.key?.value ?? '',
    labels: [...type.labels],
    samples: samplesOf(type),
    publishes: publishes.get(type.id) ?? [],
  }));
}

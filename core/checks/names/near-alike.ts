import type { Place } from '../../model/place.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { check, type Complaint } from '../check.ts';

/** Names that differ only by case or separator. */
export const nearAlike = check({
  id: 'names/near-alike',
  severity: 'advice',
  finds: 'Names that differ from each other only by case or separator.',
  why: 'Sooner or later somebody means the one and writes the other, and both are there, so nothing complains.',
  of: 'whole',
  run: (graph) =>
    [...groupsOf(graph)].flatMap(([where, names]) => {
      const first = new Map<string, Named>();
      return names.flatMap((each): Complaint[] => {
        const plain = each.name.toLowerCase().replace(/[\s._/-]/g, '');
        const before = first.get(plain);
        if (!before) first.set(plain, each);
        if (!before || before.name === each.name) return [];
        return [
          {
            message: `\`${each.name}\` and \`${before.name}\` ${where} differ only by case or separator.`,
            place: each.place,
            about: each.id,
            also: [before.id],
            related: [{ place: before.place, message: `\`${before.name}\`` }],
          },
        ];
      });
    }),
});

interface Named {
  readonly name: string;
  readonly place: Place;
  readonly id: string;
}

function* groupsOf({ topology }: RoutingGraph): Generator<readonly [string, Named[]]> {
  const { declared, messages } = topology;
  type Items = ReadonlyMap<string, { readonly name: string; readonly key: Place }> | undefined;
  const named = (kind: string, items: Items, broker = ''): Named[] =>
    [...(items?.values() ?? [])].map(({ name, key }) => ({
      name,
      place: key,
      id: `${kind}:${broker}${name}`,
    }));
  yield ['among the apps', named('app', declared.apps)];
  yield ['among the message types', named('message', declared.messages)];
  for (const [id, { value }] of declared.brokers ?? []) {
    const on = `${id}/`;
    const entries =
      value.variant === 'amqp'
        ? named('exchange', value.exchanges, on)
        : [...named('topic', value.topics, on), ...named('subscription', value.subscriptions, on)];
    yield [
      `on ${id}`,
      [...entries, ...named('queue', value.queues, on), ...named('alias', value.aliases, on)],
    ];
  }
  const attributes = new Map<string, Named>();
  for (const type of messages.values())
    for (const [name, { place, declaredBy }] of [...type.headers, ...type.properties])
      if (!attributes.has(name)) attributes.set(name, { name, place, id: `message:${declaredBy}` });
  yield ['among the headers and properties', [...attributes.values()]];
}

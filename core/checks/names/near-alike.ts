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
    [...groupsOf(graph)].flatMap(([where, lists]) => {
      const first = new Map<string, Named>();
      const found: Complaint[] = [];
      for (const { kind, items } of lists) {
        for (const { name, key } of items?.values() ?? []) {
          const each = { name, key, kind };
          const sign = plainly(name);
          const before = first.get(sign);
          if (!before) first.set(sign, each);
          else if (before.name !== name)
            found.push({
              message: `\`${name}\` and \`${before.name}\` ${where} differ only by case or separator.`,
              place: key,
              about: `${kind}${name}`,
              also: [`${before.kind}${before.name}`],
              related: [{ place: before.key, message: `\`${before.name}\`` }],
            });
        }
      }
      return found;
    }),
});

/** What was worked out once of a name: there are many, and they are asked for at every change. */
const plain = new Map<string, string>();

/** What parts the words of a name; between two digits it parts two numbers, and means something. */
const SEPARATOR = /(?<!\d)[\s._/-]|[\s._/-](?!\d)/g;

function plainly(name: string): string {
  let found = plain.get(name);
  if (found === undefined) {
    if (plain.size > 200_000) plain.clear();
    plain.set(name, (found = name.toLowerCase().replace(SEPARATOR, '')));
  }
  return found;
}

interface Named {
  readonly name: string;
  readonly key: Place;
  /** What its id begins with. */
  readonly kind: string;
}

interface Names {
  readonly kind: string;
  readonly items: ReadonlyMap<string, { readonly name: string; readonly key: Place }> | undefined;
}

function* groupsOf({ topology }: RoutingGraph): Generator<readonly [string, Names[]]> {
  const { declared, messages } = topology;
  yield ['among the apps', [{ kind: 'app:', items: declared.apps }]];
  yield ['among the message types', [{ kind: 'message:', items: declared.messages }]];
  for (const [id, { value }] of declared.brokers ?? []) {
    const entries: Names[] =
      value.variant === 'amqp'
        ? [{ kind: `exchange:${id}/`, items: value.exchanges }]
        : [
            { kind: `topic:${id}/`, items: value.topics },
            { kind: `subscription:${id}/`, items: value.subscriptions },
          ];
    yield [
      `on ${id}`,
      [
        ...entries,
        { kind: `queue:${id}/`, items: value.queues },
        { kind: `alias:${id}/`, items: value.aliases },
      ],
    ];
  }
  const attributes = new Map<string, { name: string; key: Place }>();
  for (const type of messages.values())
    for (const own of [type.headers, type.properties])
      for (const [name, { place }] of own)
        if (!attributes.has(name)) attributes.set(name, { name, key: place });
  yield ['among the headers and properties', [{ kind: 'header ', items: attributes }]];
}

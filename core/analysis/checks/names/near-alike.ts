import { kindOf } from '../../../brokers/kinds.ts';
import { type Complaint, check } from '../check.ts';
import { Question } from '../../../incremental/memory.ts';
import type { RoutingGraph } from '../../../routing/graph.ts';
import type { Place } from '../../../syntax/place.ts';

/** Names that differ only by case or separator. */
export const nearAlike = check({
  id: 'names/near-alike',
  severity: 'advice',
  finds: 'Names that differ from each other only by case or separator.',
  why: 'Sooner or later somebody means the one and writes the other, and both are there, so nothing complains.',
  of: 'whole',
  run: (graph) => {
    const { messages, names, memory } = graph.topology;
    const attributes = memory.latest(ATTRIBUTES, [messages], () => alike(attributesOf(graph)));
    // as long as no name comes, goes or changes, names that were told apart still are
    const apart = memory.latest(APART, [names], () => ({ found: [...groupsOf(graph)].flatMap(alike) }));
    // places of names move on without a word, so what was found is found anew
    const found = apart.found.length === 0 ? [] : [...groupsOf(graph)].flatMap(alike);
    return [...attributes, ...found];
  },
});

const ATTRIBUTES = new Question<readonly Complaint[]>('alike attributes');
const APART = new Question<{ readonly found: readonly Complaint[] }>('alike names');

/** What parts the words of a name; between two digits it parts two numbers, and means something. */
const SEPARATOR = /(?<!\d)[\s._/-]|[\s._/-](?!\d)/g;

function alike([where, lists]: Group): Complaint[] {
  const first = new Map<string, Named>();
  const found: Complaint[] = [];
  for (const { kind, items } of lists) {
    for (const { name, key } of items?.values() ?? []) {
      const sign = name.toLowerCase().replace(SEPARATOR, '');
      const before = first.get(sign);
      if (!before) first.set(sign, { name, key, kind });
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

/** Where names stand side by side, and which. */
type Group = readonly [where: string, names: readonly Names[]];

function* groupsOf({ topology }: RoutingGraph): Generator<Group> {
  const { declared } = topology;
  yield ['among the apps', [{ kind: 'app:', items: declared.apps }]];
  yield ['among the message types', [{ kind: 'message:', items: declared.messages }]];
  for (const [id, { value }] of declared.brokers ?? []) {
    const resources = kindOf(value).resources(value);
    yield [`on ${id}`, resources.map(([kind, items]) => ({ kind: `${kind}:${id}/`, items }))];
  }
}

function attributesOf({ topology }: RoutingGraph): Group {
  const attributes = new Map<string, { name: string; key: Place }>();
  for (const type of topology.messages.values())
    for (const own of [type.headers, type.properties])
      for (const [name, { place }] of own)
        if (!attributes.has(name)) attributes.set(name, { name, key: place });
  return ['among the headers and properties', [{ kind: 'header ', items: attributes }]];
}

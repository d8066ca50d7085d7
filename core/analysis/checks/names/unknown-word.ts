import { type Complaint, check } from '../check.ts';
import { arrivalOf } from '../../classes/arrivals.ts';
import { keyWords } from '../../classes/variety.ts';
import { type WordToken, overlaps } from '../../../conditions/word-sets.ts';
import { wordsOf } from '../../../conditions/words.ts';
import type { RoutingGraph } from '../../../routing/graph.ts';
import type { Located } from '../../../syntax/place.ts';

/** A key pattern that no declared message type could ever match, wherever it is sent. */
export const unknownWord = check({
  id: 'names/unknown-word',
  severity: 'warning',
  finds: 'A key pattern with words that no declared message type has in its key.',
  why: 'The words of keys are a language that publishers and bindings share; a word that only one side knows is a mistake, or a type nobody declared.',
  of: 'whole',
  run: (graph, context) => {
    const known = knownKeys(graph);
    if (!known) return [];
    const { declared } = graph.topology;
    const found: Complaint[] = [];
    const matches = new Map<string, boolean>();
    let others: Keys | undefined;
    const note = (pattern: Located<string>, about: string, where: string) => {
      let some = matches.get(pattern.value);
      if (some === undefined) {
        const words = wordsOf(pattern.value);
        some =
          known.some((set) => overlaps(set, words)) ||
          (others ??= otherKeys(graph)).some((set) => overlaps(set, words));
        matches.set(pattern.value, some);
      }
      if (!some)
        found.push({
          message: `No declared message type has a key that \`${pattern.value}\` matches (${where}).`,
          place: pattern.place,
          about,
        });
    };
    for (const [id, { value }] of declared.links ?? [])
      for (const pattern of value.keys?.items ?? []) note(pattern, `link:${id}`, `link ${id}`);
    for (const { when, name } of declared.access?.items ?? [])
      if (when?.key) note(when.key, '', name ? `statement “${name.value}”` : 'a statement');
    // where messages come, a key that matches none of them is told about with what does come
    for (const [id, { type }] of graph.routers) {
      if (type !== 'topic' || context.arrivals(id).length) continue;
      const node = graph.nodes.get(id)!;
      for (const edge of graph.out.get(node.id) ?? [])
        if (edge.binding?.key)
          note(edge.binding.key, edge.to, `a binding of ${node.thing.broker}/${node.thing.name}`);
    }
    return found;
  },
});

/** The keys there may be, by the types that have them; undefined where some type leaves its key open, or none is declared. */
function knownKeys({ topology }: RoutingGraph): Keys | undefined {
  const found: (readonly WordToken[])[] = [];
  for (const type of topology.messages.values()) {
    if (!type.key) {
      // one that others build upon, and nobody sends, has none of its own
      if (isSent(topology, type.id)) return undefined;
      continue;
    }
    const words = keyWords(arrivalOf(type, type.key.value.replaceAll('/', '.'), false));
    if (!words) return undefined;
    found.push(words);
  }
  return found.length ? found : undefined;
}

type Keys = readonly (readonly WordToken[])[];

/** Keys that brokers make themselves: names of queues, and what dead letters are given. */
function otherKeys({ nodes }: RoutingGraph): Keys {
  const found: (readonly WordToken[])[] = [];
  for (const node of nodes.values())
    if (node.role === 'queue') {
      found.push(wordsOf(node.thing.name).map((word) => ({ one: [word] })));
      const key = node.decl.deadLetter?.key?.value;
      if (key !== undefined) found.push(wordsOf(key).map((word) => ({ one: [word] })));
    }
  return found;
}

function isSent({ declared }: RoutingGraph['topology'], type: string): boolean {
  return [...(declared.apps?.values() ?? [])].some(({ value }) =>
    value.publishes?.items.some(({ message }) => message?.value === type),
  );
}

import { type Complaint, check } from '../check.ts';
import { patternOfTemplate } from '../suggest.ts';
import { candidatesOf } from '../../classes/met.ts';
import { type Arrival, domainAt, keyWords } from '../../classes/variety.ts';
import { verdictAt } from '../../classes/verdicts.ts';
import { listed } from '../../../base/phrase.ts';
import { similarity } from '../../../base/similar.ts';
import { operandsOf, show } from '../../../conditions/explain.ts';
import { overlaps } from '../../../conditions/word-sets.ts';
import { wordsMatch, wordsOf } from '../../../conditions/words.ts';
import { writing } from '../../../language/finding.ts';
import { addressOf } from '../../../language/thing.ts';
import type { Edge } from '../../../brokers/terms.ts';
import { plainOrQuoted } from '../../../syntax/render.ts';
import type { Mend } from '../../../topology/topology.ts';

/** A binding, subscription or link whose condition no published message can meet. */
export const neverMatch = check({
  id: 'match/never',
  severity: 'error',
  finds: 'A binding key, filter or link that no published message can match.',
  why: 'The way is there, but nothing can go it: often a word was renamed on one side only.',
  of: 'node',
  run: (node, context) => {
    const arrivals = context.arrivals(node.id);
    if (arrivals.length === 0) return [];
    const out = context.out(node.id);
    const met = new Set<Edge>();
    for (const arrival of arrivals)
      for (const edge of candidatesOf(out, arrival))
        if (!met.has(edge) && verdictAt(edge, arrival).some) met.add(edge);
    return out.flatMap((edge): Complaint[] => {
      if (edge.kind !== 'binding' && edge.kind !== 'subscription' && edge.kind !== 'link') return [];
      // what could not be read, or leads to what is not there, is told of as such
      if (met.has(edge) || edge.condition.op === 'never') return [];
      // a header that nobody sends is told about by a check of its own
      if (
        operandsOf(edge.condition).some(
          (each) => each.in !== 'key' && arrivals.every((one) => !domainAt(one, each)),
        )
      )
        return [];
      const types = [...new Set(arrivals.map(({ type }) => type.id))];
      const what =
        edge.key === undefined
          ? `\`${edge.subscription ? show(edge.condition) : edge.label}\``
          : `key \`${edge.key}\``;
      const one = types.length === 1;
      const come = one
        ? `the one message type that comes here: ${types[0]}`
        : `the ${types.length} message types that come here: ${listed(types)}`;
      const way =
        edge.kind === 'link'
          ? `Link ${edge.label} carries nothing: none of its keys matches`
          : edge.kind === 'subscription'
            ? `Subscription ${edge.label} admits nothing: its filter ${what} ${one ? 'cannot match' : 'can match none of'}`
            : `Nothing goes from ${addressOf(node.thing)} to ${addressOf(context.node(edge.to)!.thing)} by ${what}: it ${one ? 'does not match' : 'matches none of'}`;
      return [
        {
          message: `${way} ${come}.`,
          place:
            edge.binding?.key?.place ?? edge.condition.place ?? edge.link?.decl.keys?.place ?? edge.place,
          about: edge.to,
          also: [
            edge.from,
            ...(edge.subscription ? [edge.subscription.id] : []),
            ...(edge.link ? [edge.link.thing.id] : []),
          ],
          mends: () => otherKeys(edge, arrivals),
        },
      ];
    });
  },
});

/** The keys of what comes here that are most like the one that never matches. */
function otherKeys(edge: Edge, arrivals: readonly Arrival[]): Mend[] {
  const written = edge.binding?.key;
  if (!written || written.from || edge.condition.op === 'always') return [];
  const pattern = wordsOf(written.value);
  const topic = edge.condition.op === 'words';
  const candidates = new Set<string>();
  for (const arrival of arrivals) {
    const words = keyWords(arrival);
    if (!words || arrival.key === undefined) continue;
    // what was written, with the words changed that stand in the way
    const patched = pattern.map((word, i) => {
      const token = words[i];
      const fits = word === '*' || word === '#' || !token || 'any' in token || token.one.includes(word);
      return fits ? [word] : token.one;
    });
    for (const choice of choices(patched))
      if (topic ? overlaps(words, choice) : wordsMatch(choice, choice) && overlaps(words, choice))
        candidates.add(choice.join('.'));
    if (topic) candidates.add(patternOfTemplate(arrival.key));
  }
  return [...candidates]
    .filter((key) => key !== '' && !/[{}]/.test(key))
    .sort((a, b) => similarity(b, written.value) - similarity(a, written.value))
    .slice(0, 4)
    .map((key) => writing(written.place, plainOrQuoted(key), `Write \`${key}\``));
}

function choices(words: readonly (readonly string[])[]): string[][] {
  let all: string[][] = [[]];
  for (const each of words) {
    all = all.flatMap((before) => each.map((word) => [...before, word]));
    if (all.length > 60) return [];
  }
  return all;
}

import { type Complaint, check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { overlaps } from '../../../conditions/word-sets.ts';
import { wordsOf } from '../../../conditions/words.ts';
import type { Located } from '../../../syntax/place.ts';

const SAID = {
  id: 'names/unknown-word',
  severity: 'warning',
  finds: 'A key pattern with words that no declared message type has in its key.',
  why: 'The words of keys are a language that publishers and bindings share; a word that only one side knows is a mistake, or a type nobody declared.',
} as const;

/** A key pattern that no declared message type could ever match, wherever it is sent. */
export const unknownWord = check({
  ...SAID,
  of: 'node',
  run: (node, context) => {
    // where messages come, a key that matches none of them is told about with what does come
    if (node.role !== 'exchange' || node.decl.type?.value !== 'topic') return [];
    if (context.arrivals(node.id).length > 0) return [];
    return context.out(node.id).flatMap((edge) => {
      const key = edge.binding?.key;
      return key
        ? unknown(context, key, edge.to, `a binding of ${node.thing.broker}/${node.thing.name}`)
        : [];
    });
  },
});

/** The same of a link's keys. */
export const unknownWordOfLink = check({
  ...SAID,
  of: 'link',
  run: (id, context) =>
    (context.link(id)?.keys?.items ?? []).flatMap((key) => unknown(context, key, `link:${id}`, `link ${id}`)),
});

/** The same of the key that narrows a statement. */
export const unknownWordOfStatement = check({
  ...SAID,
  of: 'statement',
  run: ({ name, when }, context) =>
    when?.key ? unknown(context, when.key, '', name ? `statement “${name.value}”` : 'a statement') : [],
});

function unknown(context: CheckContext, pattern: Located<string>, about: string, where: string): Complaint[] {
  const { declared, made } = context.keys();
  if (!declared) return [];
  const words = wordsOf(pattern.value);
  if (declared.some((set) => overlaps(set, words)) || made().some((set) => overlaps(set, words))) return [];
  return [
    {
      message: `No declared message type has a key that \`${pattern.value}\` matches (${where}).`,
      place: pattern.place,
      about,
    },
  ];
}

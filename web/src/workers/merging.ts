/** What somebody else wrote, put together with what is on the screen. Loaded once that happens. */
import type { TextDocument } from '@vondle/core/base';
import { editsBetween, merge } from '@vondle/core/change';
import type { MergedView } from './views.ts';

/**
 * @param before what both sides began from
 * @param choices which side counts in which conflict, by its id
 * @returns the documents, as the very edits of mine where none comes, goes or is called otherwise
 */
export function merged(
  before: readonly TextDocument[],
  mine: readonly TextDocument[],
  theirs: readonly TextDocument[],
  choices: readonly (readonly [id: string, side: 'mine' | 'theirs'])[],
): MergedView {
  const { documents, conflicts } = merge(before, mine, theirs, new Map(choices));
  const alike = documents.length === mine.length && documents.every(({ name }, i) => name === mine[i]!.name);
  return {
    documents: [...documents],
    conflicts: conflicts.map((conflict) => ({ ...conflict, way: [...conflict.way] })),
    ...(alike
      ? { edits: documents.flatMap(({ name, text }, i) => editsBetween(name, mine[i]!.text, text)) }
      : {}),
  };
}

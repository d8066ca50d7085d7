/** Documents as they travel: read from a body's bytes, counted before they are looked at. Runs on a thread. */
import type { InferType } from 'yup';
import { documents as schemas, MOST_DOCUMENTS } from '@vondle/api';
import { check, LARGEST_DRAFT, parsed } from '../http/input.ts';
import { Problem } from '../http/problem.ts';

/** A body that was found to be in order. */
export interface ReadDocuments {
  /** The draft's version it is a change of. */
  readonly version: number;
  /** The revision the draft goes on from with it, where that is said. */
  readonly base?: number | undefined;
  /** All names there are to be, in order. */
  readonly names: readonly string[];
  /** The documents that come with it, by name; their texts are in the body. */
  readonly came: readonly string[];
}

/**
 * Reads a body that carries documents.
 * @param bytes the body, JSON in UTF-8
 * @param how `whole`: `{version, documents}`; `change`: `{version, names, changed}`, both with the `base` it
 *   goes on from, or as before; `based`: `{base, documents}`, its version is 0
 * @throws Problem 400, 413 or 422
 */
export function readDocuments(bytes: Uint8Array, how: 'whole' | 'change' | 'based'): ReadDocuments {
  const data = parsed(bytes);
  const given = (data ?? {}) as Record<string, unknown>;
  for (const list of [given['documents'], given['changed'], given['names']])
    if (Array.isArray(list) && list.length > MOST_DOCUMENTS)
      throw new Problem(413, 'Too many', `A draft has at most ${MOST_DOCUMENTS} documents.`);
  const read: Read =
    how === 'whole'
      ? ofWhole(check(schemas.whole, data))
      : how === 'change'
        ? ofChange(check(schemas.change, data))
        : ofWhole({ version: 0, ...check(schemas.based, data) });
  const names = new Set(read.names);
  const came = new Set(read.came.map(({ name }) => name));
  if (names.size !== read.names.length || came.size !== read.came.length)
    throw new Problem(422, 'Not a draft', 'Two documents have the same name.');
  if ([...came].some((name) => !names.has(name)))
    throw new Problem(422, 'Not a draft', 'A document comes along that the names do not have.');
  const size = read.came.reduce((sum, { text }) => sum + Buffer.byteLength(text), 0);
  if (size > LARGEST_DRAFT) throw tooLargeADraft();
  const { version, base } = read;
  return { version, ...(base === undefined ? {} : { base }), names: read.names, came: [...came] };
}

interface Read {
  readonly version: number;
  readonly base?: number | undefined;
  readonly names: readonly string[];
  readonly came: readonly { readonly name: string; readonly text: string }[];
}

const ofWhole = ({ version, base, documents }: InferType<typeof schemas.whole>): Read => ({
  version,
  base,
  names: documents.map(({ name }) => name),
  came: documents,
});
const ofChange = ({ version, base, names, changed }: InferType<typeof schemas.change>): Read => ({
  version,
  base,
  names: names as string[],
  came: changed,
});

export const tooLargeADraft = () =>
  new Problem(413, 'Too large', 'The documents of a draft have at most 32 MiB of text, all together.');

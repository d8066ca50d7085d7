/** Documents as they travel: read from a body's bytes, counted before they are looked at. Runs on a thread. */
import type { InferType } from 'yup';
import { array, number, object, string } from 'yup';
import { check, LARGEST_DRAFT, parsed } from '../http/input.ts';
import { Problem } from '../http/problem.ts';

export const MOST_DOCUMENTS = 1000;
const LONGEST_DOCUMENT = 16 * 1024 * 1024;
/** The largest number a version's column holds. */
export const LARGEST_INTEGER = 2 ** 31 - 1;

/** A name with folders in it, none of which leads up or is empty. */
const documentName = string()
  .required('a document needs a name')
  .max(200)
  .matches(/^[^\\\p{Cc}]*\.(ya?ml|json)$/u, 'a document name ends in .yaml, .yml or .json')
  .test(
    'inside',
    'a document name leads nowhere else: no `..`, no `.`, no slash at its beginning',
    (name) =>
      name === undefined || name.split('/').every((part) => part !== '' && part !== '.' && part !== '..'),
  );

const documents = array()
  .of(object({ name: documentName, text: string().defined().max(LONGEST_DOCUMENT) }).noUnknown())
  .required();

const version = number().integer().min(0).max(LARGEST_INTEGER).required();

const whole = object({ version, documents }).noUnknown();

/** What changed of a draft: all names there are to be, in order, and the documents that are not as they were. */
const change = object({
  version,
  names: array().of(documentName).required(),
  changed: documents,
}).noUnknown();

/** A body that was found to be in order. */
export interface ReadDocuments {
  readonly version: number;
  /** All names there are to be, in order. */
  readonly names: readonly string[];
  /** The documents that come with it, by name; their texts are in the body. */
  readonly came: readonly string[];
}

/**
 * Reads a body that carries documents.
 * @param bytes the body, JSON in UTF-8
 * @param how `whole`: `{version, documents}`; `change`: `{version, names, changed}`
 * @throws Problem 400, 413 or 422
 */
export function readDocuments(bytes: Uint8Array, how: 'whole' | 'change'): ReadDocuments {
  const data = parsed(bytes);
  const given = (data ?? {}) as Record<string, unknown>;
  for (const list of [given['documents'], given['changed'], given['names']])
    if (Array.isArray(list) && list.length > MOST_DOCUMENTS)
      throw new Problem(413, 'Too many', `A draft has at most ${MOST_DOCUMENTS} documents.`);
  const read: { version: number; names: string[]; came: { name: string; text: string }[] } =
    how === 'whole' ? ofWhole(check(whole, data)) : ofChange(check(change, data));
  const names = new Set(read.names);
  const came = new Set(read.came.map(({ name }) => name));
  if (names.size !== read.names.length || came.size !== read.came.length)
    throw new Problem(422, 'Not a draft', 'Two documents have the same name.');
  if ([...came].some((name) => !names.has(name)))
    throw new Problem(422, 'Not a draft', 'A document comes along that the names do not have.');
  const size = read.came.reduce((sum, { text }) => sum + Buffer.byteLength(text), 0);
  if (size > LARGEST_DRAFT) throw tooLargeADraft();
  return { version: read.version, names: read.names, came: [...came] };
}

const ofWhole = ({ version, documents }: InferType<typeof whole>) => ({
  version,
  names: documents.map(({ name }) => name),
  came: documents,
});
const ofChange = ({ version, names, changed }: InferType<typeof change>) => ({
  version,
  names: names as string[],
  came: changed,
});

export const tooLargeADraft = () =>
  new Problem(413, 'Too large', 'The documents of a draft have at most 32 MiB of text, all together.');

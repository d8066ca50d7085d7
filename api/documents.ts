/** The documents of a topology, as they are sent and told. */
import { array, string, type InferType } from 'yup';
import { list, maybeWhole, record, text, whole } from './kinds.ts';

export const MOST_DOCUMENTS = 1000;
const LONGEST_DOCUMENT = 16 * 1024 * 1024;

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

const sent = array()
  .of(record({ name: documentName, text: string().defined().max(LONGEST_DOCUMENT) }))
  .required();

/** The revision a draft goes on from; 0 for none. */
const base = maybeWhole();

/** What carries documents in. */
export const documents = {
  /** A whole draft. */
  whole: record({ version: whole(), base, documents: sent }),
  /** What changed of a draft: all names there are to be, in order, and the documents that are not as they were. */
  change: record({ version: whole(), base, names: array().of(documentName).required(), changed: sent }),
  /** All documents, changed from those of a revision; 0 for from nothing. */
  based: record({ base: whole(), documents: sent }),
} as const;

const document = record({ name: text(), text: text() }, 'Document');
/** The documents of a topology, in their order. */
export const documentList = list(document);
export type Document = InferType<typeof document>;

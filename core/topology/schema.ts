/** The published JSON Schema (2020-12) of the language, from the same description the reader uses. */
import { FILTER_SCHEMA } from '../language/filter.ts';
import type { JsonSchema } from '../language/shape.ts';
import { document } from './document.ts';

/** @returns the schema of one topology document; a document may hold any part of a topology. */
export function languageSchema(): JsonSchema {
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Vondle topology document, version 1',
    ...document.schema,
    $defs: { filter: FILTER_SCHEMA },
  };
}

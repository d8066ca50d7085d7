/**
 * The matcher of the patterns of schemas is large, and few topologies need it: in the browser this stands in its place
 * (see vite.config.ts), and loads it once a text speaks of a pattern.
 */
import type { TextDocument } from '@vondle/core/base';
import type * as Matching from 're2js';

let matching: typeof Matching | undefined;

function loaded(): typeof Matching {
  if (!matching) throw new Error('the matcher of patterns is asked before it is loaded');
  return matching;
}

/** As much of the matcher as is used. */
export const RE2JS: Pick<typeof Matching.RE2JS, 'compile' | 'translateRegExp'> = {
  compile: (pattern, flags) => loaded().RE2JS.compile(pattern, flags),
  translateRegExp: (pattern) => loaded().RE2JS.translateRegExp(pattern),
};

/** Loads the matcher where it is not there yet and texts that are to be looked at may need it. */
export async function patternsFor(documents: () => readonly Pick<TextDocument, 'text'>[]): Promise<void> {
  if (!matching && documents().some(({ text }) => text.includes('pattern'))) matching = await import('re2js');
}

import { parseFull } from './parse-full.ts';
import type { Parsed } from './tree.ts';

/** Reads one document's YAML. Never throws. */
export function parseDocument(text: string): Parsed {
  return parseFull(text);
}

import { parseFast } from './parse-fast.ts';
import { parseFull } from './parse-full.ts';
import type { Parsed } from './tree.ts';

/** Reads one document's YAML: the fast way where it is everyday, the full way otherwise. Never throws. */
export function parseDocument(text: string): Parsed {
  const fast = parseFast(text);
  return fast ? { root: fast.root, problems: [] } : parseFull(text);
}

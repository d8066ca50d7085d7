import { parseFast } from './parse-fast.ts';
import { parseFull } from './parse-full.ts';
import type { Tree } from './tree.ts';

/** The full parser takes seconds for a megabyte: what is longer must be readable the fast way. */
const LONGEST_FULL = 3 * 1024 * 1024;

/** Reads one document's YAML: the fast way where it is everyday, the full way otherwise. Never throws. */
export function parseDocument(text: string): Tree {
  const fast = parseFast(text);
  if (fast) return { text, root: fast.root, problems: [], everyday: true, now: new Map() };
  if (text.length <= LONGEST_FULL) return parseFull(text);
  const message =
    'This document is too long for what it holds: something in it is not everyday YAML, or wrong. Split it to find out what.';
  return {
    text,
    root: undefined,
    everyday: false,
    now: new Map(),
    problems: [{ message, start: 0, end: 1 }],
  };
}

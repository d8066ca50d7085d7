/** From one state of documents to the next, as an editor would hand it over. */
import type { ChangeSet, TextDocument } from '../base/edits.ts';
import type { ReadOptions, TopologyReader } from '../topology/read.ts';
import type { Topology } from '../topology/topology.ts';

/** @returns the one replacement outside which two texts are the same */
export function replacement(before: string, after: string): { start: number; end: number; text: string } {
  const shorter = Math.min(before.length, after.length);
  let start = 0;
  while (start < shorter && before.charCodeAt(start) === after.charCodeAt(start)) start++;
  let same = 0;
  while (same < shorter - start && before.at(-1 - same) === after.at(-1 - same)) same++;
  return { start, end: before.length - same, text: after.slice(start, after.length - same) };
}

/** @returns what leads from some documents to others of the same names; undefined where the names differ */
export function changesBetween(
  before: readonly TextDocument[],
  after: readonly TextDocument[],
): ChangeSet | undefined {
  if (before.length !== after.length || before.some(({ name }, i) => name !== after[i]!.name))
    return undefined;
  return after.flatMap(({ name, text }, i) =>
    text === before[i]!.text ? [] : [{ doc: name, ...replacement(before[i]!.text, text) }],
  );
}

/** Takes a reader on to other documents: by a change where their names stay. */
export function stepTo(
  reader: TopologyReader,
  before: readonly TextDocument[],
  after: readonly TextDocument[],
  options: ReadOptions = {},
): Topology {
  const edits = changesBetween(before, after);
  return edits ? reader.change(edits, options) : reader.read(after, options);
}

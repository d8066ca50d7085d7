/** What leads from one state of documents to another, as edits. */
import type { TextEdit } from '../model/finding.ts';
import { applyEdits } from './edit.ts';
import type { TopologyDocument } from './read.ts';

/** @returns the edits that lead from some documents to others of the same names, line by line where that is exact, else in one stretch. */
export function differences(
  before: readonly TopologyDocument[],
  after: readonly TopologyDocument[],
): TextEdit[] {
  return after.flatMap((document, i): TextEdit[] => {
    const { name, text } = document;
    const old = before[i]!;
    if (old.text === text) return [];
    const edits = pieces(name, old.text, text);
    if (applyEdits([old], edits)[0]!.text === text) return edits;
    let start = 0;
    while (old.text[start] === text[start]) start++;
    let same = 0;
    const most = Math.min(old.text.length, text.length) - start;
    while (same < most && old.text.at(-1 - same) === text.at(-1 - same)) same++;
    return [{ doc: name, start, end: old.text.length - same, text: text.slice(start, text.length - same) }];
  });
}

/** Edits line by line: what is added stands where it is added, and nothing between is written anew. */
function pieces(doc: string, old: string, text: string): TextEdit[] {
  const [was, is] = [old.split('\n'), text.split('\n')];
  const edits: TextEdit[] = [];
  let [i, j, offset] = [0, 0, 0];
  while (i < was.length || j < is.length) {
    if (i < was.length && was[i] === is[j]) {
      offset += was[i]!.length + 1;
      i++;
      j++;
      continue;
    }
    // adding only ever puts lines in or changes one: look for where the old text goes on
    const next = is.indexOf(was[i]!, j);
    if (i < was.length && next > j) {
      edits.push({ doc, start: offset, end: offset, text: `${is.slice(j, next).join('\n')}\n` });
      j = next;
    } else if (i < was.length) {
      edits.push({ doc, start: offset, end: offset + was[i]!.length, text: is[j] ?? '' });
      offset += was[i]!.length + 1;
      i++;
      j++;
    } else {
      edits.push({ doc, start: old.length, end: old.length, text: `\n${is.slice(j).join('\n')}` });
      break;
    }
  }
  return edits;
}

/**
 * What Enter does in YAML: indentation is meaning there, so that the new line begins where its text is to stand, and
 * nothing that is there already is moved to another column.
 */

/** How much further in a block stands than its key. */
const DEEPER = 2;

/** A replacement of `start..end` of a text by `text`; the cursor stands behind it then. */
export interface LineBreak {
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/**
 * @param at where the cursor is
 * @param end the end of what is selected, which is replaced
 */
export function lineBreak(text: string, at: number, end = at): LineBreak {
  const before = text.slice(text.lastIndexOf('\n', at - 1) + 1, at);
  // in front of a line, a line comes before it, which stays as it is
  if (before.trim() === '') return { start: at, end, text: `\n${before}` };
  const gap = /^[ \t]*/.exec(text.slice(end))![0].length;
  return { start: at, end: end + gap, text: `\n${' '.repeat(columnFor(before))}` };
}

/** The column of what follows a line, by what of it stands before the cursor. */
function columnFor(before: string): number {
  const own = /^ */.exec(before)![0].length;
  const said = before.slice(own);
  if (said.startsWith('#')) return own;
  const dashes = /^(?:- +)*/.exec(said)![0].length;
  const opens = /[:{[]$|: +[|>][-+1-9]*$/.test(said.replace(/ +#.*$/, '').trimEnd());
  // the next key of an item stands under its first
  return own + dashes + (opens ? DEEPER : 0);
}

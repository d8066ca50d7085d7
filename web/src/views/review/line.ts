/** A comment on a line follows the line when the text around it moves. */

/**
 * @param line where it stood, counted from 1
 * @param said what it said
 * @returns where a line that says so stands now, the nearest to where it stood; undefined where there is none
 */
export function lineNow(text: string, line: number, said: string): number | undefined {
  const lines = text.split('\n').map((each) => each.replace(/\r$/, ''));
  const wanted = said.trim();
  for (let by = 0; by < Math.max(lines.length, line); by++)
    for (const at of by === 0 ? [line] : [line - by, line + by])
      if (lines[at - 1]?.trim() === wanted && wanted !== '') return at;
  return undefined;
}

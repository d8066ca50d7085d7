/** The demo's documents, read from its folder. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { TextDocument } from '../base/edits.ts';

/**
 * @param folder `r1`, `r2`, `r3` or `draft`
 * @returns the documents of a state of the demo, in the order of their names
 */
export function demo(folder: string): TextDocument[] {
  const path = join(__dirname, '../../demo', folder);
  return readdirSync(path)
    .sort()
    .map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }));
}

/** Writing documents back, or showing what would be written. */
import { renameSync, statSync, writeFileSync } from 'node:fs';
import { applyEdits, type ChangeSet, type TextDocument } from '@vondle/core/base';
import { createTwoFilesPatch, FILE_HEADERS_ONLY } from 'diff';
import { CouldNotRun } from './files.ts';

/**
 * Makes edits of documents that are files, or prints them as a unified diff.
 * Each file is written whole beside itself and then put in its place, so that none is ever half written.
 * @throws CouldNotRun where a file cannot be written
 */
export function writeOrShow(documents: readonly TextDocument[], edits: ChangeSet, dryRun: boolean): void {
  const after = applyEdits(documents, edits);
  for (const [i, { name, text }] of documents.entries()) {
    const now = after[i]!.text;
    if (now === text) continue;
    if (dryRun) {
      process.stdout.write(
        createTwoFilesPatch(name, name, text, now, '', '', { context: 3, headerOptions: FILE_HEADERS_ONLY }),
      );
      continue;
    }
    try {
      const draft = `${name}.${process.pid}.part`;
      writeFileSync(draft, now, { mode: statSync(name).mode });
      renameSync(draft, name);
    } catch (error) {
      throw new CouldNotRun(`cannot write ${name}: ${(error as Error).message}`);
    }
    process.stdout.write(`${name}\n`);
  }
}

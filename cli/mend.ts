import { CHECKS } from '@vondle/core/analysis';
import { mendAll } from '@vondle/core/change';
import { CouldNotRun, topologyAt, writable } from './files.ts';
import { writeOrShow } from './write.ts';

/** `vondle mend`: makes the mends of what has exactly one; exit 0 when nothing is left, 1 when something is. */
export function mend(
  paths: string[],
  { check, dryRun, environment }: { check?: string; dryRun?: boolean; environment?: string },
): void {
  writable(paths);
  const { documents } = topologyAt(paths, environment);
  if (check !== undefined && !check.startsWith('language/') && !CHECKS.some(({ id }) => id === check))
    throw new CouldNotRun(`there is no check ${check}`);
  const { edits, mended, left } = mendAll(documents, {
    sure: true,
    ...(check === undefined ? {} : { check }),
    ...(environment === undefined ? {} : { environment }),
  });
  writeOrShow(documents, edits, dryRun === true);
  process.stderr.write(`${mended} mended, ${left} left\n`);
  process.exitCode = left ? 1 : 0;
}

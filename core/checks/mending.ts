/** Pieces that mends are made of. */
import type { Edited } from '../language/edit.ts';

/** @returns several edits as one; what cannot be done says why for all */
export function applyAll(all: readonly Edited[]): Edited {
  const failed = all.find((each) => !each.ok);
  return failed ?? { ok: true, edits: all.flatMap((each) => (each.ok ? each.edits : [])) };
}

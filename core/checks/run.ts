import type { Finding } from '../model/finding.ts';
import type { RoutingGraph } from '../routing/graph.ts';
import type { Check } from './check.ts';
import { missingLeave } from './missing-leave.ts';
import { sharedCopies } from './shared-copies.ts';
import { unreachableStore } from './unreachable-store.ts';
import { unservedEntry } from './unserved-entry.ts';

/** Every check there is. */
export const CHECKS: readonly Check[] = [missingLeave, sharedCopies, unreachableStore, unservedEntry];

/** @returns the findings of all checks on a topology's graph. */
export function runChecks(graph: RoutingGraph): Finding[] {
  return CHECKS.flatMap((check) =>
    check.run(graph).map((complaint) => ({ check: check.id, severity: check.severity, ...complaint })),
  );
}

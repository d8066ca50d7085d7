/** Writing down that a finding is meant. */
import { type Owner, isAt, ownersIn } from '../analysis/checks/acceptances.ts';
import type { Edited } from '../base/edits.ts';
import { setIn } from '../syntax/edit/edit.ts';
import type { Finding, Topology } from '../topology/topology.ts';

/** @returns the edits that write down, at the smallest thing it stands at, that a finding is meant */
export function acceptFinding(topology: Topology, finding: Finding, because: string): Edited {
  if (because.trim() === '') return { ok: false, message: 'Say in a few words why it is meant.' };
  let best: Owner | undefined;
  for (const owner of ownersIn(topology.declared, true)) {
    if (!isAt(topology, finding, owner)) continue;
    const length = ({ decl }: Owner) => decl.place.to - decl.place.from;
    if (!best || length(owner) < length(best)) best = owner;
  }
  if (!best)
    return {
      ok: false,
      message: 'Nothing here can carry an acceptance; mend it, or write it beside the thing itself.',
    };
  const before = (best.decl.accept?.items ?? []).map(({ check, because: why }) => ({
    check: check?.value ?? '',
    because: why?.value ?? '',
  }));
  return setIn(
    topology,
    best.decl.place,
    ['accept'],
    [...before, { check: finding.check, because: because.trim() }],
  );
}

/** Mends tried out before anybody writes them: what they cure, and that they do no harm. */
import { signsOf } from '../analysis/checks/identity.ts';
import { review } from '../analysis/checks/review.ts';
import { type ChangeSet, type TextDocument, type TextEdit, applyEdits, compose } from '../base/edits.ts';
import type { Severity } from '../language/finding.ts';
import { type Proved, isProved, together } from '../syntax/edit/proved.ts';
import { readTopology } from '../topology/read.ts';
import type { Finding, Mend, Topology } from '../topology/topology.ts';

/** What a mend would do. */
export type MendOutcome =
  | {
      readonly ok: true;
      readonly edits: readonly TextEdit[];
      /** What it cures beside its own finding, in words. */
      readonly cures: readonly string[];
      /** What it brings, which weighs less than what it cures. */
      readonly brings: readonly string[];
    }
  | { readonly ok: false; readonly message: string };

const WEIGHT: Readonly<Record<Severity, number>> = { error: 3, warning: 2, advice: 1 };

/** @returns everything wrong with a topology */
export const findingsOf = (topology: Topology): readonly Finding[] => review(topology).findings;

/** @returns the mends of a finding that there is something to be done by: one that could only say why not is none */
export const mendsOf = (topology: Topology, { mends }: Finding): readonly Mend[] =>
  (mends ?? []).filter(({ offered }) => offered?.(topology) ?? true);

/** What documents would be with edits made, against what they are. */
interface Judged {
  /** What comes that was not there. */
  readonly fresh: readonly Finding[];
  /** What goes. */
  readonly gone: readonly Finding[];
  /** All findings then. */
  readonly after: readonly Finding[];
}

function judge(topology: Topology, findings: readonly Finding[], edits: ChangeSet): Judged {
  const { environment, documents } = topology;
  const then = readTopology(applyEdits(documents, edits), environment === undefined ? {} : { environment });
  const after = findingsOf(then);
  const known = new Set(findings.flatMap((each) => signsOf(topology, each)));
  const left = new Set(after.flatMap((each) => signsOf(then, each)));
  return {
    fresh: after.filter((each) => !signsOf(then, each).some((sign) => known.has(sign))),
    gone: findings.filter((each) => !signsOf(topology, each).some((sign) => left.has(sign))),
    after,
  };
}

const harmIn = ({ fresh }: Judged, severity: Severity): Finding | undefined =>
  fresh.find((each) => WEIGHT[each.severity] >= WEIGHT[severity]);

/**
 * Tries a mend out on a copy.
 * @param findings all findings of the topology as it is
 * @returns its edits; or, in words, why it is not to be made: it cannot be, it does not cure, or it
 *   would bring something that weighs as much as what it cures
 */
export function tryMend(
  topology: Topology,
  findings: readonly Finding[],
  finding: Finding,
  mend: Mend,
): MendOutcome {
  const edited = mend.edit(topology);
  if (!edited.ok) return edited;
  const judged = judge(topology, findings, edited.edits);
  const harm = harmIn(judged, finding.severity);
  if (harm)
    return {
      ok: false,
      message: `This would bring another trouble, which is to be mended first: ${harm.message}`,
    };
  // the same may be wrong twice, and be mended once
  const times = (all: readonly Finding[]) =>
    all.filter(({ check, message }) => check === finding.check && message === finding.message).length;
  if (times(judged.after) >= times(findings)) return { ok: false, message: 'This alone does not mend it.' };
  return {
    ok: true,
    edits: edited.edits,
    cures: judged.gone.filter((each) => each !== finding).map(({ message }) => message),
    brings: judged.fresh.map(({ message }) => message),
  };
}

/** More findings of one kind than this are not mended in one go. */
const MOST_AT_ONCE = 500;
/** So often is what the mends so far left looked through again. */
const MOST_ROUNDS = 30;

/** Which findings are mended, all of them by their first mend. */
export interface MendAllOptions {
  /** The check whose findings they are; every check's where none is named. */
  readonly check?: string;
  /** Only what has one mend and no other: nothing is chosen for anybody. */
  readonly sure?: boolean;
  readonly environment?: string;
}

/** What mending in one go came to. */
export interface MendedAll {
  readonly edits: ChangeSet;
  readonly mended: number;
  /** Findings of that kind that are still there. */
  readonly left: number;
}

/**
 * Mends findings in one go. All their mends are tried together, and one by one only where together they do
 * harm or are in each other's way; what cannot be mended so is left.
 */
export function mendAll(documents: readonly TextDocument[], options: MendAllOptions): MendedAll {
  const { check, sure, environment } = options;
  const isMeant = (finding: Finding) => check === undefined || finding.check === check;
  let now = documents;
  let edits: ChangeSet = [];
  const refused = new Set<string>();
  let mended = 0;
  for (let round = 0; ; round++) {
    const topology = readTopology(now, environment === undefined ? {} : { environment });
    const findings = findingsOf(topology);
    const open = findings.filter(isMeant);
    const canMend = (each: Finding) => {
      const count = mendsOf(topology, each).length;
      return sure ? count === 1 : count > 0;
    };
    const able = open.filter((each) => !refused.has(each.message) && canMend(each));
    const next =
      round < MOST_ROUNDS && mended < MOST_AT_ONCE
        ? (allTogether(topology, findings, able) ?? firstThatHelps(topology, findings, able, refused))
        : undefined;
    if (!next) return { edits, mended, left: open.length };
    edits = compose(edits, next.edits);
    now = applyEdits(now, next.edits);
    mended += next.mended;
  }
}

/** The mends of all findings at once, as far as they are not in each other's way; undefined where that does not help. */
function allTogether(topology: Topology, findings: readonly Finding[], able: readonly Finding[]) {
  let made: Proved = { ok: true, edits: [], intents: [] };
  const taken: Finding[] = [];
  const written = new Set<string>();
  for (const finding of able.slice(0, MOST_AT_ONCE)) {
    const own = mendsOf(topology, finding)[0]!.edit(topology);
    if (!own.ok || !isProved(own)) continue;
    // what one mend writes may mend another finding too
    const sign = JSON.stringify(own.edits);
    if (written.has(sign)) {
      taken.push(finding);
      continue;
    }
    written.add(sign);
    const more = together(topology, [made, own]);
    if (!more.ok) continue;
    made = more;
    taken.push(finding);
  }
  if (taken.length < 2) return undefined;
  const judged = judge(topology, findings, made.edits);
  const worst = taken.reduce((least, { severity }) => Math.min(least, WEIGHT[severity]), 3);
  const harm = judged.fresh.some(({ severity }) => WEIGHT[severity] >= worst);
  const checks = new Set(taken.map(({ check }) => check));
  const count = (all: readonly Finding[]) => all.filter(({ check }) => checks.has(check)).length;
  if (harm || count(judged.after) > count(findings) - taken.length) return undefined;
  return { edits: made.edits, mended: taken.length };
}

function firstThatHelps(
  topology: Topology,
  findings: readonly Finding[],
  able: readonly Finding[],
  refused: Set<string>,
) {
  for (const finding of able) {
    const outcome = tryMend(topology, findings, finding, mendsOf(topology, finding)[0]!);
    if (outcome.ok) return { edits: outcome.edits, mended: 1 };
    refused.add(finding.message);
  }
  return undefined;
}

/** Findings as the screen shows them, their mends, and how they differ from the draft's base. */
import {
  applyEdits,
  CHECKS,
  ABOUT_ACCEPTANCES,
  readTopology,
  review,
  tryMend,
  type Finding,
  type TextEdit,
  type TopologyDocument,
} from '@vondle/core';
import type { Held } from './held.ts';
import type { AcceptedView, ChangedLines, CheckView, FindingView, MendView, ProofView } from './views.ts';

/** The same trouble in two revisions, though it may stand elsewhere in the text. */
export const troubleOf = ({ check, about, message }: Pick<Finding, 'check' | 'about' | 'message'>): string =>
  // two promises may break at one store
  `${check} ${check.startsWith('expectation/') ? message : about || message}`;

/** Of more findings than this, mends are named only for the first: each costs a little to work out. */
const MOST_WITH_MENDS = 150;

export function findingViews(
  held: Held,
  findings: readonly Finding[],
  base: ReadonlySet<string> | undefined,
): FindingView[] {
  return findings.map((finding, i) => {
    const { check, severity, message, place, about, also, related } = finding;
    return {
      check,
      severity,
      message,
      spot: held.spot(place),
      ...(about ? { about } : {}),
      also: [...(also ?? [])],
      mends: i < MOST_WITH_MENDS ? (finding.mends ?? []).map(({ title }) => title) : [],
      fresh: base !== undefined && !base.has(troubleOf(finding)),
      related: (related ?? []).map((each) => ({ spot: held.spot(each.place), message: each.message })),
    };
  });
}

export const acceptedViews = (held: Held): AcceptedView[] =>
  held.accepted.map(({ finding, because, place }) => ({
    check: finding.check,
    message: finding.message,
    because,
    spot: held.spot(place),
  }));

/** What the draft began from: its findings, by trouble. */
export function baselineOf(
  documents: readonly TopologyDocument[],
): ReadonlyMap<string, { severity: Finding['severity']; message: string }> {
  const { findings } = review(readTopology(documents));
  return new Map(
    findings.map((finding) => [troubleOf(finding), { severity: finding.severity, message: finding.message }]),
  );
}

/** A finding as the screen has it, found again among those of now. */
export function findAgain(
  held: Held,
  { check, message }: Pick<FindingView, 'check' | 'message'>,
): Finding | undefined {
  return held.findings.find((each) => each.check === check && each.message === message);
}

/** Works a mend out and tries it. */
export function mendView(
  held: Held,
  wanted: Pick<FindingView, 'check' | 'message'>,
  index: number,
): MendView {
  const finding = findAgain(held, wanted);
  const mend = finding?.mends?.[index];
  if (!finding || !mend) return { ok: false, message: 'This finding is no longer there.' };
  const { topology } = held.graph;
  const outcome = tryMend(topology, held.findings, finding, mend);
  if (!outcome.ok) return outcome;
  const { edits, cures, brings } = outcome;
  return {
    ok: true,
    edits: edits.map((edit) => ({ ...edit })),
    changes: changesOf(held.documents, edits),
    cures: [...cures],
    brings: [...brings],
  };
}

/** The lines that edits change, with one around them. */
export function changesOf(
  documents: readonly TopologyDocument[],
  edits: readonly TextEdit[],
): ChangedLines[] {
  const after = applyEdits(documents, edits);
  return documents.flatMap(({ name, text }, i) => {
    if (after[i]!.text === text) return [];
    const [was, is] = [text.split('\n'), after[i]!.text.split('\n')];
    let first = 0;
    while (first < was.length && was[first] === is[first]) first++;
    let same = 0;
    while (same < Math.min(was.length, is.length) - first && was.at(-1 - same) === is.at(-1 - same)) same++;
    const from = Math.max(0, first - 1);
    return [
      {
        doc: name,
        line: from + 1,
        before: was.slice(from, was.length - same),
        after: is.slice(from, is.length - same),
      },
    ];
  });
}

/** Everything there is to know of the checks. */
export const checkViews = (): CheckView[] => [
  ...[...CHECKS, ...ABOUT_ACCEPTANCES].map(({ id, severity, finds, why }) => ({ id, severity, finds, why })),
  {
    id: 'expectation/broken',
    severity: 'error',
    finds: 'An expectation that some message does not keep.',
    why: 'Somebody was promised where these messages go, and relies on it.',
  },
  {
    id: 'expectation/untried',
    severity: 'warning',
    finds: 'An expectation about messages that nobody sends.',
    why: 'It cannot be tried, so it protects nobody.',
  },
];

export function proofViews(held: Held): ProofView[] {
  return held.proofs.map(({ name, promise, verdict, basis, place, broken }) => ({
    name,
    promise,
    verdict,
    basis:
      basis.of === 'this message'
        ? 'tried with this very message'
        : `tried with ${basis.messages} messages: the examples and ${basis.whole ? 'every combination of values' : 'a spread over the values'} ${basis.of === 'a label' ? 'the types declare' : 'its type declares'}`,
    spot: held.spot(place),
    ...(broken
      ? {
          broken: {
            why: broken.why,
            type: broken.message.type ?? '',
            app: broken.app,
            message: { ...broken.message },
          },
        }
      : {}),
  }));
}

/** Findings as the screen shows them, their mends, and how they differ from the draft's base. */
import { structuredPatch } from 'diff';
import { applyEdits, type ChangeSet, type TextDocument } from '@vondle/core/base';
import { CHECKS, ABOUT_ACCEPTANCES, basisInWords, review, signsOf } from '@vondle/core/analysis';
import { readTopology, type Finding } from '@vondle/core/topology';
import { mendsOf, tryMend } from '@vondle/core/change';
import type { Workspace } from './workspace.ts';
import type { AcceptedView, ChangedLines, CheckView, FindingView, MendView, ProofView } from './views.ts';

/** Of more findings than this, mends are named only for the first: each costs a little to work out. */
const MOST_WITH_MENDS = 150;

export function findingViews(
  workspace: Workspace,
  findings: readonly Finding[],
  base: Baseline | undefined,
): FindingView[] {
  const { topology } = workspace.graph;
  const ids = new Map([...workspace.findingsById].map(([id, finding]) => [finding, id]));
  return findings.map((finding, i) => {
    const { check, severity, message, place, about, also, related } = finding;
    return {
      id: ids.get(finding) ?? '',
      check,
      severity,
      message,
      spot: workspace.spot(place),
      ...(about ? { about } : {}),
      also: [...(also ?? [])],
      mends: i < MOST_WITH_MENDS ? mendsOf(topology, finding).map(({ title }) => title) : [],
      fresh: base !== undefined && !signsOf(topology, finding).some((sign) => base.signs.has(sign)),
      related: (related ?? []).map((each) => ({ spot: workspace.spot(each.place), message: each.message })),
    };
  });
}

export const acceptedViews = (workspace: Workspace): AcceptedView[] =>
  workspace.accepted.map(({ finding, because, place }) => ({
    check: finding.check,
    message: finding.message,
    because,
    spot: workspace.spot(place),
  }));

/** What was found in what the draft began from: the same trouble has a sign in common in both. */
export interface Baseline {
  readonly findings: readonly (Pick<Finding, 'check' | 'severity' | 'message'> & {
    readonly signs: readonly string[];
  })[];
  readonly signs: ReadonlySet<string>;
}

export function baselineOf(
  documents: readonly TextDocument[],
  options: { environment?: string } = {},
): Baseline {
  const topology = readTopology(documents, options);
  const findings = review(topology).findings.map((finding) => ({
    check: finding.check,
    severity: finding.severity,
    message: finding.message,
    signs: signsOf(topology, finding),
  }));
  return { findings, signs: new Set(findings.flatMap(({ signs }) => signs)) };
}

/** What was found in what the draft began from, and is not any more. */
export function curedSince({ findings }: Baseline, workspace: Workspace): Baseline['findings'] {
  const now = new Set(workspace.findings.flatMap((each) => signsOf(workspace.graph.topology, each)));
  return findings.filter(({ signs }) => !signs.some((sign) => now.has(sign)));
}

/** A finding as the screen has it, found again among those of now. */
export const findAgain = (workspace: Workspace, id: string): Finding | undefined =>
  workspace.findingsById.get(id);

/** Works a mend out and tries it. */
export function mendView(workspace: Workspace, id: string, index: number): MendView {
  const finding = findAgain(workspace, id);
  const mend = finding && mendsOf(workspace.graph.topology, finding)[index];
  if (!finding || !mend) return { ok: false, message: 'This finding is no longer there.' };
  const { topology } = workspace.graph;
  // a promise that is broken already is no trouble that the mend brings
  workspace.prove();
  const outcome = tryMend(topology, workspace.findings, finding, mend);
  if (!outcome.ok) return outcome;
  const { edits, cures, brings } = outcome;
  return {
    ok: true,
    edits: edits.map((edit) => ({ ...edit })),
    changes: changesOf(workspace.documents, edits),
    cures: [...cures],
    brings: [...brings],
  };
}

/** The lines that edits change, with one around them. */
export function changesOf(documents: readonly TextDocument[], edits: ChangeSet): ChangedLines[] {
  const after = applyEdits(documents, edits);
  return documents.flatMap(({ name, text }, i) => {
    if (after[i]!.text === text) return [];
    const { hunks } = structuredPatch(name, name, text, after[i]!.text, '', '', { context: 1 });
    return hunks.map(({ oldStart, lines }) => {
      const told = lines
        .filter((line) => !line.startsWith('\\'))
        // what a line ends in is not shown
        .map((line) => ({ mark: MARKS[line[0]!] ?? (' ' as const), text: line.slice(1).replace(/\r$/, '') }));
      // an empty line at the end frames nothing
      if (told.at(-1)?.mark === ' ' && told.at(-1)!.text.trim() === '') told.pop();
      return { doc: name, line: oldStart, lines: told };
    });
  });
}

const MARKS: Readonly<Record<string, ChangedLines['lines'][number]['mark']>> = { '-': '−', '+': '+' };

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

export function proofViews(workspace: Workspace): ProofView[] {
  return workspace.proofs.map((proof) => {
    const { name, promise, verdict, place, broken } = proof;
    return {
      name,
      promise,
      verdict,
      basis: basisInWords(proof),
      spot: workspace.spot(place),
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
    };
  });
}

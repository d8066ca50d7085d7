/** Mends tried out before anybody writes them: what they cure, and that they do no harm. */
import { applyEdits } from '../language/edit.ts';
import { readTopology, TopologyReader, type Topology, type TopologyDocument } from '../language/read.ts';
import type { Finding, Mend, Severity, TextEdit } from '../model/finding.ts';
import { buildGraph } from '../routing/graph.ts';
import { review } from './review.ts';
import { Checking } from './run.ts';

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

/** A finding of the same check about the same thing is the same trouble, though it may name fewer or other things. */
const troubleOf = ({ check, about, place, message }: Finding): string =>
  // two promises may break at one store
  check.startsWith('expectation/') ? message : `${check} ${about ?? place.doc}`;

/** @returns everything wrong with a topology */
export const findingsOf = (topology: Topology): readonly Finding[] => review(topology).findings;

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
  const after = findingsOf(readTopology(applyEdits(topology.documents, edited.edits)));
  const known = new Set(findings.map(troubleOf));
  const left = new Set(after.map(troubleOf));
  const fresh = after.filter((each) => !known.has(troubleOf(each)));
  const harm = fresh.find(({ severity }) => WEIGHT[severity] >= WEIGHT[finding.severity]);
  if (harm)
    return {
      ok: false,
      message: `This would bring another trouble, which is to be mended first: ${harm.message}`,
    };
  // the same may be wrong twice, and be mended once
  const times = (all: readonly Finding[]) =>
    all.filter(({ check, message }) => check === finding.check && message === finding.message).length;
  if (times(after) >= times(findings)) return { ok: false, message: 'This alone does not mend it.' };
  const cured = findings.filter((each) => each !== finding && !left.has(troubleOf(each)));
  return {
    ok: true,
    edits: edited.edits,
    cures: cured.map(({ message }) => message),
    brings: fresh.map(({ message }) => message),
  };
}

/** More findings of one kind than this are not mended in one go. */
const MOST_AT_ONCE = 500;

/**
 * Mends every finding of one check by its first mend, one after the other, each where the one before left
 * the text. What cannot be mended so is left.
 * @returns the documents after, how many were mended, and how many were left
 */
export function mendAll(
  documents: readonly TopologyDocument[],
  check: string,
): { readonly documents: readonly TopologyDocument[]; readonly mended: number; readonly left: number } {
  const reader = new TopologyReader();
  const checking = new Checking();
  let now = documents;
  let topology = reader.read(now);
  let graph = buildGraph(topology);
  const findings = () =>
    [...topology.findings, ...checking.run(graph).findings].filter((each) => each.check === check);
  const refused = new Set<string>();
  let mended = 0;
  let open = findings();
  while (mended < MOST_AT_ONCE) {
    const next = open.find(({ message, mends }) => mends?.length && !refused.has(message));
    if (!next) break;
    const before = open.length;
    const { message } = next;
    const edited = next.mends![0]!.edit(topology);
    if (!edited.ok) {
      refused.add(message);
      continue;
    }
    const tried = applyEdits(now, edited.edits);
    topology = reader.read(tried);
    graph = buildGraph(topology, graph);
    open = findings();
    if (open.length < before) {
      now = tried;
      mended += before - open.length;
      continue;
    }
    refused.add(message);
    topology = reader.read(now);
    graph = buildGraph(topology, graph);
    open = findings();
  }
  return { documents: now, mended, left: open.length };
}

/** A topology looked through whole: its text, all checks, and every expectation tried out. */
import type { Accepted } from './acceptances.ts';
import { checkAll } from './run.ts';
import { type Proof, findingOfProof, prove, proveAll } from '../expectations/prove.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import { inOrder } from '../../topology/read.ts';
import type { Finding, Topology } from '../../topology/topology.ts';

export interface Review {
  readonly graph: RoutingGraph;
  /** What is wrong, in the order of the text: with the text, by the checks, and expectations that are not kept. */
  readonly findings: readonly Finding[];
  readonly accepted: readonly Accepted[];
  readonly proofs: readonly Proof[];
}

/** @returns whether a topology's documents can be read whole; while one cannot, what it declares is missing everywhere */
export const isWhole = ({ findings }: Topology): boolean =>
  findings.every(({ check }) => check !== 'language/syntax');

/** Looks a topology through. While a document cannot be read, that alone is told. */
export const review = (topology: Topology): Review => proved(checked(topology));

/** @returns a review whose expectations are still to be tried out: they cost more than all checks after an edit */
export function checked(topology: Topology): Review {
  const graph = buildGraph(topology);
  if (!isWhole(topology)) return { graph, findings: topology.findings, accepted: [], proofs: [] };
  const { findings, accepted } = checkAll(graph);
  return { graph, findings: inOrder([...topology.findings, ...findings], topology), accepted, proofs: [] };
}

/** @returns a review with its expectations tried out, and those among its findings that are not kept */
export function proved(seen: Review): Review {
  const { graph, findings } = seen;
  // tried already, or nothing to try them on
  if (seen.proofs.length > 0 || !isWhole(graph.topology)) return seen;
  const proofs = proveAll(graph);
  const broken = proofs.flatMap((proof) => findingOfProof(proof) ?? []);
  if (broken.length === 0) return { ...seen, proofs };
  return { ...seen, proofs, findings: inOrder([...findings, ...broken], graph.topology) };
}

/** What keeps a revision from a protected environment. */
export function obstaclesIn({ findings }: Review): Finding[] {
  return findings.filter(({ severity }) => severity === 'error');
}

/**
 * What an earlier revision promised and this one does not keep, whether or not it still says so: a
 * promise cannot be got rid of by deleting it.
 * @returns in words; a promise that nothing can be tried on any more counts as not kept
 */
export function promisesNotKept({ graph }: Review, earlier: Topology): string[] {
  return (earlier.declared.expectations?.items ?? []).flatMap((each) => {
    const finding = findingOfProof(prove(graph, each));
    return finding ? [finding.message] : [];
  });
}

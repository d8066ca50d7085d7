/** A form tried out before anything is written: the text it becomes, and what that text would do. */
import { type Order, declare } from './forms.ts';
import { allowNeeds } from '../../analysis/access/route.ts';
import { usageOf } from '../../analysis/access/usage.ts';
import { needTitle } from '../../analysis/access/route.ts';
import { signsOf } from '../../analysis/checks/identity.ts';
import { tryCondition } from '../../analysis/trial/trial.ts';
import { type ChangeSet, type TextEdit, compose } from '../../base/edits.ts';
import type { Severity } from '../../language/finding.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import type { Finding, Topology } from '../../topology/topology.ts';

/** What a form that is filled in would do; or in words why it cannot be written yet. */
export type Attempt =
  | {
      readonly ok: true;
      readonly edits: readonly TextEdit[];
      /** What would be wrong then that is not now, the worst first. */
      readonly brings: readonly { readonly severity: Severity; readonly message: string }[];
      /** What is wrong now and would not be then. */
      readonly cures: readonly string[];
      /** Of a way that it makes: the samples that come there, and whether they would pass. */
      readonly trials: readonly {
        readonly type: string;
        readonly sample: string;
        readonly passes: boolean;
        readonly why: string;
      }[];
    }
  | { readonly ok: false; readonly message: string };

/** Looks at documents as they would be. */
export interface Looking {
  /** @returns the topology of the present documents with edits made */
  readonly read: (edits: ChangeSet) => Topology;
  /** @returns everything wrong with a topology */
  readonly findings: (topology: Topology) => readonly Finding[];
}

const WEIGHT: Readonly<Record<Severity, number>> = { error: 3, warning: 2, advice: 1 };
const MOST_TRIALS = 40;

/**
 * @param permits whether the permissions that it needs are written with it
 * @param now the topology and its findings as they are
 */
export function attempt(
  now: { readonly topology: Topology; readonly graph: RoutingGraph; readonly findings: readonly Finding[] },
  order: Order,
  permits: boolean,
  look: Looking,
): Attempt {
  const { topology, graph, findings } = now;
  const declared = declare(topology, order);
  if (!declared.ok) return declared;
  let { edits } = declared;
  let then = look.read(edits);
  let graphThen = buildGraph(then);
  if (permits) {
    const unmet = new Set(usageOf(graph).unmet.map(needTitle));
    const needs = usageOf(graphThen).unmet.filter((need) => !unmet.has(needTitle(need)));
    const allowed = needs.length ? allowNeeds(then, graphThen, needs) : undefined;
    if (allowed?.ok) {
      edits = compose(edits, allowed.edits);
      then = look.read(edits);
      graphThen = buildGraph(then);
    }
  }
  const after = look.findings(then);
  const known = new Set(findings.flatMap((each) => signsOf(topology, each)));
  const left = new Set(after.flatMap((each) => signsOf(then, each)));
  return {
    ok: true,
    edits: [...edits],
    brings: after
      .filter((each) => !signsOf(then, each).some((sign) => known.has(sign)))
      .map(({ severity, message }) => ({ severity, message }))
      .sort((a, b) => WEIGHT[b.severity] - WEIGHT[a.severity]),
    cures: findings
      .filter((each) => !signsOf(topology, each).some((sign) => left.has(sign)))
      .map(({ message }) => message),
    trials: trialsOf(graph, graphThen, order),
  };
}

/** The samples that come to a way that is made, and whether they would pass it. */
function trialsOf(before: RoutingGraph, then: RoutingGraph, { kind, on }: Order) {
  if (kind !== 'binding' && kind !== 'subscription' && kind !== 'queue') return [];
  const fresh = then.edges.find(
    (edge) =>
      (edge.kind === 'binding' || edge.kind === 'subscription') &&
      edge.from.includes(`:${on}/`) &&
      !before.out.get(edge.from)?.some(({ id }) => id === edge.id),
  );
  return fresh
    ? tryCondition(then, fresh, fresh.condition, MOST_TRIALS).map(({ type, sample, verdict, why }) => ({
        type,
        sample,
        passes: verdict === true,
        why,
      }))
    : [];
}

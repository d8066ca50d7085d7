/** Who can come to data of a label: who takes it, and who might. */
import type { Arrivals } from '../classes/arrivals.ts';
import { type Thing, thing } from '../../language/thing.ts';
import { takerId } from '../../routing/nodes.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { tenantOf } from '../../topology/owner.ts';

export interface LabelReach {
  readonly app: string;
  readonly tenant: string | undefined;
  readonly store: Thing;
  /** The message types that carry the label there. */
  readonly types: readonly string[];
  /** It is declared to take from there; otherwise it only may. */
  readonly takes: boolean;
  readonly allowed: boolean;
  /** Whether its tenant is cleared for the label. */
  readonly cleared: boolean;
  readonly why: string;
}

/**
 * @param arrivals what comes where
 * @returns every app that takes, or may take, messages of a label, with the stores it finds them in
 */
export function reachOfLabel(graph: RoutingGraph, arrivals: Arrivals, label: string): LabelReach[] {
  const { topology, nodes, out, decide } = graph;
  const apps = [...(topology.declared.apps?.keys() ?? [])].map((name) => thing('app', name));
  const found: LabelReach[] = [];
  for (const node of nodes.values()) {
    if (node.role !== 'queue' && node.role !== 'subscription') continue;
    const types = (arrivals.get(node.id) ?? []).flatMap(({ type }) =>
      type.labels.has(label) ? [type.id] : [],
    );
    if (types.length === 0) continue;
    const takers = new Set((out.get(node.id) ?? []).map(({ to }) => to));
    for (const app of apps) {
      const tenant = tenantOf(topology, app);
      const takes = takers.has(takerId(app.name));
      const { allowed, why } = decide({ who: { thing: app, tenant }, action: 'consume', on: node.thing });
      if (!takes && !allowed) continue;
      const clears = topology.declared.tenants?.get(tenant ?? '')?.value.clears?.items ?? [];
      found.push({
        app: app.name,
        tenant,
        store: node.thing,
        types: [...new Set(types)],
        takes,
        allowed,
        cleared: clears.some(({ value }) => value === label),
        why,
      });
    }
  }
  return found;
}

/** @returns every label that some message type carries */
export function labelsOf({ topology }: RoutingGraph): string[] {
  return [...new Set([...topology.messages.values()].flatMap(({ labels }) => [...labels]))];
}

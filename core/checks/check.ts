import type { Finding, Mend, Severity } from '../model/finding.ts';
import type { Place } from '../model/place.ts';
import { thing } from '../model/address.ts';
import type { Edge, RoutingGraph } from '../routing/graph.ts';
import { takerId } from '../routing/ways.ts';

/** What one check says of one place; the registry adds the check's own id and severity. */
export interface Complaint {
  readonly message: string;
  readonly place: Place;
  /** The thing it is about, as a node or thing id. */
  readonly about: string;
  readonly related?: Finding['related'];
  readonly mends?: readonly Mend[];
}

/** One check: what it is called, how much it weighs, why it matters, and how to find it. */
export interface Check {
  /** Stable id, `group/name`. */
  readonly id: string;
  readonly severity: Severity;
  /** Why it matters, for a person who has not met it. */
  readonly why: string;
  readonly run: (graph: RoutingGraph) => readonly Complaint[];
}

/** The ways of apps that take, without looking at every way there is: most are bindings. */
export function* takesOf(graph: RoutingGraph): Generator<Edge> {
  for (const app of graph.topology.declared.apps?.keys() ?? []) {
    for (const edge of graph.into.get(takerId(app)) ?? []) if (edge.kind === 'take') yield edge;
  }
}

/** The ways that subscriptions make, in the order of their topics. */
export function* subscriptionsOf(graph: RoutingGraph): Generator<Edge> {
  for (const [broker, { value }] of graph.topology.declared.brokers ?? []) {
    if (value.variant !== 'pubsub') continue;
    for (const topic of value.topics?.keys() ?? []) {
      for (const edge of graph.out.get(thing('topic', topic, broker).id) ?? [])
        if (edge.kind === 'subscription') yield edge;
    }
  }
}

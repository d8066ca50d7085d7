import type { Finding, Mend, Severity } from '../model/finding.ts';
import type { Place } from '../model/place.ts';
import type { RoutingGraph } from '../routing/graph.ts';

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

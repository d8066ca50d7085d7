import type { CheckContext } from './context.ts';
import type { BrokerDecl } from '../../brokers/kinds.ts';
import type { Severity } from '../../language/finding.ts';
import type { StatementDecl } from '../../language/statement.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { GraphNode } from '../../brokers/terms.ts';
import type { Place } from '../../syntax/place.ts';
import type { MessageType } from '../../topology/messages.ts';
import type { Finding, Mend } from '../../topology/topology.ts';

/** What one check says of one place; the registry adds the check's own id and severity. */
export interface Complaint {
  readonly message: string;
  readonly place: Place;
  /** The thing it is about, as a node or thing id. */
  readonly about: string;
  readonly also?: readonly string[];
  readonly related?: Finding['related'];
  /** As a function where they cost something: most findings are never opened. */
  readonly mends?: readonly Mend[] | (() => readonly Mend[]);
  /** Where it weighs otherwise than the check does. */
  readonly severity?: Severity;
}

/** What checks look at, one by one: each is looked at again only when something seen there has changed. */
export interface Subjects {
  readonly node: GraphNode;
  readonly message: MessageType;
  /** With all that is declared on it. */
  readonly broker: BrokerSubject;
  /** A link's id. */
  readonly link: string;
  readonly statement: StatementDecl;
  /** Everything at once: looked at again at every change, so it has to be quick. */
  readonly whole: RoutingGraph;
}

export interface BrokerSubject {
  readonly name: string;
  /** Of its name. */
  readonly place: Place;
  readonly decl: BrokerDecl;
}

export type SubjectKind = keyof Subjects;

/** One check: what it is called, how much it weighs, why it matters, and how to find it. */
export interface Check<K extends SubjectKind = SubjectKind> {
  /** Stable id, `group/name`. */
  readonly id: string;
  readonly severity: Severity;
  /** What it finds, in one sentence. */
  readonly finds: string;
  /** Why it matters, for a person who has not met it. */
  readonly why: string;
  readonly of: K;
  /** Asks only `context` for what is beyond the subject itself, so that it is known when to look again. */
  readonly run: (subject: Subjects[K], context: CheckContext) => readonly Complaint[];
}

/** @returns a check, its subject's type known to its body */
export function check<K extends SubjectKind>(made: Check<K>): Check {
  return made as unknown as Check;
}

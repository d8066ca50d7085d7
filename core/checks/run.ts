/** The registry of all checks, and how they are run. */
import type { Finding, Mend, Severity } from '../model/finding.ts';
import type { RoutingGraph } from '../routing/graph.ts';
import { accepting, type Accepted } from './acceptances.ts';
import { aboutNothing } from './access/about-nothing.ts';
import { missingLeave } from './access/missing-leave.ts';
import { notCleared, unguardedBroker } from './access/not-cleared.ts';
import { otherTenant } from './access/other-tenant.ts';
import { everyone, tooWide } from './access/too-wide.ts';
import { uselessAllow } from './access/useless-allow.ts';
import type { Check, Complaint, SubjectKind } from './check.ts';
import { competingApps } from './copies/competing-apps.ts';
import { perInstance } from './copies/per-instance.ts';
import { sharedStore } from './copies/shared-store.ts';
import { twice } from './copies/twice.ts';
import { changesSince, Facts, lookAt, NODE_QUESTIONS, stillSo, type Asked } from './look.ts';
import { autoAck } from './loss/auto-ack.ts';
import { badExample } from './loss/bad-example.ts';
import { deadLetterCycle } from './loss/dead-letter-cycle.ts';
import { fleetingQueue } from './loss/fleeting-queue.ts';
import { noDeadLetter } from './loss/no-dead-letter.ts';
import { notDurable } from './loss/not-durable.ts';
import { orderLost } from './loss/order-lost.ts';
import { shortLease } from './loss/short-lease.ts';
import { shortTtl } from './loss/short-ttl.ts';
import { silentLimit } from './loss/silent-limit.ts';
import { slowTaker } from './loss/slow-taker.ts';
import { unreadDeadLetter } from './loss/unread-dead-letter.ts';
import { wrapping } from './loss/wrapping.ts';
import { always } from './match/always.ts';
import { divides } from './match/divides.ts';
import { neverMatch } from './match/never-match.ts';
import { swallowed } from './match/swallowed.ts';
import { undeclaredAttribute } from './match/undeclared-attribute.ts';
import { unfilteredSibling } from './match/unfiltered-sibling.ts';
import { wrongValue } from './match/wrong-value.ts';
import { expectationAboutNothing } from './names/expectation.ts';
import { nearAlike } from './names/near-alike.ts';
import { parameter } from './names/parameter.ts';
import { sameWireName } from './names/same-wire-name.ts';
import { unknownWord } from './names/unknown-word.ts';
import { unstatedSetting } from './names/unstated-setting.ts';
import { aliasChain } from './nowhere/alias-chain.ts';
import { expectedType } from './nowhere/expected-type.ts';
import { linkEnd } from './nowhere/link-end.ts';
import { nothingArrives } from './nowhere/nothing-arrives.ts';
import { spreadMembers } from './nowhere/spread-members.ts';
import { unmatched } from './nowhere/unmatched.ts';
import { unreachableStore } from './nowhere/unreachable-store.ts';
import { unreceivedType } from './nowhere/unreceived-type.ts';
import { unservedEntry } from './nowhere/unserved-entry.ts';
import { untakenStore } from './nowhere/untaken-store.ts';

/** Every check there is, by what it is about. */
export const CHECKS: readonly Check[] = [
  unservedEntry,
  unmatched,
  unreachableStore,
  nothingArrives,
  untakenStore,
  expectedType,
  unreceivedType,
  aliasChain,
  linkEnd,
  spreadMembers,
  neverMatch,
  undeclaredAttribute,
  wrongValue,
  always,
  swallowed,
  divides,
  unfilteredSibling,
  sharedStore,
  twice,
  perInstance,
  competingApps,
  notDurable,
  autoAck,
  slowTaker,
  shortLease,
  shortTtl,
  noDeadLetter,
  deadLetterCycle,
  unreadDeadLetter,
  silentLimit,
  orderLost,
  wrapping,
  badExample,
  fleetingQueue,
  missingLeave,
  tooWide,
  everyone,
  otherTenant,
  uselessAllow,
  aboutNothing,
  notCleared,
  unguardedBroker,
  unstatedSetting,
  nearAlike,
  sameWireName,
  unknownWord,
  parameter,
  expectationAboutNothing,
];

/** What is said of acceptances themselves; these two cannot be accepted. */
export const ABOUT_ACCEPTANCES = [
  {
    id: 'accept/unused',
    severity: 'warning',
    finds: 'An acceptance of a finding that is not there.',
    why: 'What was accepted is gone; left standing, the acceptance would hide it when it comes back.',
  },
  {
    id: 'accept/unknown-check',
    severity: 'error',
    finds: 'An acceptance that names no check.',
    why: 'It accepts nothing.',
  },
] as const;

const IDS: ReadonlySet<string> = new Set(CHECKS.map(({ id }) => id));

/** What the checks said. */
export interface Checked {
  /** What stands, in no particular order. */
  readonly findings: readonly Finding[];
  /** What somebody wrote down as meant. */
  readonly accepted: readonly Accepted[];
}

/** What was found at one subject, and what was asked to find it. */
interface Unit {
  readonly subject: unknown;
  readonly findings: readonly Finding[];
  readonly asked: Asked;
}

/** Runs the checks on one topology again and again: only what an edit may have changed is looked at again. */
export class Checking {
  /** By kind of subject, and by its id or itself. */
  private readonly units = new Map<SubjectKind, Map<unknown, Unit>>();
  /** The subjects at which something was asked about a node, some of them perhaps no longer. */
  private readonly askers = new Map<string, Set<Unit>>();
  private facts: Facts | undefined;

  /** @param graph the next graph of the same reader; its places move with it, so results are of use until the next */
  run(graph: RoutingGraph): Checked {
    const facts = new Facts(graph, this.facts);
    const doubtful = this.doubtful(facts);
    const findings: Finding[] = [];
    const { declared, messages } = graph.topology;
    const visit = (units: Map<unknown, Unit>, kind: SubjectKind, id: unknown, subject: unknown) => {
      const known = units.get(id);
      const stands =
        known !== undefined &&
        known.subject === subject &&
        ((doubtful !== 'all' && !doubtful.has(known)) || stillSo(facts, known.asked));
      const unit = stands ? known : this.look(facts, kind, subject);
      if (unit !== known) units.set(id, unit);
      if (unit.findings.length) findings.push(...unit.findings);
    };
    const visitAll = (kind: SubjectKind, subjects: Iterable<readonly [unknown, unknown]>, size: number) => {
      let units = this.units.get(kind);
      if (!units) this.units.set(kind, (units = new Map()));
      for (const [id, subject] of subjects) visit(units, kind, id, subject);
      if (units.size === size) return;
      // what is gone is forgotten
      const seen = new Set<unknown>();
      for (const [id] of subjects) seen.add(id);
      for (const id of units.keys()) if (!seen.has(id)) units.delete(id);
    };
    visitAll('node', graph.nodes, graph.nodes.size);
    visitAll('message', messages, messages.size);
    const links = [...(declared.links?.keys() ?? [])];
    visitAll(
      'link',
      links.map((id) => [id, id] as const),
      links.length,
    );
    const statements = declared.access?.items ?? [];
    visitAll(
      'statement',
      statements.map((each) => [each, each] as const),
      statements.length,
    );
    findings.push(...look(facts, 'whole', graph).findings);
    this.facts = facts;
    return accept(graph, findings);
  }

  /** The units at which something was asked about a node that is no longer what it was; all, where more has changed. */
  private doubtful(facts: Facts): ReadonlySet<Unit> | 'all' {
    const changed = this.facts && changesSince(this.facts, facts);
    if (!changed) return 'all';
    const found = new Set<Unit>();
    for (const id of changed) for (const unit of this.askers.get(id) ?? []) found.add(unit);
    return found;
  }

  private look(facts: Facts, kind: SubjectKind, subject: unknown): Unit {
    const unit = look(facts, kind, subject);
    const { questions, abouts } = unit.asked;
    questions.forEach((question, i) => {
      if (!NODE_QUESTIONS.has(question)) return;
      const id = abouts[i] as string;
      const askers = this.askers.get(id);
      if (!askers) this.askers.set(id, new Set([unit]));
      else {
        // those that are gone for good are left behind now and then
        if (askers.size > 50 && askers.size % 50 === 0) this.forget(askers);
        askers.add(unit);
      }
    });
    return unit;
  }

  private forget(askers: Set<Unit>): void {
    const live = new Set([...this.units.values()].flatMap((units) => [...units.values()]));
    for (const unit of askers) if (!live.has(unit)) askers.delete(unit);
  }
}

const BY_KIND = new Map<SubjectKind, Check[]>();
for (const each of CHECKS) BY_KIND.set(each.of, [...(BY_KIND.get(each.of) ?? []), each]);

function look(facts: Facts, kind: SubjectKind, subject: unknown): Unit {
  const asked: Asked = { questions: [], abouts: [], answers: [] };
  // what looks at everything is looked at again anyway
  const eyes = lookAt(facts, kind === 'whole' ? undefined : asked);
  const findings: Finding[] = [];
  for (const { id, severity, run } of BY_KIND.get(kind) ?? [])
    for (const complaint of run(subject as never, eyes)) findings.push(findingOf(id, severity, complaint));
  return { subject, findings, asked };
}

function findingOf(check: string, severity: Severity, { mends, ...complaint }: Complaint): Finding {
  if (typeof mends !== 'function') return { check, severity, ...complaint, ...(mends ? { mends } : {}) };
  let made: readonly Mend[] | undefined;
  return {
    check,
    severity,
    ...complaint,
    get mends() {
      return (made ??= mends());
    },
  };
}

function accept({ topology }: RoutingGraph, found: readonly Finding[]): Checked {
  const written = topology.documents.some(({ text }) => text.includes('accept'));
  const { standing, accepted, unused, unknown } = accepting(topology.declared, found, IDS, written);
  const finding =
    ({ id, severity }: (typeof ABOUT_ACCEPTANCES)[number]) =>
    (complaint: Complaint): Finding =>
      findingOf(id, severity, complaint);
  const [ofUnused, ofUnknown] = ABOUT_ACCEPTANCES;
  return {
    findings: [...standing, ...unused.map(finding(ofUnused)), ...unknown.map(finding(ofUnknown))],
    accepted,
  };
}

/** @returns what all checks say of a topology's graph, once */
export function checkAll(graph: RoutingGraph): Checked {
  return new Checking().run(graph);
}

/** @returns the findings of all checks that stand */
export function runChecks(graph: RoutingGraph): readonly Finding[] {
  return checkAll(graph).findings;
}

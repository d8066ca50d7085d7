/** The registry of all checks, and how they are run. */
import { type Accepted, accepting } from './acceptances.ts';
import { aboutNothing } from './access/about-nothing.ts';
import { missingPermission } from './access/missing-permission.ts';
import { notCleared, unguardedBroker } from './access/not-cleared.ts';
import { otherTenant } from './access/other-tenant.ts';
import { everyone, tooWide } from './access/too-wide.ts';
import { uselessAllow } from './access/useless-allow.ts';
import { notCarried } from './broker/not-carried.ts';
import { refusedSettings } from './broker/refused-settings.ts';
import type { BrokerSubject, Check, Complaint, SubjectKind } from './check.ts';
import { type Dependencies, Facts, changesSince, contextOf, groundOf, stillSo } from './context.ts';
import { competingApps } from './copies/competing-apps.ts';
import { perInstance } from './copies/per-instance.ts';
import { sharedStore } from './copies/shared-store.ts';
import { twice } from './copies/twice.ts';
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
import type { TextDocument } from '../../base/edits.ts';
import type { BrokerDecl } from '../../brokers/kinds.ts';
import { differing, sharesKeys } from '../../incremental/layered.ts';
import type { Severity } from '../../language/finding.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Finding, Mend } from '../../topology/topology.ts';

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
  missingPermission,
  tooWide,
  everyone,
  otherTenant,
  uselessAllow,
  aboutNothing,
  notCleared,
  unguardedBroker,
  refusedSettings,
  notCarried,
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
  readonly kind: SubjectKind;
  readonly id: unknown;
  readonly subject: unknown;
  readonly findings: readonly Finding[];
  readonly asked: Dependencies;
  /** Whether no later look at the same subject has taken its place. */
  live: boolean;
}

/** The units that asked something, some of them perhaps no longer live. */
class Askers {
  private readonly units = new Set<Unit>();
  private limit = 50;

  add(unit: Unit): void {
    if (this.units.size >= this.limit) {
      this.forget();
      this.limit = Math.max(50, 2 * this.units.size);
    }
    this.units.add(unit);
  }

  /** Leaves those behind that are no longer live. @returns whether any is left */
  forget(): boolean {
    for (const each of this.units) if (!each.live) this.units.delete(each);
    return this.units.size > 0;
  }

  *[Symbol.iterator](): Generator<Unit> {
    for (const unit of this.units) if (unit.live) yield unit;
  }
}

type Subjects = ReadonlyMap<unknown, unknown>;

/** Runs the checks on one topology again and again: only what an edit may have changed is looked at again. */
export class Checking {
  /** By kind of subject, and by its id. */
  private readonly units = new Map<SubjectKind, Map<unknown, Unit>>();
  private readonly subjects = new Map<SubjectKind, { readonly of: unknown; readonly all: Subjects }>();
  /** Those at which something was found. */
  private readonly troubled = new Set<Unit>();
  /** By what answers hang on. */
  private readonly askers = new Map<string, Askers>();
  /** Looks since all askers were last gone through: what is named anew at every key would pile up. */
  private looks = 0;
  private facts: Facts | undefined;

  /** @param graph the next graph of the same reader; its places move with it, so results are of use until the next */
  run(graph: RoutingGraph): Checked {
    const facts = new Facts(graph, this.facts);
    const doubtful = this.doubtful(facts);
    const { declared, messages } = graph.topology;
    const visit = (kind: SubjectKind, of: object | undefined, all: () => Subjects) =>
      this.visit(facts, doubtful, kind, of, all);
    visit('node', graph.nodes, () => graph.nodes);
    visit('message', messages, () => messages);
    visit('broker', declared.brokers, () => brokersIn(graph));
    visit('link', declared.links, () => new Map([...(declared.links?.keys() ?? [])].map((id) => [id, id])));
    visit(
      'statement',
      declared.access,
      () => new Map((declared.access?.items ?? []).map((each) => [each, each])),
    );
    this.facts = facts;
    if (this.looks > this.askers.size) {
      for (const [ground, askers] of this.askers) if (!askers.forget()) this.askers.delete(ground);
      this.looks = 0;
    }
    const findings = [...this.troubled].flatMap((unit) => unit.findings);
    return accept(graph, [...findings, ...look(facts, 'whole', graph, graph).findings]);
  }

  /** @param of what the subjects follow from: as long as it is the same object, they are what they were */
  private visit(
    facts: Facts,
    doubtful: ReadonlySet<Unit> | undefined,
    kind: SubjectKind,
    of: object | undefined,
    subjectsOf: () => Subjects,
  ): void {
    const before = this.subjects.get(kind);
    const all = before && before.of === of ? before.all : subjectsOf();
    this.subjects.set(kind, { of, all });
    let units = this.units.get(kind);
    if (!units) this.units.set(kind, (units = new Map()));
    const meet = (id: unknown) => {
      const subject = all.get(id);
      const known = units.get(id);
      const stands =
        known?.subject === subject && ((doubtful && !doubtful.has(known!)) || stillSo(facts, known!.asked));
      if (stands) return;
      this.forget(known);
      units.set(id, this.look(facts, kind, id, subject));
    };
    if (before && doubtful && sharesKeys(before.all, all)) {
      for (const id of differing(before.all, all)) meet(id);
      for (const unit of doubtful) if (unit.kind === kind && unit.live) meet(unit.id);
      return;
    }
    for (const id of all.keys()) meet(id);
    if (units.size === all.size) return;
    for (const [id, unit] of units) {
      if (all.has(id)) continue;
      units.delete(id);
      this.forget(unit);
    }
  }

  private forget(unit: Unit | undefined): void {
    if (!unit) return;
    unit.live = false;
    this.troubled.delete(unit);
  }

  /** The units that asked something that may be answered otherwise now; undefined for all. */
  private doubtful(facts: Facts): ReadonlySet<Unit> | undefined {
    const changed = this.facts && changesSince(this.facts, facts);
    if (!changed) return undefined;
    const found = new Set<Unit>();
    for (const ground of changed) for (const unit of this.askers.get(ground) ?? []) found.add(unit);
    return found;
  }

  private look(facts: Facts, kind: SubjectKind, id: unknown, subject: unknown): Unit {
    const unit = look(facts, kind, id, subject);
    this.looks++;
    const { questions, abouts } = unit.asked;
    questions.forEach((question, i) => {
      const ground = groundOf(question, abouts[i]);
      let askers = this.askers.get(ground);
      if (!askers) this.askers.set(ground, (askers = new Askers()));
      askers.add(unit);
    });
    if (unit.findings.length) this.troubled.add(unit);
    return unit;
  }
}

/** A broker as a subject: one object for as long as its declaration stays. */
const brokerSubjects = new WeakMap<BrokerDecl, BrokerSubject>();

function brokersIn({ topology }: RoutingGraph): Subjects {
  const found = new Map<string, BrokerSubject>();
  for (const [name, { value: decl }] of topology.declared.brokers ?? []) {
    const known = brokerSubjects.get(decl);
    const subject = known?.name === name ? known : { name, decl };
    brokerSubjects.set(decl, subject);
    found.set(name, subject);
  }
  return found;
}

const BY_KIND = new Map<SubjectKind, Check[]>();
for (const each of CHECKS) BY_KIND.set(each.of, [...(BY_KIND.get(each.of) ?? []), each]);

function look(facts: Facts, kind: SubjectKind, id: unknown, subject: unknown): Unit {
  const asked: Dependencies = { questions: [], abouts: [], answers: [] };
  // what looks at everything is looked at again anyway
  const eyes = contextOf(facts, kind === 'whole' ? undefined : asked);
  const findings: Finding[] = [];
  for (const { id, severity, run } of BY_KIND.get(kind) ?? [])
    for (const complaint of run(subject as never, eyes)) findings.push(findingOf(id, severity, complaint));
  return { kind, id, subject, findings, asked, live: true };
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

/** Whether a document may have acceptances. */
const written = new WeakMap<TextDocument, boolean>();

function mayAccept(document: TextDocument): boolean {
  let known = written.get(document);
  if (known === undefined) written.set(document, (known = document.text.includes('accept')));
  return known;
}

function accept({ topology }: RoutingGraph, found: readonly Finding[]): Checked {
  const written = topology.documents.some(mayAccept);
  const { standing, accepted, unused, unknown } = accepting(topology, found, IDS, written);
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

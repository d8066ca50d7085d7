/** The registry of all checks, and how they are run. */
import type { Finding } from '../model/finding.ts';
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
import { Facts, lookAt, stillSo, type Asked } from './look.ts';
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
  readonly findings: readonly Finding[];
  readonly asked: Asked;
}

/** Runs the checks on one topology again and again: only what an edit may have changed is looked at again. */
export class Checking {
  private units = new Map<unknown, Unit>();
  private facts: Facts | undefined;

  /** @param graph the next graph of the same reader; its places move with it, so results are of use until the next */
  run(graph: RoutingGraph): Checked {
    const facts = new Facts(graph, this.facts);
    const units = new Map<unknown, Unit>();
    const findings: Finding[] = [];
    const { declared, messages } = graph.topology;
    const visit = (kind: SubjectKind, subject: unknown) => {
      const known = this.units.get(subject);
      const unit = known && stillSo(facts, known.asked) ? known : look(facts, kind, subject);
      units.set(subject, unit);
      if (unit.findings.length) findings.push(...unit.findings);
    };
    for (const node of graph.nodes.values()) visit('node', node);
    for (const type of messages.values()) visit('message', type);
    for (const id of declared.links?.keys() ?? []) visit('link', id);
    for (const statement of declared.access?.items ?? []) visit('statement', statement);
    findings.push(...look(facts, 'whole', graph).findings);
    this.units = units;
    this.facts = facts;
    return accept(graph, findings);
  }
}

const BY_KIND = new Map<SubjectKind, Check[]>();
for (const each of CHECKS) BY_KIND.set(each.of, [...(BY_KIND.get(each.of) ?? []), each]);

function look(facts: Facts, kind: SubjectKind, subject: unknown): Unit {
  const asked: Asked = { questions: [], abouts: [], answers: [] };
  const eyes = lookAt(facts, asked);
  const findings: Finding[] = [];
  for (const { id, severity, run } of BY_KIND.get(kind) ?? [])
    for (const complaint of run(subject as never, eyes)) findings.push({ check: id, severity, ...complaint });
  return { findings, asked };
}

function accept({ topology }: RoutingGraph, found: readonly Finding[]): Checked {
  const { standing, accepted, unused, unknown } = accepting(topology.declared, found, IDS);
  const finding =
    ({ id, severity }: (typeof ABOUT_ACCEPTANCES)[number]) =>
    (complaint: Complaint): Finding => ({
      check: id,
      severity,
      ...complaint,
    });
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

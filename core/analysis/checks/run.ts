/** The registry of all checks, and how they are run. */
import { type Accepted, accepting } from './acceptances.ts';
import { aboutNothing } from './access/about-nothing.ts';
import { missingPermission } from './access/missing-permission.ts';
import { notCleared, unguardedBroker } from './access/not-cleared.ts';
import { otherTenant } from './access/other-tenant.ts';
import { twoMeanings } from './access/two-meanings.ts';
import { everyone, tooWide } from './access/too-wide.ts';
import { uselessAllow } from './access/useless-allow.ts';
import { mqttExchange } from './broker/mqtt-exchange.ts';
import { notCarried, notCarriedUnnamed } from './broker/not-carried.ts';
import { refusedSettings } from './broker/refused-settings.ts';
import type { Place } from '../../syntax/place.ts';
import type { BrokerSubject, Check, Complaint, SubjectKind } from './check.ts';
import { type FactKind, contextOf, factsOf } from './context.ts';
import { competingApps } from './copies/competing-apps.ts';
import { perInstance } from './copies/per-instance.ts';
import { sharedStore } from './copies/shared-store.ts';
import { twice } from './copies/twice.ts';
import { weights } from './copies/weights.ts';
import { autoAck } from './loss/auto-ack.ts';
import { badExample } from './loss/bad-example.ts';
import { deadLetterCycle } from './loss/dead-letter-cycle.ts';
import { endlessRound } from './loss/endless-round.ts';
import { fleetingQueue } from './loss/fleeting-queue.ts';
import { noDeadLetter } from './loss/no-dead-letter.ts';
import { notDurable } from './loss/not-durable.ts';
import { orderLost } from './loss/order-lost.ts';
import { badSchema } from './loss/schema.ts';
import { shortLease } from './loss/short-lease.ts';
import { shortTtl } from './loss/short-ttl.ts';
import { silentLimit } from './loss/silent-limit.ts';
import { slowTaker } from './loss/slow-taker.ts';
import { tooLarge } from './loss/too-large.ts';
import { unreadDeadLetter } from './loss/unread-dead-letter.ts';
import { wrapping } from './loss/wrapping.ts';
import { always } from './match/always.ts';
import { divides } from './match/divides.ts';
import { mqttTopic } from './match/mqtt-topic.ts';
import { neverMatch } from './match/never-match.ts';
import { swallowed } from './match/swallowed.ts';
import { undeclaredAttribute } from './match/undeclared-attribute.ts';
import { unfilteredSibling } from './match/unfiltered-sibling.ts';
import { wrongValue } from './match/wrong-value.ts';
import { expectationAboutNothing } from './names/expectation.ts';
import { nearAlike } from './names/near-alike.ts';
import { parameter } from './names/parameter.ts';
import { sameWireName } from './names/same-wire-name.ts';
import { unknownWord, unknownWordOfLink, unknownWordOfStatement } from './names/unknown-word.ts';
import { unstatedSetting } from './names/unstated-setting.ts';
import { watchingNothing } from './names/watching.ts';
import { aliasChain } from './nowhere/alias-chain.ts';
import { expectedType } from './nowhere/expected-type.ts';
import { neverFollows } from './nowhere/never-follows.ts';
import { handedOn } from './nowhere/handed-on.ts';
import { linkEnd } from './nowhere/link-end.ts';
import { withoutMqtt } from './nowhere/mqtt.ts';
import { noInstances } from './nowhere/no-instances.ts';
import { nothingArrives } from './nowhere/nothing-arrives.ts';
import { spreadMembers } from './nowhere/spread-members.ts';
import { unmatched } from './nowhere/unmatched.ts';
import { unreachableStore } from './nowhere/unreachable-store.ts';
import { unreceivedType } from './nowhere/unreceived-type.ts';
import { unservedEntry } from './nowhere/unserved-entry.ts';
import { untakenStore } from './nowhere/untaken-store.ts';
import type { TextDocument } from '../../base/edits.ts';
import type { BrokerDecl } from '../../brokers/kinds.ts';
import { Asking } from '../../incremental/asking.ts';
import { Question, remembered } from '../../incremental/memory.ts';
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
  noInstances,
  handedOn,
  withoutMqtt,
  expectedType,
  neverFollows,
  unreceivedType,
  aliasChain,
  linkEnd,
  spreadMembers,
  neverMatch,
  mqttTopic,
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
  weights,
  notDurable,
  autoAck,
  slowTaker,
  shortLease,
  shortTtl,
  noDeadLetter,
  deadLetterCycle,
  endlessRound,
  unreadDeadLetter,
  silentLimit,
  tooLarge,
  orderLost,
  wrapping,
  badExample,
  badSchema,
  fleetingQueue,
  missingPermission,
  tooWide,
  everyone,
  otherTenant,
  uselessAllow,
  aboutNothing,
  twoMeanings,
  notCleared,
  unguardedBroker,
  refusedSettings,
  mqttExchange,
  notCarried,
  unstatedSetting,
  nearAlike,
  sameWireName,
  unknownWord,
  parameter,
  expectationAboutNothing,
  watchingNothing,
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

/** What looks at other subjects for the same: told of with the check of its id. */
const MORE: readonly Check[] = [unknownWordOfLink, unknownWordOfStatement, notCarriedUnnamed];

const IDS: ReadonlySet<string> = new Set(CHECKS.map(({ id }) => id));

/** What the checks said. */
export interface Checked {
  /** What stands, in no particular order. */
  readonly findings: readonly Finding[];
  /** What somebody wrote down as meant. */
  readonly accepted: readonly Accepted[];
}

/** A broker as a subject: one object for as long as its declaration stays. */
const brokerSubject = remembered(
  (decl: BrokerDecl, name: string, place: Place): BrokerSubject => ({ name, place, decl }),
  (subject, _, name, place) => subject.name === name && subject.place === place,
);

const BY_KIND = new Map<SubjectKind, Check[]>();
for (const each of [...CHECKS, ...MORE]) BY_KIND.set(each.of, [...(BY_KIND.get(each.of) ?? []), each]);

type Found = readonly Finding[];

const ASKING = new Question<Asking<FactKind, Found>>('checks');

/**
 * @returns what all checks say of a topology's graph; after a change only those look again that asked
 *   about something that is otherwise now
 */
export function checkAll(graph: RoutingGraph): Checked {
  const { topology, nodes } = graph;
  const { declared, messages, memory } = topology;
  const asking = memory.own(ASKING, () => new Asking<FactKind, Found>());
  const context = contextOf(asking.ask);
  const brokers = [...(declared.brokers ?? [])].map(
    ([name, { key, value }]) => [name, brokerSubject(value, name, key)] as const,
  );
  const statements = declared.access?.items ?? [];
  const subjects: Readonly<Record<SubjectKind, ReadonlyMap<unknown, unknown>>> = {
    node: nodes,
    message: messages,
    broker: new Map(brokers),
    link: new Map([...(declared.links?.keys() ?? [])].map((id) => [id, id])),
    statement: new Map(statements.map((each) => [each, each])),
    whole: new Map([['', graph]]),
  };
  const found = asking.run(factsOf(graph), new Map(Object.entries(subjects)), (kind, _, subject) => {
    let findings: Finding[] | undefined;
    for (const { id, severity, run } of BY_KIND.get(kind as SubjectKind) ?? [])
      for (const complaint of run(subject as never, context))
        (findings ??= []).push(findingOf(id, severity, complaint));
    return findings;
  });
  const all: Finding[] = [];
  for (const each of found) for (const finding of each) all.push(finding);
  return accept(graph, all);
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
const mayAccept = remembered((document: TextDocument): boolean => document.text.includes('accept'));

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

/** @returns the findings of all checks that stand */
export function runChecks(graph: RoutingGraph): readonly Finding[] {
  return checkAll(graph).findings;
}

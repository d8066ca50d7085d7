/** An environment as it is: what waits where, who takes, what contradicts the topology. */
import { boolean, number, string, type InferType } from 'yup';
import { list, map, maybeWhole, record, text, time, whole, word, yes } from './kinds.ts';
import type { Routes } from './route.ts';

const count = () => number().min(0).required();
/** How many a second; null where that is not known. */
const perSecond = () => number().min(0).nullable().defined();

const taker = record(
  {
    name: text(),
    user: text(),
    /** The declared app that it is, where that is known. */
    app: text().nullable(),
    /** How many it is given before it settles any; 0 is without limit. */
    atOnce: maybeWhole().nullable().defined(),
    inHand: maybeWhole().nullable().defined(),
  },
  'TakerNow',
);
const store = record(
  {
    broker: text(),
    /** As the broker calls it. */
    name: text(),
    /** What declares it; null where nothing does. */
    id: text().nullable(),
    waiting: count(),
    inHand: count(),
    delayed: count(),
    takers: list(taker),
    comes: perSecond(),
    goes: perSecond(),
    oldestAt: time().nullable(),
    node: text().nullable(),
  },
  'StoreNow',
);
export type StoreSeen = InferType<typeof store>;
const entry = record(
  { broker: text(), name: text(), id: text().nullable(), comes: perSecond(), goes: perSecond() },
  'EntryNow',
);
const contradiction = record(
  {
    kind: word(
      'broker away',
      'not there',
      'not connected',
      'not declared',
      'grows',
      'stalls',
      'dead letters',
      'link stands',
    ),
    /** The topology's id of what it is about; empty for what nothing declares. */
    about: text(),
    /** The same as long as it is the same one. */
    id: text(),
    words: text(),
    app: text().nullable(),
    /** As `broker/name` on the broker. */
    store: text().nullable(),
    since: time(),
  },
  'Contradiction',
);
export type ContradictionSeen = InferType<typeof contradiction>;

/** Whether the apps of an environment shall run, made up. */
export const madeUpApps = record({ run: boolean().required() });
const madeUp = record({
  /** Whether they may: all that stands there is on brokers that came with the installation. */
  may: yes(),
  run: yes(),
});

const alert = record(
  {
    rule: text(),
    /** The topology's id of what it is about. */
    about: text(),
    /** `broker/name` on the broker. */
    place: text(),
    words: text(),
    /** Since when its condition holds. */
    since: time(),
    /** When it goes off, or went off. */
    offAt: time(),
    /** Whether it holds for as long as it must. */
    off: yes(),
  },
  'AlertNow',
);
export type AlertSeen = InferType<typeof alert>;

const alertThen = record(
  {
    rule: text(),
    about: text(),
    place: text(),
    words: text(),
    since: time(),
    wentOffAt: time(),
    /** Null where it is still off. */
    endedAt: time().nullable(),
  },
  'AlertThen',
);
export type AlertThen = InferType<typeof alertThen>;

const difference = record(
  {
    broker: text(),
    kind: word('missing', 'changed', 'extra'),
    /** What it is, in words. */
    what: text(),
    /** What would put it back, in words; nothing where it is somebody else's and stays. */
    putBack: text().nullable(),
    /** What it is of, for whom `there` and `applied` say more. */
    of: word('exchange', 'queue', 'binding', 'thing', 'rights'),
    /** As the broker has it, in its own terms; null where it is gone. */
    there: map().nullable(),
    /** As it was applied, in the same terms; null where it was not. */
    applied: map().nullable(),
  },
  'Difference',
);
export type DifferenceSeen = InferType<typeof difference>;

const drift = record(
  {
    at: time(),
    /** Brokers that could not be read, and why. */
    away: list(record({ broker: text(), why: text() }, 'BrokerAway')),
    differences: list(difference),
    /** Differences that are there and not told, since there are too many. */
    more: whole(),
  },
  'Drift',
);
export type DriftSeen = InferType<typeof drift>;

const look = record(
  {
    at: time(),
    brokers: list(record({ broker: text(), revision: whole(), away: text().nullable() }, 'BrokerSeen')),
    stores: list(store),
    entries: list(entry),
    links: list(record({ link: text(), runs: yes(), why: text().nullable(), carried: whole() }, 'LinkNow')),
    said: list(contradiction),
    /** Alerts of the topology whose conditions hold. */
    alerts: list(alert).default([]),
    /** Alerts that hold and are not told, since there are too many. */
    moreAlerts: whole().default(0),
    /** Stores that are there and not told, since there are too many. */
    more: whole(),
    /** How what the brokers have differs from what was applied; null where that was not looked at yet. */
    drift: drift.nullable().default(null),
  },
  'Look',
);
export type LookSeen = InferType<typeof look>;

/** Which course of which store is asked for. */
export const askedCourse = record({
  broker: string().max(500).required(),
  store: string().max(500).required(),
  /** So far back. */
  minutes: number().integer().min(1).max(129_600).required(),
});

const point = record(
  {
    at: time(),
    waiting: count(),
    mostWaiting: count(),
    inHand: count(),
    delayed: count(),
    takers: count(),
    comes: count(),
    goes: count(),
  },
  'Point',
);
const course = record(
  {
    /** How long each point's stretch is, in seconds. */
    step: whole(),
    points: list(point),
    /** Rollouts that ended within that time. */
    rollouts: list(record({ id: whole(), revision: whole(), broker: text(), at: time() }, 'RolloutThen')),
  },
  'Course',
);
export type Course = InferType<typeof course>;

export const watchRoutes = {
  'GET /topologies/:slug/watch/:environment': {
    what: 'How an environment stands: stores, entries, takers, links, and what contradicts the topology',
    more: 'As it was at the last look, some seconds ago; 404 where nothing of the topology stands there.',
    door: 'read',
    answer: look,
  },
  'POST /topologies/:slug/watch/:environment/drift': {
    what: 'Look now how what the brokers have differs from what was applied there',
    more: 'It is also looked at every minute: see the answer of `GET …/watch/:environment`. Nothing is changed.',
    door: 'read',
    answer: drift,
    status: 200,
  },
  'GET /topologies/:slug/watch/:environment/apps': {
    what: 'Whether the apps of an environment run, made up',
    door: 'read',
    answer: madeUp,
  },
  'PUT /topologies/:slug/watch/:environment/apps': {
    what: 'Let the apps of an environment run, made up, or end them',
    more: 'They send examples at the rates that are declared, and take as is declared. They run only where all that stands is on brokers that came with the installation, and end with the server that began them.',
    door: 'operate',
    body: madeUpApps,
    answer: madeUp,
  },
  'GET /topologies/:slug/watch/:environment/alerts': {
    what: 'The alerts of an environment that went off, the newest first',
    more: 'The last 200 of the last 90 days. Webhooks are told of each as it goes off, and as it ends.',
    door: 'read',
    answer: list(alertThen),
  },
  'GET /topologies/:slug/watch/:environment/course': {
    what: 'How a store stood over time',
    more: 'In stretches of five seconds for the last hour, of a minute for two days, of an hour for ninety days.',
    door: 'read',
    query: askedCourse,
    answer: course,
  },
} as const satisfies Routes;

/** An environment as it is: what waits where, who takes, what contradicts the topology. */
import { number, string, type InferType } from 'yup';
import { list, maybeWhole, record, text, time, whole, word, yes } from './kinds.ts';
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
    oldestAt: time().nullable().defined().default(null),
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

const look = record(
  {
    at: time(),
    brokers: list(record({ broker: text(), revision: whole(), away: text().nullable() }, 'BrokerSeen')),
    stores: list(store),
    entries: list(entry),
    links: list(record({ link: text(), runs: yes(), why: text().nullable(), carried: whole() }, 'LinkNow')),
    said: list(contradiction),
    /** Stores that are there and not told, since there are too many. */
    more: whole(),
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
  'GET /topologies/:slug/watch/:environment/course': {
    what: 'How a store stood over time',
    more: 'In stretches of five seconds for the last hour, of a minute for two days, of an hour for ninety days.',
    door: 'read',
    query: askedCourse,
    answer: course,
  },
} as const satisfies Routes;

/** What taps kept of messages that passed. */
import { number, string, type InferType } from 'yup';
import { list, map, record, text, time, whole, yes } from './kinds.ts';
import type { Routes } from './route.ts';

/** A whole number that may be larger than others are. */
const large = () => number().integer().min(0).required();

const tap = record(
  {
    /** The topology's id of the place. */
    place: text(),
    broker: text(),
    /** How long copies are kept, in milliseconds. */
    keepMs: large(),
    body: yes(),
    /** Whether the process that answers listens there; another one may. */
    runs: yes(),
    /** Why nobody listens, in words. */
    why: text().nullable(),
    /** What passes there and is not seen, in words. */
    unseen: list(text()),
  },
  'Tap',
);
export type TapSeen = InferType<typeof tap>;

/** Which copies are asked for. */
export const askedPassed = record({
  /** What stands in a key, an id, a type, or who sent it; for whoever may read them, in headers and payloads too. */
  find: string().max(200),
  place: string().max(600),
  /** All copies of one message. */
  same: string().max(1100),
  from: string().max(40),
  until: string().max(40),
  /** Those kept before this one. */
  before: number().integer().min(1),
  most: number().integer().min(1).max(200).required(),
});
export type AskedPassed = InferType<typeof askedPassed>;

const passed = record(
  {
    id: large(),
    place: text(),
    at: time(),
    /** The same for copies of one message. */
    same: text(),
    key: text(),
    messageId: text().nullable(),
    correlationId: text().nullable(),
    /** Who sent it, as far as it says so. */
    who: text().nullable(),
    type: text().nullable(),
    died: text().nullable(),
    size: whole(),
    headers: map().nullable(),
    body: text().nullable(),
    /** Whether headers or a payload are kept that whoever asks may not read. */
    hidden: yes(),
    until: time(),
  },
  'Passed',
);
export type Passed = InferType<typeof passed>;

export const tapRoutes = {
  'GET /topologies/:slug/taps/:environment': {
    what: 'The taps of an environment, and whether somebody listens',
    door: 'read',
    answer: list(tap),
  },
  'GET /topologies/:slug/passed/:environment': {
    what: 'Copies of messages that passed the taps of an environment',
    more: 'The newest first; of one message (`same`) all of them, the first first. Headers and payloads are told of one message at a time, to those only whom an owner lets read what is in messages, and that they were is recorded.',
    door: 'operate',
    query: askedPassed,
    answer: list(passed),
  },
} as const satisfies Routes;

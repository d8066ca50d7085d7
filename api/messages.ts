/** Messages on real brokers: looked at, sent, moved and destroyed. */
import { mixed, number, string, type InferType } from 'yup';
import { list, map, record, text, time, whole, word, yes } from './kinds.ts';
import { newProbe } from './rollouts.ts';
import type { Routes } from './route.ts';

/** So many messages are looked at together. */
export const MOST_LOOKED = 100;
/** So many are moved or destroyed by one operation. */
export const MOST_OPERATED = 100_000;

export const askedMessages = record({
  broker: string().max(500).required(),
  store: string().max(500).required(),
  most: number().integer().min(1).max(MOST_LOOKED),
});

const death = record({ why: text(), at: text(), count: whole(), when: time().nullable() }, 'Death');
const messageSeen = record(
  {
    /** Its place, the oldest first, from 1. */
    place: whole(),
    key: text(),
    exchange: text(),
    headers: map().required(),
    properties: map().required(),
    /** In bytes; null where the broker does not tell. */
    size: whole().nullable().defined(),
    /** How often it was handed out before; null where that is not told. */
    tries: whole().nullable().defined(),
    arrivedAt: time().nullable(),
    /** Somebody has it in hand now. */
    inHand: yes(),
    /** Where and why it was given up, the last first. */
    deaths: list(death),
    body: record({
      /** How it is read: as JSON, as text, or as bytes in base64. */
      as: word('json', 'text', 'bytes', 'nothing'),
      value: mixed().nullable(),
      /** Only its beginning is told. */
      cut: yes(),
      /** Why it is not shown; empty where it is. */
      hidden: text(),
    }),
    /** The declared types that it is of, the most particular first; or the nearest, with what keeps it from them. */
    types: list(record({ type: text(), remarks: list(text()), labels: list(text()) }, 'Recognised')),
  },
  'MessageSeen',
);
export type MessageSeen = InferType<typeof messageSeen>;

export const askedTaking = record({
  broker: string().max(500).required(),
  store: string().max(500).required(),
});

export const WHATS = ['empty', 'move', 'copy'] as const;
export type OperationWhat = (typeof WHATS)[number];

export const newOperation = record({
  what: string().oneOf(WHATS).required(),
  broker: string().max(500).required(),
  store: string().max(500).required(),
  /** Where to; nothing where each goes back to where it died. */
  to: string().max(500),
  /** The broker that they go to; left out where it is the same. Both have to be AMQP 0-9-1 brokers. */
  toBroker: string().max(500),
  /** Only messages of which this is true: a selector in the grammar of SQL conditions (JMS 2.0 §3.8). */
  where: string().max(4000),
  /** At most so many, the oldest first. */
  most: number().integer().min(1).max(MOST_OPERATED),
  /** How many may be destroyed or moved: what was seen when it was agreed to. */
  agreed: number().integer().min(1).max(MOST_OPERATED).required(),
});

const operation = record(
  {
    id: whole(),
    what: word(...WHATS),
    broker: text(),
    store: text(),
    to: text(),
    /** Where they go to another broker; empty where it is the same. */
    toBroker: text(),
    where: text(),
    agreed: whole(),
    /** How many were done, and how many were looked at. */
    done: whole(),
    looked: whole(),
    state: word('running', 'done', 'stopped', 'failed'),
    /** What went wrong, or why it was not all. */
    error: text().nullable(),
    by: text(),
    at: time(),
    finishedAt: time().nullable(),
  },
  'Operation',
);
export type OperationEntry = InferType<typeof operation>;

export const messageRoutes = {
  'GET /topologies/:slug/messages/:environment': {
    what: 'Look at the oldest messages of a store',
    more: 'None is taken. On an AMQP 0-9-1 broker they are taken and put back in their place at once, which marks them as redelivered; a queue that counts that as a try is refused. What is in them is told to members who are let read it, masked where it is guarded and they are not; each look at bodies is in the audit trail.',
    door: 'operate',
    query: askedMessages,
    answer: record({
      messages: list(messageSeen),
      /** How many waited there. */
      waiting: whole(),
      /** What looking does there, in words. */
      said: text(),
    }),
  },
  'POST /topologies/:slug/messages/:environment/take': {
    what: 'Take the oldest message of a store, for good',
    more: 'It is told as far as whoever takes it may read it, and is gone then. That it was taken is in the audit trail before it is.',
    door: 'operate',
    body: askedTaking,
    answer: record({
      /** Null where none waits. */
      message: messageSeen.nullable().defined(),
    }),
  },
  'POST /topologies/:slug/messages/:environment/send': {
    what: 'Send a message, as an app does',
    more: 'It is a real one: whoever takes it acts on it.',
    door: 'operate',
    body: newProbe,
    answer: record({
      /** Whether no store wanted it; null where the protocol does not tell. */
      returned: yes().nullable(),
      /** Why the broker did not take it. */
      refused: text().nullable(),
      /** What in it is not as its type says. */
      remarks: list(text()),
      /** Where it is to come to rest, by the trace. */
      predicted: list(text()),
    }),
  },
  'GET /topologies/:slug/messages/:environment/operations': {
    what: 'What was moved and destroyed, the newest first',
    door: 'read',
    answer: list(operation),
  },
  'POST /topologies/:slug/messages/:environment/operations': {
    what: 'Empty a store, or move or copy its messages',
    more: 'Answers at once; how far it is, the list of operations tells. Never more is moved or destroyed than was agreed to. A message is taken only once the broker has it elsewhere: whatever falls meanwhile, none is lost; one that was on its way then may be there twice.',
    door: 'operate',
    body: newOperation,
    status: 202,
    answer: record({ id: whole() }),
  },
  'POST /topologies/:slug/messages/:environment/operations/:id/stop': {
    what: 'Stop an operation',
    more: 'After the message at hand; what was done stays done.',
    door: 'operate',
  },
} as const satisfies Routes;

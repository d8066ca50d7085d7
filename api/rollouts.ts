/** Rollouts of a topology's revisions, and the probes that prove them. */
import { boolean, mixed, number as amount, string, type InferType } from 'yup';
import type { Step } from '@vondle/core/analysis';
import { list, map, maybeWhole, record, text, time, whole, word, yes } from './kinds.ts';
import type { Routes } from './route.ts';

/** A revision, or the tear-down of all that was made there; on one target, or on all of an environment. */
export const newRollout = record({
  target: maybeWhole(),
  environment: string().max(255),
  revision: maybeWhole(),
  tearDown: boolean(),
});
export const consentInput = record({ words: string().max(1000) });
export const applyInput = record({ destroys: maybeWhole(), cutsOff: maybeWhole() });
export const newProbe = record({
  app: string().required().max(255),
  message: string().required().max(255),
  to: string().required().max(600),
  via: string().oneOf(['amqp', 'mqtt']),
  sample: record({
    key: string().test(
      'bytes',
      'a key has at most 255 bytes',
      (key) => new TextEncoder().encode(key ?? '').length <= 255,
    ),
    headers: map(),
    properties: map(),
    body: mixed(),
  }),
});

const STATES = ['planned', 'applying', 'applied', 'failed', 'stopped', 'interrupted'] as const;
export type RolloutState = (typeof STATES)[number];
const RISKS = ['none', 'interrupts', 'loses', 'widens access'] as const satisfies readonly Step['risk'][];

const entryFields = {
  id: whole(),
  targetId: whole().nullable(),
  environment: text(),
  broker: text(),
  revision: whole(),
  /** Whether all that the topology made there is taken away; the revision is the one that stood there. */
  tearsDown: yes(),
  /** The first of those that were planned together. */
  together: whole().nullable(),
  /** The rollout that has to be carried out whole before this one begins by itself. */
  startsAfter: whole().nullable(),
  state: word(...STATES),
  change: whole(),
  inPlace: whole(),
  /** What it is waiting for. */
  note: text().nullable(),
  /** Whether its environment is protected, so that an approver has to consent. */
  needsConsent: yes(),
  consentBy: text().nullable(),
  consentWords: text().nullable(),
  startedBy: text().nullable(),
  stopAsked: yes(),
  verified: yes().nullable(),
  error: text().nullable(),
  by: text(),
  createdAt: time(),
  finishedAt: time().nullable(),
};
const rolloutEntry = record(entryFields, 'RolloutEntry');
export type RolloutEntry = InferType<typeof rolloutEntry>;

const headFields = {
  ...entryFields,
  kept: list(text()),
  leftToOthers: list(record({ of: text(), why: text() })),
  /**
   * Queues that are removed or made anew, with the messages that go with them, those that are carried over, and who takes
   * from them.
   */
  destroys: list(record({ queue: text(), messages: whole(), takers: whole(), carried: whole().optional() })),
  /** Messages that miss somewhere, or are too much, from the carrying out of one step until that of another. */
  windows: list(
    record({
      from: whole(),
      until: whole(),
      kind: word('missing', 'extra'),
      message: text(),
      store: text(),
      witness: map().required(),
      close: text(),
    }),
  ),
  /** What could not be told of messages on the way, and why. */
  unproved: list(text()),
  /** What stands against it in a protected environment. */
  obstacles: list(text()),
};
const rolloutHead = record(headFields, 'RolloutHead');
export type RolloutHead = InferType<typeof rolloutHead>;

const stepFields = {
  position: whole(),
  title: text(),
  risk: word(...RISKS),
  /** What goes with it, in a sentence. */
  destroys: text().nullable(),
  /** What would undo it. */
  inverse: text().nullable(),
  /** What is made, changed or removed, as the broker is told it. */
  settings: map().nullable(),
  /** Where the revision's text asks for it: a document and a stretch of it, in UTF-16 code units. */
  place: record({ doc: text(), start: whole(), end: whole() }).nullable().default(null),
  state: word('pending', 'running', 'done', 'failed', 'unknown'),
  error: text().nullable(),
  /** What there is to know of how it went. */
  said: text().nullable(),
};
const step = record(stepFields, 'Step');
export type StepLine = InferType<typeof step>;
const count = record({ all: whole(), done: whole() });

/** What is told of a rollout that is watched; of the steps, those that changed. */
const rolloutNews = record(
  { rollout: rolloutHead, count, steps: list(record({ ...stepFields, change: whole() })) },
  'RolloutNews',
);
export type RolloutNews = InferType<typeof rolloutNews>;

/** Where the copies of a probe are, by queue. */
const landingFields = { queues: map(whole()).required(), returned: yes() };
const landing = record(landingFields, 'Landing');
export type Landing = InferType<typeof landing>;

/** A message of a set of probes: how it is sent, and what it is called. */
const probeCase = record(
  {
    title: text(),
    app: text(),
    message: text(),
    to: text(),
    via: word('amqp', 'mqtt'),
    sample: record({ key: text(), headers: map().required(), properties: map().required(), body: mixed() }),
  },
  'ProbeCase',
);
export type ProbeCase = InferType<typeof probeCase>;

const probe = record(
  {
    id: whole(),
    sent: record({
      type: string(),
      key: text(),
      headers: map().required(),
      properties: map(),
      body: mixed(),
      to: text(),
      app: string(),
      via: string(),
      /** What in it is not as its type says; none where it was sent before that was told. */
      remarks: list(text()).optional(),
      /** What apps would send because of it, which no probe makes them do. */
      follows: list(probeCase).optional(),
    }),
    predicted: landing,
    observed: record({
      ...landingFields,
      refused: yes(),
      /** Queues that could not be looked beside, and why. */
      unseen: list(record({ queue: text(), why: text() })),
      /** Milliseconds after it was sent that a copy was seen, by queue. */
      times: map(amount().required()),
      /** Why it was refused, in the broker's words. */
      why: string(),
      /** Queues its copies stay in until somebody takes them. */
      stays: list(text()),
    }),
    /** Null where nothing differs but not all could be seen. */
    agrees: yes().nullable(),
    /** Whether it was sent before the rollout was carried out, against what stood there. */
    before: yes(),
    createdAt: time(),
  },
  'Probe',
);
export type Probe = InferType<typeof probe>;

/** One of those that were planned together for an environment, in their order. */
const member = record({
  id: whole(),
  broker: text(),
  state: word(...STATES),
  verified: yes().nullable(),
  /** Whether it begins by itself once the one before is carried out. */
  waits: yes(),
  steps: whole(),
  destroys: whole(),
  cutsOff: whole(),
});
const rollout = record(
  { ...headFields, count, steps: list(step), probes: list(probe), group: list(member) },
  'Rollout',
);
export type Rollout = InferType<typeof rollout>;

export const rolloutRoutes = {
  'GET /topologies/:slug/rollouts': {
    what: 'Its rollouts, the newest first',
    door: 'read',
    answer: list(rolloutEntry),
  },
  'POST /topologies/:slug/rollouts': {
    what: 'Plan a rollout of a revision to a target',
    more: 'Reads the broker, and lists the steps that make it as the revision says. With `environment` instead of a target it is planned for every broker connected there: the answer is the first, `group` of it names all, and where one is applied those after it follow. With `tearDown` instead of a revision, those that take away all that the topology made there, and nothing else; 409 where it made nothing there.',
    door: 'operate',
    body: newRollout,
    status: 201,
    answer: record({ id: whole() }),
  },
  'GET /topologies/:slug/rollouts/:id': {
    what: 'A rollout, with the first thousand of its steps and its newest probes',
    door: 'read',
    answer: rollout,
  },
  'GET /topologies/:slug/rollouts/:id/steps': {
    what: 'Steps of a rollout, a thousand at most',
    door: 'read',
    query: record({ from: maybeWhole() }),
    answer: list(step),
  },
  'GET /topologies/:slug/rollouts/:id/live': {
    what: 'Listen to a rollout',
    more: 'Events after the change that is named, or that the browser heard last (`Last-Event-ID`); `event: over` is the last.',
    door: 'read',
    query: record({ after: maybeWhole() }),
    type: 'text/event-stream',
    answer: rolloutNews,
  },
  'POST /topologies/:slug/rollouts/:id/consent': {
    what: 'Consent to a rollout in a protected environment',
    more: '403 for who wrote the revision; 409 where something stands against it and `words` are missing.',
    door: 'approve',
    body: consentInput,
    bodyOptional: true,
  },
  'POST /topologies/:slug/rollouts/:id/apply': {
    what: 'Carry a rollout out',
    more: '`destroys` says how many messages may go with queues, `cutsOff` how many takers may be cut off, all together; needed where there are any. 403 without the consent it needs, or from who gave it; 409 when the broker has changed since it was planned (`changes`), when another number of messages or takers is agreed to, or when another rollout is carried out on that broker.',
    door: 'operate',
    body: applyInput,
    bodyOptional: true,
    status: 202,
  },
  'POST /topologies/:slug/rollouts/:id/stop': {
    what: 'Stop a rollout after the step at hand',
    door: 'operate',
    status: 202,
  },
  'GET /topologies/:slug/rollouts/:id/probe-set': {
    what: 'The messages of a set of probes that enter its broker',
    more: '`of=samples`: every sample that is kept and examples of each type; `of=classes`: one of each class of messages. A hundred at most; `more` says how many there are beyond. Each is sent as a probe of its own.',
    door: 'operate',
    query: record({ of: string().oneOf(['samples', 'classes']) }),
    answer: record({ cases: list(probeCase), more: whole() }),
  },
  'POST /topologies/:slug/rollouts/:id/probes': {
    what: 'Send a probe message and look where it comes out',
    more: 'Of a rollout that is planned: to what stands there, before it is changed. `agrees` is true, false, or null where nothing differs but not all could be seen.',
    door: 'operate',
    body: newProbe,
    status: 201,
    answer: list(probe),
  },
} as const satisfies Routes;

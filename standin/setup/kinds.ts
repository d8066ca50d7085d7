/** What a space of the stand-in has, as its administration takes and tells it. */
import { anything, list, record, word } from '@vondle/api/kinds';
import { boolean, number, string, type InferType } from 'yup';

/** A name of a thing: no control characters, of a length that can be shown. */
const NAME = /^[^\p{Cc}]{1,255}$/u;
export const isName = (text: string): boolean => NAME.test(text) && text.trim() === text;

const name = () =>
  string().matches(NAME, { message: '${path} is no name', excludeEmptyString: false }).required();
/** The longest time anything takes: ten years, in milliseconds. */
const LONGEST_MS = 10 * 366 * 86_400_000;
const ms = () => number().integer().min(0).max(LONGEST_MS);

const order = () => string().oneOf(['best-effort', 'fifo'] as const);
const given = {
  order: order(),
  leaseMs: ms().min(100),
  ttlMs: ms(),
  maxDeliveries: number().integer().min(1).max(1_000_000),
  deadLetter: record({ to: name() }).optional().default(undefined),
  tenant: string().max(255),
};

export const topic = record({ order: order(), dedupeMs: ms(), tenant: string().max(255) }, 'Topic');
export const queue = record({ ...given, delayMs: ms() }, 'Queue');
export const subscription = record(
  {
    ...given,
    topic: name(),
    to: string().matches(NAME),
    filter: anything('a filter as the topology language has it').optional(),
    wrap: boolean(),
  },
  'Subscription',
);
const ACTIONS = ['publish', 'consume', 'browse', 'declare', 'bind', 'subscribe'] as const;
const actions = () =>
  list(word(...ACTIONS))
    .max(6)
    .optional()
    .default(undefined);
export const statement = record(
  {
    allow: actions(),
    deny: actions(),
    /** `app:x`, `tenant:x`, `topic:x`, `link:x` or `any`; names as they are here. */
    who: list(name()).min(1).max(1000),
    /** Names of things here; `*` stands for anything. */
    on: list(name()).min(1).max(1000),
    when: record({
      source: string().max(512),
      tenant: string().max(255),
      encrypted: boolean(),
      key: string().max(512),
    })
      .optional()
      .default(undefined),
  },
  'Statement',
);

export const KINDS = { topic, queue, subscription, statement } as const;
export type Kind = keyof typeof KINDS;
export const PLURAL: Readonly<Record<string, Kind>> = {
  topics: 'topic',
  queues: 'queue',
  subscriptions: 'subscription',
  statements: 'statement',
};

export type TopicSettings = InferType<typeof topic>;
export type QueueSettings = InferType<typeof queue>;
export type SubscriptionSettings = InferType<typeof subscription>;
export type StatementSettings = InferType<typeof statement>;
export type Settings = TopicSettings | QueueSettings | SubscriptionSettings | StatementSettings;

/** A user of a space: whose, and as whom statements speak of it. */
export const user = record(
  {
    tenant: name(),
    actsAs: string()
      .matches(/^(app|link):[^\p{Cc}]{1,255}$/u, '${path} is no app:x or link:x')
      .required(),
  },
  'User',
);

/** A space: whose it is, and whether what no statement allows is refused. */
export const space = record({ tenant: name(), access: word('open', 'controlled') }, 'Space');

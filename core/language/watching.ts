/** What is to be told of a running environment: alert rules, and taps that keep copies of what passes. */
import { address, note } from './common.ts';
import { type Infer, duration, field, flag, id, integer, list, object, rate, text } from './shape.ts';

/** The places that a pattern may cover. */
const places = address('a resource');
const inEnvironments = field(
  list(id('an environment'), { orOne: true }),
  'only where these environments stand',
  { otherwise: 'in every environment' },
);

/** What an alert asks; all of it has to hold at once. */
const alertWhen = object({
  waiting: field(integer(0), 'more than so many wait', { otherwise: 'however many wait' }),
  inHand: field(integer(0), 'more than so many are being processed', {
    otherwise: 'however many are processed',
  }),
  oldest: field(duration(), 'what waits longest does so for longer than this', {
    otherwise: 'however long they wait',
  }),
  takers: field(integer(1), 'fewer than so many takers are connected', { otherwise: 'however many take' }),
  comes: field(rate(), 'more come than this', { otherwise: 'however many come' }),
  quiet: field(flag(), 'none come', { otherwise: '`false`' }),
  for: field(duration(), 'how long all of it must hold', { otherwise: '`0s`: at once' }),
});

export const alertRule = object({
  name: field(text('a name'), 'the alert in words', { required: true }),
  on: field(
    list(places, { orOne: true }),
    'the stores it looks at, and for `comes` and `quiet` exchanges and topics: addresses; * stands for anything inside one segment',
    { required: true },
  ),
  when: field(alertWhen, 'what must hold, all at once', { required: true }),
  in: inEnvironments,
  note,
});

export const tap = object({
  on: field(
    list(places, { orOne: true }),
    'where it listens, exchanges, topics and stores: addresses; * stands for anything inside one segment',
    { required: true },
  ),
  keep: field(duration(), 'how long copies are kept, 90 days at most', { otherwise: '`7d`' }),
  body: field(flag(), 'payloads are kept too, of declared types without guarded data', {
    otherwise: '`false`',
  }),
  in: inEnvironments,
  note,
});

export type AlertDecl = Infer<typeof alertRule>;
export type TapDecl = Infer<typeof tap>;

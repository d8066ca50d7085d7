/** Links: store-and-forward paths between brokers. */
import { accept } from './acceptance.ts';
import { address, note } from './common.ts';
import { type Infer, duration, field, flag, integer, list, object, shortText, wholly } from './shape.ts';

const farEnd = object({
  from: field(address('a queue'), 'the queue whose messages the far end expects', {
    otherwise: 'the queue the link takes from',
  }),
  keys: field(
    list(shortText('a key pattern'), { orOne: true }),
    'decided where the link begins, so not here',
    { otherwise: 'those of the link' },
  ),
  batch: field(integer(1), 'decided where the link begins, so not here', { otherwise: 'that of the link' }),
});

export const link = object({
  from: field(address('a queue'), 'the queue it takes from', { required: true }),
  to: field(address('an entry'), 'where it publishes, on another broker', { required: true }),
  keys: field(
    wholly(list(shortText('a key pattern'), { orOne: true })),
    'only keys that match one of these travel',
    { otherwise: 'every message' },
  ),
  batch: field(integer(1), 'messages carried at a time', { otherwise: '`1`' }),
  active: field(flag(), 'whether it runs', { otherwise: '`true`' }),
  latency: field(duration(), 'how long the way takes', { otherwise: '`0s`' }),
  receives: field(farEnd, 'what is set at the far end, where that is set up apart', {
    otherwise: 'nothing is set there',
  }),
  accept,
  note,
});

export type LinkDecl = Infer<typeof link>;

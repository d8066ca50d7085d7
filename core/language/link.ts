/** Links: store-and-forward paths between brokers. */
import { accept } from './acceptance.ts';
import { address, note } from './common.ts';
import { type Infer, duration, field, flag, integer, list, object, shortText, wholly } from './shape.ts';

const farEnd = object({
  from: field(address('a queue'), 'the queue whose messages the far end expects'),
  keys: field(
    list(shortText('a key pattern'), { orOne: true }),
    'decided where the link begins, so not here',
  ),
  batch: field(integer(1), 'decided where the link begins, so not here'),
});

export const link = object({
  from: field(address('a queue'), 'the queue it takes from', { required: true }),
  to: field(address('an entry'), 'where it publishes, on another broker', { required: true }),
  keys: field(
    wholly(list(shortText('a key pattern'), { orOne: true })),
    'only keys that match one of these travel',
  ),
  batch: field(integer(1), 'messages carried at a time'),
  active: field(flag(), 'whether it runs'),
  latency: field(duration(), 'how long the way takes'),
  receives: field(farEnd, 'what is set at the far end, where that is set up apart'),
  accept,
  note,
});

export type LinkDecl = Infer<typeof link>;

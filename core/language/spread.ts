/** Spreads: one name for the same queue on several brokers. */
import { accept } from './acceptance.ts';
import { address, note } from './common.ts';
import { type Infer, choice, field, list, number, object, wholly } from './shape.ts';

export const spread = object({
  members: field(list(address('a queue')), 'the queues it stands for', { required: true }),
  choose: field(choice('rotate', 'nearest', 'weighted'), 'how a message picks one', {
    otherwise: '`rotate`',
  }),
  weights: field(wholly(list(number())), 'one weight for each member, with `weighted`', {
    otherwise: 'one share each',
  }),
  accept,
  note,
});

export type SpreadDecl = Infer<typeof spread>;

/** Where given-up messages go. */
import { address } from './common.ts';
import { type Infer, field, object, shortText } from './shape.ts';

export const deadLetter = object({
  to: field(address('an entry'), 'where given-up messages go', { required: true }),
  key: field(shortText('a routing key'), 'the key they get; without one they keep theirs', {
    otherwise: 'the key it has',
  }),
});

export type DeadLetterDecl = Infer<typeof deadLetter>;

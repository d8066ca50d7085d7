/** Findings that are meant, written where they stand. */
import { type Infer, field, list, object, text } from './shape.ts';

const acceptance = object({
  check: field(text('the id of a check'), 'the check whose finding here is meant', { required: true }),
  because: field(text('a reason'), 'why it is meant', { required: true }),
});

export const accept = field(list(acceptance), 'findings here that are meant, each with a reason');

export type AcceptanceDecl = Infer<typeof acceptance>;

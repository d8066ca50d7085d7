/** Who must agree before a proposal becomes a revision. Versioned with the topology, as everything else in it. */
import { note } from './common.ts';
import { type Infer, field, flag, integer, list, object, text } from './shape.ts';

export const answering = object({
  of: field(
    text('`tenant:northquay` or a document'),
    'what they answer for: all that a tenant owns, or a document',
    {
      required: true,
    },
  ),
  who: field(list(text('a handle')), 'people, by what they sign in with: one of them has to approve', {
    required: true,
  }),
  note,
});

export const reviewing = object({
  approvals: field(integer(0, 20), 'how many others than its author must approve a proposal', {
    otherwise: '`0`',
  }),
  owners: field(list(answering), 'who must approve what touches what they answer for', {
    otherwise: 'nobody',
  }),
  withErrors: field(flag(), 'a proposal in which checks find errors may become a revision', {
    otherwise: '`false`',
  }),
  withBroken: field(flag(), 'a proposal that breaks expectations may become a revision', {
    otherwise: '`false`',
  }),
  note,
});

export type ReviewDecl = Infer<typeof reviewing>;

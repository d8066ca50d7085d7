/** What every kind of broker declares. */
import { accept } from '../language/acceptance.ts';
import { address, labels, note } from '../language/common.ts';
import { type Infer, choice, field, id, object } from '../language/shape.ts';

export const alias = object({
  to: field(address('an entry'), 'what it stands for', { required: true }),
  over: field(id('a link'), 'the link to travel, where that is on another broker', {
    otherwise: 'it stands for an entry of its own broker',
  }),
  accept,
  note,
});

export const brokerCommon = {
  tenant: field(id('a tenant'), 'who owns it, where it is not the topology’s tenant', {
    otherwise: 'the topology’s tenant',
  }),
  access: field(choice('controlled', 'open'), 'controlled: what no statement allows is refused', {
    otherwise: '`controlled`',
  }),
  transit: field(choice('encrypted', 'plain'), 'how messages travel to and from it', {
    otherwise: '`encrypted`',
  }),
  rest: field(choice('encrypted', 'plain'), 'how messages are stored', { otherwise: '`encrypted`' }),
  clears: labels('data labels that may pass through it', 'no guarded data'),
  accept,
  note,
};

export type AliasDecl = Infer<typeof alias>;

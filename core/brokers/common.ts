/** What every kind of broker declares. */
import { accept } from '../language/acceptance.ts';
import { address, labels, note } from '../language/common.ts';
import { type Infer, choice, field, id, object } from '../language/shape.ts';

export const alias = object({
  to: field(address('an entry'), 'what it stands for', { required: true }),
  over: field(id('a link'), 'the link to travel, where that is on another broker'),
  accept,
  note,
});

export const brokerCommon = {
  tenant: field(id('a tenant'), 'who owns it, where it is not the topology’s tenant'),
  access: field(choice('controlled', 'open'), 'controlled: what no statement allows is refused'),
  transit: field(choice('encrypted', 'plain'), 'how messages travel to and from it'),
  rest: field(choice('encrypted', 'plain'), 'how messages are stored'),
  clears: labels('data labels that may pass through it'),
  accept,
  note,
};

export type AliasDecl = Infer<typeof alias>;

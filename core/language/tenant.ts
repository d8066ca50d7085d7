/** Organisations and accounts that own things, and the data labels they may receive. */
import { accept } from './acceptance.ts';
import { labels, note } from './common.ts';
import { type Infer, field, flag, object } from './shape.ts';

export const tenant = object({
  clears: labels('data labels this tenant may receive', 'no guarded data'),
  accept,
  note,
});

export const label = object({
  guarded: field(flag(), 'who takes such data, and what carries it, must be cleared for it', {
    otherwise: '`true` for `personal` and `financial`, else `false`',
  }),
  note,
});

export type TenantDecl = Infer<typeof tenant>;
export type LabelDecl = Infer<typeof label>;

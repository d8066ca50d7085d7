/** Access statements: who may do what to what. */
import { accept } from './acceptance.ts';
import { address, named, note } from './common.ts';
import { type Infer, choice, field, flag, id, list, object, shortText, text } from './shape.ts';

export const ACTIONS = ['publish', 'consume', 'browse', 'declare', 'bind', 'subscribe'] as const;

export const statement = object({
  name: field(text('a name'), 'what to call this statement', { otherwise: 'its number' }),
  allow: field(list(choice(...ACTIONS), { orOne: true }), 'the actions it allows', { otherwise: 'nothing' }),
  deny: field(list(choice(...ACTIONS), { orOne: true }), 'the actions it denies; deny wins', {
    otherwise: 'nothing',
  }),
  who: field(
    list(named('app:x, tenant:x, broker:x, topic:broker/x, link:x or any'), { orOne: true }),
    'whom it speaks of: app:x, tenant:x, broker:x, topic:broker/x, link:x or any',
    { required: true },
  ),
  on: field(
    list(address('a resource'), { orOne: true }),
    'addresses; * stands for anything inside one segment',
    {
      required: true,
    },
  ),
  when: field(
    object({
      source: field(address('an entry or store'), 'only for messages that come from here', {
        otherwise: 'from anywhere',
      }),
      tenant: field(id('a tenant'), 'only for a caller of this tenant', {
        otherwise: 'whoever owns the caller',
      }),
      encrypted: field(flag(), 'only over an encrypted (or, with false, a plain) connection', {
        otherwise: 'either',
      }),
      key: field(shortText('a key pattern'), 'only for keys that match', { otherwise: 'every key' }),
    }),
    'narrows the statement',
    { otherwise: 'always' },
  ),
  accept,
  note,
});

export type StatementDecl = Infer<typeof statement>;
export type Action = (typeof ACTIONS)[number];

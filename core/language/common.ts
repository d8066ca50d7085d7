/** Pieces that several constructs have. */
import { field, flag, id, list, shortText, text } from './shape.ts';

export const named = (what: string) => ({ ...text(what), names: what });

export const address = (of: string) => ({
  ...text(`the address of ${of}, as in \`broker/name\``),
  names: of,
});

export const note = field(text('a sentence'), 'words for people');

export const labels = (about: string, otherwise: string) =>
  field(list(named('a data label')), about, { otherwise });

export const wireName = field(shortText('a name'), 'the name on the broker, where it is not the key', {
  otherwise: 'the key',
});

export const owner = field(id('a tenant'), 'who owns it, where it is not the broker’s tenant', {
  otherwise: 'the broker’s tenant',
});

export const divides = field(
  flag(),
  'each message is meant for one way on: its conditions leave no gap and do not overlap',
  { otherwise: '`false`' },
);

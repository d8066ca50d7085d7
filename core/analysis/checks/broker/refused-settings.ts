import { check } from '../check.ts';
import { kindOf } from '../../../brokers/kinds.ts';
import { addressOf, thing } from '../../../language/thing.ts';
import { removeAt } from '../../../syntax/edit/edit.ts';
import { pathOf } from '../../../topology/declarations.ts';

/** Settings a broker would not make a queue or exchange with, whatever it has already. */
export const refusedSettings = check({
  id: 'broker/refused-settings',
  severity: 'error',
  finds: 'A queue or exchange with settings that an AMQP 0-9-1 broker refuses, alone or together.',
  why: 'A rollout would fail at it; where it replaces what is there already, that would be gone and nothing in its place.',
  of: 'broker',
  run: ({ name: broker, decl }) =>
    kindOf(decl)
      .refused(decl)
      .map(({ kind, name, why, place, without = [] }) => {
        const of = thing(kind, name, broker);
        return {
          message: `The broker refuses ${addressOf(of)}: ${why}.`,
          place,
          about: of.id,
          mends: without.map((setting) => ({
            title: `Take \`${setting}\` out`,
            edit: (topology) => removeAt(topology, [...pathOf(of), setting]),
          })),
        };
      }),
});

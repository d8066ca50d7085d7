import { check } from '../check.ts';
import { addressOf } from '../../../language/thing.ts';
import { removeAt } from '../../../syntax/edit/edit.ts';
import { pathOf } from '../../../topology/declarations.ts';

/** Settings a broker would not make a queue or exchange with, whatever it has already. */
export const refusedSettings = check({
  id: 'broker/refused-settings',
  severity: 'error',
  finds: 'A queue or exchange with settings that an AMQP 0-9-1 broker refuses, alone or together.',
  why: 'A rollout would fail at it; where it replaces what is there already, that would be gone and nothing in its place.',
  of: 'node',
  run: (node, context) => {
    const { thing } = node;
    const kind = context.broker(thing.broker)?.kind;
    return (kind?.refused(node) ?? []).map(({ why, place, without = [] }) => ({
      message: `The broker refuses ${addressOf(thing)}: ${why}.`,
      place,
      about: thing.id,
      mends: without.map((setting) => ({
        title: `Take \`${setting}\` out`,
        edit: (topology) => removeAt(topology, [...pathOf(thing), setting]),
      })),
    }));
  },
});

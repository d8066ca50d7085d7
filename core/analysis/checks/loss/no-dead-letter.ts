import { check } from '../check.ts';
import { usualDeadLetter } from '../suggest.ts';
import { type Thing, addressOf } from '../../../language/thing.ts';
import { setAt } from '../../../syntax/edit/edit.ts';
import type { Mend } from '../../../topology/topology.ts';

/** A store that gives messages up after some tries, with no place for them. */
export const noDeadLetter = check({
  id: 'loss/no-dead-letter',
  severity: 'warning',
  finds: 'A store that gives messages up after some deliveries, but has no dead letter.',
  why: 'A message that fails too often is then thrown away, and with it the only trace of what went wrong.',
  of: 'node',
  run: (node) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const limit = 'maxDeliveries' in node.decl ? node.decl.maxDeliveries : undefined;
    if (!limit || node.decl.deadLetter) return [];
    return [
      {
        message: `${addressOf(node.thing)} gives a message up after ${limit.value} ${limit.value === 1 ? 'delivery' : 'deliveries'} and has no dead letter: it is lost.`,
        place: limit.place,
        about: node.id,
        mends: [keeping(node.thing)],
      },
    ];
  },
});

/** The mend that sends what is given up where the store's neighbours send theirs. */
export function keeping({ broker, name, kind }: Thing): Mend {
  return {
    title: 'Send what is given up where its neighbours send theirs',
    edit: (topology) => {
      const to = usualDeadLetter(topology, broker, name);
      if (to === undefined)
        return {
          ok: false,
          message: `Nothing on ${broker} has a dead letter yet; make a queue for it first.`,
        };
      const section = kind === 'queue' ? 'queues' : 'subscriptions';
      return setAt(topology, ['brokers', broker, section, name, 'deadLetter'], { to });
    },
  };
}

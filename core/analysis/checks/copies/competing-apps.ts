import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { addressOf } from '../../../language/thing.ts';
import { setIn } from '../../../syntax/edit/edit.ts';
import { together } from '../../../syntax/edit/proved.ts';

/** Two apps that take from one store without saying that they mean to. */
export const competingApps = check({
  id: 'copies/competing-apps',
  severity: 'warning',
  finds: 'Several apps that take from one store without saying that they mean to.',
  why: 'Each message of a store goes to one taker: what one app takes, the other never sees. Often each needed a queue of its own.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const takes = context.out(node.id).filter((edge) => edge.kind === 'take');
    const apps = [...new Set(takes.map((edge) => context.node(edge.to)!.thing.name))];
    const silent = takes.filter((edge) => edge.consume?.competes?.value !== true);
    if (apps.length < 2 || silent.length === 0) return [];
    const perInstance = 'perInstanceOf' in node.decl && node.decl.perInstanceOf;
    if (perInstance) return [];
    return [
      {
        message: `${listed(apps)} take from ${addressOf(node.thing)}: each message goes to one of them only.`,
        place: node.place,
        about: node.id,
        also: takes.map((edge) => edge.to),
        related: silent.map((edge) => ({ place: edge.place, message: 'takes from it' })),
        mends: [
          {
            title: 'Say that they mean to share its messages',
            edit: (topology) =>
              together(
                topology,
                silent.map((edge) => setIn(topology, edge.place, ['competes'], true)),
              ),
          },
        ],
      },
    ];
  },
});

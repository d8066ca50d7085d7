import { type Complaint, check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { nearest } from '../../../base/similar.ts';
import type { Located } from '../../../syntax/place.ts';
import { writing } from '../../../language/finding.ts';

/** Something an app does because of messages that it never takes. */
export const neverFollows = check({
  id: 'nowhere/never-follows',
  severity: 'warning',
  finds: 'Something an app does because of a message type that never comes to what it takes from.',
  why: 'It says that one follows from the other, and what it follows from never comes: a trace ends at the app.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'publisher' && node.role !== 'taker') return [];
    const app = node.thing.name;
    const stores = context.into(`taker:${app}`).filter(({ kind }) => kind === 'take');
    const comes = () => stores.flatMap(({ from }) => context.arrivals(from).map(({ type }) => type));
    // each is told where the app is told that does it
    const { publishes, hands } = node.decl;
    const done = node.role === 'publisher' ? (publishes?.items ?? []) : (hands?.items ?? []);
    return done.flatMap(({ because }) => (because?.items ?? []).flatMap((each) => complain(each)));

    function complain({ value, place }: Located<string>): Complaint[] {
      const types = comes();
      if (types.some(({ lineage }) => lineage.includes(value))) return [];
      const ids = [...new Set(types.map(({ id }) => id))];
      const hint = nearest(value, ids);
      const takes = ids.length ? `takes ${listed(ids)}` : 'takes nothing';
      return [
        {
          message: `${app} does this because of ${value}, but it ${takes}.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
          place,
          about: node.id,
          ...(hint ? { mends: [writing(place, hint)] } : {}),
        },
      ];
    }
  },
});

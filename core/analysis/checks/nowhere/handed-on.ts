import { check } from '../check.ts';

/** An app that is to take from a subscription which hands everything to a queue. */
export const handedOn = check({
  id: 'nowhere/handed-on',
  severity: 'error',
  finds: 'An app that takes from a subscription which hands what it gets to a queue.',
  why: 'Such a subscription keeps nothing: who is to have its messages takes them from the queue.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'taker' || node.decl.instances?.value === 0) return [];
    const taken = new Set(context.into(node.id).map(({ consume }) => consume));
    return (node.decl.consumes?.items ?? []).flatMap((consume) => {
      const { from, via } = consume;
      if (!from || via?.value === 'mqtt' || taken.has(consume)) return [];
      // what names nothing is told of as that
      const [broker = '', ...rest] = from.value.replace(/^subscription:/, '').split('/');
      const id = `subscription:${broker}/${rest.join('/').replace(/^subscription:/, '')}`;
      if (!context.things().addresses.has(id)) return [];
      return [
        {
          message: `${node.thing.name} takes from ${from.value}, which hands what it gets to a queue and keeps nothing: it is to take from the queue.`,
          place: from.place,
          about: node.thing.id,
          also: [id],
        },
      ];
    });
  },
});

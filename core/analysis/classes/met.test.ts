import fc from 'fast-check';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';
import { candidatesOf, metBy, waysMet } from './met.ts';
import { arrivalOf, verdictAt } from './verdicts.ts';

const word = fc.constantFrom('a', 'b', 'late', '*', '#', '');
const key = fc.array(word, { minLength: 1, maxLength: 4 }).map((words) => words.join('.'));
const template = fc
  .array(fc.constantFrom('a', 'b', '{route}', '{x}', '{many...}', 'late', 'pre-{route}'), {
    minLength: 1,
    maxLength: 4,
  })
  .map((words) => words.join('.'));

/** An exchange with bindings by keys, to queues and to another exchange, and what nothing matches. */
function graphOf(keys: readonly string[], of: string, type: 'topic' | 'direct') {
  const topology = readTopology([
    {
      name: 'a.json',
      text: JSON.stringify({
        messages: {
          note: { key: of, headers: { route: { enum: ['a', 'b', 'c.d', ''] } }, required: ['route'] },
        },
        brokers: {
          m: {
            kind: 'amqp',
            exchanges: { in: { type, unroutedTo: 'rest' }, rest: { type: 'fanout' } },
            queues: { q: {}, r: {} },
            bindings: keys.map((each, i) => ({
              from: 'in',
              to: ['q', 'r', 'exchange:rest'][i % 3]!,
              key: each,
            })),
          },
        },
      }),
    },
  ]);
  const graph = buildGraph(topology);
  return { out: graph.out.get('exchange:m/in') ?? [], type: topology.messages.get('note')! };
}

/** Not made here: headers bindings, which are never looked up by words, and keys of other forms than the type's. */
test('of many bindings those are found that trying each finds, and all ways that are none', () => {
  let [found, left] = [0, 0];
  fc.assert(
    fc.property(
      fc.uniqueArray(key, { minLength: 6, maxLength: 30 }),
      template,
      fc.constantFrom('topic' as const, 'direct' as const),
      (keys, of, kind) => {
        const { out, type } = graphOf(keys, of, kind);
        const arrival = arrivalOf(type, of, false);
        const tried = out.filter((edge) => verdictAt(edge, arrival).some);
        // of any number of words the tree of keys knows more than a key by itself
        const ids = metBy(out, arrival).map(({ edge }) => edge.id);
        const exact = kind === 'topic' || !of.includes('...');
        expect(exact ? ids : ids.filter((id) => !tried.some((edge) => edge.id === id))).toEqual(
          exact ? tried.map(({ id }) => id) : [],
        );
        const met = waysMet(out, arrival);
        expect(met.filter(({ kind: way }) => way === 'binding').map(({ id }) => id)).toEqual(
          ids.filter((id) => id.startsWith('binding')),
        );
        expect(met.filter(({ kind: way }) => way !== 'binding')).toEqual(
          out.filter(({ kind: way }) => way !== 'binding'),
        );
        // asked again it is the very same list
        expect(waysMet(out, arrival)).toBe(met);
        expect(candidatesOf(out, arrival).length).toBeGreaterThanOrEqual(ids.length);
        found += tried.length;
        left += out.length - tried.length;
      },
    ),
    { numRuns: 200 },
  );
  expect(Math.min(found, left)).toBeGreaterThan(200);
});

import type { ExchangeNode } from '../brokers/terms.ts';
import fc from 'fast-check';
import { admits } from '../conditions/evaluate.ts';
import { message } from '../conditions/message.ts';
import { wordsMatch, wordsOf } from '../conditions/words.ts';
import { buildGraph } from './graph.ts';
import { KeyTrie } from './key-trie.ts';
import { readTopology } from '../topology/read.ts';

const word = fc.constantFrom('a', 'b', '', 'c');
const key = fc.array(word, { maxLength: 5 }).map((words) => words.join('.'));
const pattern = fc
  .array(fc.oneof(word, fc.constantFrom('*', '#')), { maxLength: 5 })
  .map((words) => words.join('.'));

/** The rule itself, as plain as it can be put: `#` tries every length. */
function plainly(parts: readonly string[], words: readonly string[]): boolean {
  const [first, ...rest] = parts;
  if (first === undefined) return words.length === 0;
  if (first === '#') return plainly(rest, words) || (words.length > 0 && plainly(parts, words.slice(1)));
  return words.length > 0 && (first === '*' || first === words[0]) && plainly(rest, words.slice(1));
}

test('matching words follows the plain rule', () => {
  fc.assert(
    fc.property(pattern, key, (parts, words) => {
      expect(wordsMatch(wordsOf(parts), wordsOf(words))).toBe(plainly(wordsOf(parts), wordsOf(words)));
    }),
    { numRuns: 2000 },
  );
});

// less than nothing, so that small cases meet the bound as well
const room = fc.constantFrom(50_000, 10, -20, -200, -400);

test('the trie finds each pattern that matches, once', () => {
  fc.assert(
    fc.property(
      fc.array(pattern, { maxLength: 20 }),
      fc.array(key, { maxLength: 15 }),
      room,
      (patterns, keys, room) => {
        const trie = new KeyTrie<number>(room);
        patterns.forEach((each, i) => trie.add(each, i));
        for (const each of keys) {
          const expected = patterns.flatMap((one, i) => (plainly(wordsOf(one), wordsOf(each)) ? [i] : []));
          expect(trie.match(each).sort((a, b) => a - b)).toEqual(expected);
          expect(trie.groups(each).flat().length).toBe(expected.length);
          expect(trie.groups(each).every((group) => group.length > 0)).toBe(true);
        }
      },
    ),
    { numRuns: 500 },
  );
});

test('the trie learns a pattern that is added between two questions', () => {
  const trie = new KeyTrie<string>();
  trie.add('a.*', 'first');
  expect(trie.match('a.b')).toEqual(['first']);
  trie.add('a.b', 'second');
  trie.add('#', 'third');
  expect(trie.match('a.b').sort()).toEqual(['first', 'second', 'third']);
  expect(trie.match('')).toEqual(['third']);
});

test('many wildcards do not make matching slow', () => {
  const trie = new KeyTrie<number>();
  const parts = Array.from({ length: 60 }, (_, i) => (i % 2 ? '#' : 'a'));
  trie.add([...parts, 'b'].join('.'), 1);
  const words = Array.from({ length: 120 }, () => 'a');
  expect(trie.match(words.join('.'))).toEqual([]);
  expect(wordsMatch([...parts, 'b'], words)).toBe(false);
  expect(trie.match([...words, 'b'].join('.'))).toEqual([1]);
});

test('every exchange type’s router finds what its conditions admit', () => {
  const scalar = fc.constantFrom(1, 2, '1', 'x', '', true, false);
  const values = fc.dictionary(fc.constantFrom('a', 'b', 'x-c'), fc.oneof(scalar, fc.constant(null)), {
    maxKeys: 3,
  });
  const binding = fc.record({
    key: pattern,
    headers: fc.record({ match: fc.constantFrom('all', 'any'), values }),
  });
  const sent = fc.record({
    key,
    headers: fc.dictionary(fc.constantFrom('a', 'b', 'x-c'), scalar, { maxKeys: 3 }),
  });
  fc.assert(
    fc.property(
      fc.constantFrom('direct', 'fanout', 'topic', 'headers'),
      fc.array(binding, { maxLength: 8 }),
      fc.array(sent, { maxLength: 4 }),
      (type, bindings, messages) => {
        const queues = Object.fromEntries(bindings.map((_, i) => [`q${i}`, {}]));
        const text = JSON.stringify({
          brokers: {
            m: {
              kind: 'amqp',
              exchanges: { e: { type } },
              queues,
              bindings: bindings.map((each, i) => ({ from: 'e', to: `q${i}`, ...each })),
            },
          },
        });
        const graph = buildGraph(readTopology([{ name: 'a', text }]));
        const edges = graph.out.get('exchange:m/e') ?? [];
        for (const parts of messages) {
          const each = message(parts);
          const routed = graph
            .router(graph.nodes.get('exchange:m/e') as ExchangeNode)
            .match(each)
            .map(({ to }) => to)
            .sort();
          expect(routed).toEqual(
            edges
              .filter((edge) => admits(edge.condition, each))
              .map(({ to }) => to)
              .sort(),
          );
        }
      },
    ),
    { numRuns: 300 },
  );
});

/** What an editor lists, folds and colours, of documents in every style. */
import fc from 'fast-check';
import { load } from 'js-yaml';
import { foldsIn } from './folds.ts';
import { lineOn } from './hover.ts';
import { symbolsIn } from './outline.ts';
import { tokensIn } from './tokens.ts';
import { thing } from '../language/thing.ts';
import { buildGraph } from '../routing/graph.ts';
import type { Json } from '../syntax/render.ts';
import { demo } from '../testing/demo.ts';
import { randomTopology, topologies } from '../testing/random-topology.ts';
import { uglyYaml } from '../testing/ugly-yaml.ts';
import { readTopology } from '../topology/read.ts';

const TEXT = `# the harbour
brokers:
  m:
    kind: amqp # as ever
    queues:
      boards: { ttl: "\${wait}", maxLength: 3 }
      desk:
        note: |
          #1 first
          second
parameters: { wait: { default: 5m } }
`;
const one = (text: string) => readTopology([{ name: 'a.yaml', text }]);

test('what is declared, with all that stands under it', () => {
  const found = symbolsIn(one(TEXT), 'a.yaml').map(({ thing: of, name, whole }) => [
    of.id,
    TEXT.slice(name.start, name.end),
    TEXT.slice(whole.start, whole.end).split('\n')[0],
  ]);
  expect(found).toEqual([
    ['broker:m', 'm', 'm:'],
    ['queue:m/boards', 'boards', 'boards: { ttl: "${wait}", maxLength: 3 }'],
    ['queue:m/desk', 'desk', 'desk:'],
  ]);
  expect(symbolsIn(one(TEXT), 'b.yaml')).toEqual([]);
});

test('words are told apart: names, values, parameters, comments', () => {
  const found = tokensIn(one(TEXT), 'a.yaml').map(({ start, end, type }) => [TEXT.slice(start, end), type]);
  expect(found[0]).toEqual(['# the harbour', 'comment']);
  for (const each of [
    ['m', 'class'],
    ['kind', 'property'],
    ['amqp', 'string'],
    ['# as ever', 'comment'],
    ['${wait}', 'parameter'],
    ['3', 'number'],
    // a text that looks like a comment is none
    ['          #1 first', 'string'],
  ])
    expect(found).toContainEqual(each);
});

test('what is on more lines than one can be folded', () => {
  const { trees } = one(TEXT);
  const heads = foldsIn(trees.get('a.yaml')!).map(({ start }) => TEXT.slice(start).split('\n')[0]);
  expect(heads).toEqual(['brokers:', 'brokers:', 'm:', 'queues:', 'desk:', 'note: |']);
});

test('a thing is told in a line', () => {
  const graph = buildGraph(readTopology(demo('draft')));
  expect(lineOn(graph, thing('queue', 'boards', 'mainland'))).toContain('taken by departure-board');
  expect(lineOn(graph, thing('message', 'sailing-departed'))).toContain('sent by bridge-console');
});

test('in any style, tokens follow each other and symbols hold their names', () => {
  fc.assert(
    fc.property(topologies, fc.integer({ min: 1, max: 2 ** 31 - 1 }), (seed, style) => {
      const text = uglyYaml(load(randomTopology(seed)) as Json, style);
      const topology = one(text);
      let done = 0;
      for (const { start, end, type } of tokensIn(topology, 'a.yaml')) {
        expect(start).toBeGreaterThanOrEqual(done);
        expect(text.slice(start, end)).toMatch(/^[^\r\n]*\S[^\r\n]*$/);
        if (type === 'comment') expect(text[start]).toBe('#');
        done = end;
      }
      // every comment that was written is seen as one
      const comments = tokensIn(topology, 'a.yaml').filter(({ type }) => type === 'comment');
      expect(comments.length).toBe([...text.matchAll(/# c\d+;/g)].length);
      for (const { name, whole } of symbolsIn(topology)) {
        expect(whole.start).toBe(name.start);
        expect(whole.end).toBeGreaterThanOrEqual(name.end);
      }
    }),
    { numRuns: 100 },
  );
});

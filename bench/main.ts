/** `npm run bench`: ratios against peers, all measured in one run. */
import { KeyTrie, buildGraph, message, readTopology, trace, wordsOf } from '@vondle/core';
import { load } from 'js-yaml';
import { Qlobber } from 'qlobber';
import { parse } from 'yaml';
import { inTurn, print } from './measure.ts';
import { crowdedKeys, crowdedPatterns, key, largeDocument } from './topologies.ts';

const text = largeDocument(5_000, 20_000);
const document = (value: string) => [{ name: 'large.yaml', text: value }];
const size = `${(text.length / 1e6).toFixed(1)} MB, 5,000 queues, 20,000 bindings`;

print(
  'reading a topology',
  inTurn({
    'js-yaml: load, no positions': () => load(text),
    'vondle: positions, typed Topology, findings': () => readTopology(document(text)),
    'vondle: the same, and the routing graph': () => buildGraph(readTopology(document(text))),
  }),
  size,
);
print(
  'the same bytes with yaml, whose documents keep positions',
  inTurn({ 'yaml: parse': () => parse(text, { maxAliasCount: -1 }) }, 2),
);

let edit = 0;
print(
  'after an edit of one line in the middle',
  inTurn({
    'vondle: new Topology and graph': () => {
      const changed = text.replace(
        'queue-2500: { durable: true, ttl:',
        `queue-2500: { durable: true, maxBytes: ${++edit}KiB, ttl:`,
      );
      return buildGraph(readTopology(document(changed)));
    },
  }),
);

const patterns = crowdedPatterns(10_000);
const keys = crowdedKeys(100_000);

/** What one set of patterns costs in memory. */
function held<T>(make: () => T): { made: T; megabytes: number } {
  globalThis.gc?.();
  const before = process.memoryUsage().heapUsed;
  const made = make();
  globalThis.gc?.();
  return { made, megabytes: (process.memoryUsage().heapUsed - before) / 1e6 };
}
const trie = held(() => {
  const made = new KeyTrie<number>();
  patterns.forEach((each, i) => made.add(wordsOf(each), i));
  return made;
});
const qlobber = held(() => {
  const made = new Qlobber<number>({ separator: '.', wildcard_one: '*', wildcard_some: '#' });
  patterns.forEach((each, i) => made.add(each, i));
  return made;
});
const expressions = patterns.map(
  (each) =>
    new RegExp(`^${each.replaceAll('.', '\\.').replaceAll('*', '[^.]*').replaceAll('\\.#', '(\\..*)?')}$`),
);
const met = keys.slice(0, 1000).reduce((sum, each) => sum + trie.made.match(wordsOf(each)).length, 0) / 1000;
// the three agree before they are compared
for (const each of keys.slice(0, 50)) {
  const found = trie.made.match(wordsOf(each)).length;
  const others = [new Set(qlobber.made.match(each)).size, expressions.filter((one) => one.test(each)).length];
  if (others.some((other) => other !== found)) throw new Error(`${each}: ${found}, ${others.join(', ')}`);
}
print(
  'matching 100,000 keys against topic patterns',
  inTurn(
    {
      'vondle: trie': () => keys.forEach((each) => trie.made.match(wordsOf(each))),
      qlobber: () => keys.forEach((each) => qlobber.made.match(each)),
    },
    3,
  ),
  `10,000 patterns, ${met.toFixed(0)} matches a key`,
);
print(
  'the same, 500 keys',
  inTurn({
    'vondle: trie': () => keys.slice(0, 500).forEach((each) => trie.made.match(wordsOf(each))),
    'a loop of regular expressions': () =>
      keys.slice(0, 500).forEach((each) => expressions.filter((one) => one.test(each))),
  }),
);
console.log(
  `\nmemory of 10,000 patterns: vondle ${trie.megabytes.toFixed(1)} MB, qlobber ${qlobber.megabytes.toFixed(1)} MB`,
);

const graph = buildGraph(readTopology(document(text)));
print(
  'tracing messages on the large topology',
  inTurn({
    '10,000 traces': () => {
      for (let i = 0; i < 10_000; i++)
        trace(graph, message({ key: key(i) }), { to: `mainland/hub-${i % 20}` });
    },
  }),
);
console.log(`\nmemory in use: ${(process.memoryUsage().heapUsed / 1e6).toFixed(0)} MB`);

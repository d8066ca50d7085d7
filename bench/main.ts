/** `npm run bench`: ratios against peers, all measured in one run. */
import { KeyTrie, buildGraph, message, readTopology, trace, wordsOf } from '@vondle/core';
import { load } from 'js-yaml';
import { Qlobber } from 'qlobber';
import { parse } from 'yaml';
import { inTurn, print } from './measure.ts';
import { key, largeDocument, pattern } from './topologies.ts';

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

const patterns = [...new Set(Array.from({ length: 14_000 }, (_, i) => pattern(i)))].slice(0, 10_000);
const keys = Array.from({ length: 200_000 }, (_, i) => key(i));
const trie = new KeyTrie<number>();
const qlobber = new Qlobber<number>({
  separator: '.',
  wildcard_one: '*',
  wildcard_some: '#',
  cache_adds: true,
});
patterns.forEach((each, i) => {
  trie.add(wordsOf(each), i);
  qlobber.add(each, i);
});
const expressions = patterns.map(
  (each) =>
    new RegExp(
      `^${each.replaceAll('.', '\\.').replaceAll('*', '[^.]*').replaceAll('\\.#', '(\\..*)?').replaceAll('#', '.*')}$`,
    ),
);
let matches = 0;
for (const each of keys.slice(0, 10_000)) matches += trie.match(wordsOf(each)).length;
print(
  'matching keys against topic patterns',
  inTurn(
    {
      'vondle: trie, 200,000 keys': () => keys.forEach((each) => trie.match(wordsOf(each))),
      'qlobber, 200,000 keys': () => keys.forEach((each) => qlobber.match(each)),
      'a loop of regular expressions, 200 keys (× 1000)': () =>
        keys.slice(0, 200).forEach((each) => expressions.filter((one) => one.test(each))),
    },
    3,
  ),
  `${patterns.length} patterns, ${(matches / 10_000).toFixed(1)} matches a key`,
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

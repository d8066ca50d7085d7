/** Reading a large topology, whole and after an edit, beside js-yaml and yaml on the same bytes. */
import { buildGraph, readTopology } from '@vondle/core';
import { load } from 'js-yaml';
import { parse } from 'yaml';
import { inTurn, print } from './measure.ts';
import { largeDocument } from './topologies.ts';

const document = (text: string) => [{ name: 'large.yaml', text }];

export function reading(): void {
  const text = largeDocument(5_000, 20_000);
  print(
    'reading a topology',
    inTurn({
      'js-yaml: load, no positions': () => load(text),
      'vondle: positions, typed Topology, findings': () => readTopology(document(text)),
      'vondle: the same, and the routing graph': () => buildGraph(readTopology(document(text))),
    }),
    `${(text.length / 1e6).toFixed(1)} MB, 5,000 queues, 20,000 bindings`,
  );
  print(
    'the same bytes with yaml, whose documents keep positions',
    inTurn({ 'yaml: parse': () => parse(text, { maxAliasCount: -1 }) }, 2),
  );
}

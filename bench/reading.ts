/** Reading a large topology, whole and after an edit, beside js-yaml and yaml on the same bytes. */
import { buildGraph } from '@vondle/core/routing';
import { readTopology, TopologyReader } from '@vondle/core/topology';
import type { TextDocument } from '@vondle/core/base';
import { changesBetween } from '../core/testing/steps.ts';
import { load } from 'js-yaml';
import { parse } from 'yaml';
import { inTurn, median, print } from './measure.ts';
import { largeDocument, teams } from './topologies.ts';

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
  const edits: Record<string, (text: string, i: number) => string> = {
    'a binding’s key': (each, i) => each.replace(/(to: queue-3500, key: ")[^"]*/, `$1edit-${i}.*`),
    'a queue’s setting': (each, i) => each.replace(/(queue-2500: { durable: true, ttl: )\d+m/, `$1${i}m`),
    'a queue’s name': (each, i) => each.replace(/queue-1234[^ ]*: {/, `queue-1234-${i}: {`),
    'a binding more at the end': (each, i) => `${each}      - { from: hub-0, to: queue-${i}, key: "a.#" }\n`,
  };
  afterEdits('after an edit of one line: new Topology and graph', document(text), edits);
  const many = teams(50);
  const documents = many.length;
  afterEdits(
    `the same with 10,000 resources, 20,000 routes in ${documents} documents`,
    many,
    {
      'a binding’s key': (each, i) => each.replace(/key: "[^"]*"/, `key: "edit-${i}.*"`),
      'a queue’s setting': (each, i) => each.replace(/ttl: \d+m/, `ttl: ${i}m`),
      'a queue’s name': (each, i) => each.replace(/queue-25-7[^ ]*: {/, `queue-25-7-${i}: {`),
    },
    26,
  );
}

/** Times one edit after another, each on what the one before left; making the new text is not counted. */
function afterEdits(
  title: string,
  before: readonly TextDocument[],
  edits: Record<string, (text: string, i: number) => string>,
  at = 0,
): void {
  const reader = new TopologyReader();
  let documents = [...before];
  buildGraph(reader.read(documents));
  const measured = Object.entries(edits).map(([name, edit]) => {
    const times = Array.from({ length: 15 }, (_, i) => {
      const next = documents.map((each, d) => (d === at ? { ...each, text: edit(each.text, i) } : each));
      const edits = changesBetween(documents, next)!;
      documents = next;
      const began = performance.now();
      buildGraph(reader.change(edits));
      return performance.now() - began;
    });
    return { name, ms: median(times) };
  });
  print(title, [...inTurn({ 'all of it read': () => buildGraph(readTopology(documents)) }, 5), ...measured]);
}

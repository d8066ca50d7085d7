import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { completionsAt } from './complete.ts';
import { contextAt } from './context.ts';
import { parseDocument } from '../syntax/parse.ts';
import { type Node, keyText, startIn } from '../syntax/tree.ts';
import { readTopology } from '../topology/read.ts';

const TEXT = `vondle: 1
tenant: auklet
parameters: { boardTtl: { default: 10m } }
messages:
  sailing:
    headers:
      route: { type: string, enum: [north, south] }
      delay: { type: integer }
    labels: [operational]
apps:
  console:
    publishes:
      - { message: sailing, to: mainland/sailings }
brokers:
  mainland:
    kind: amqp
    exchanges:
      sailings: { type: topic }
      freight: { type: headers }
    queues:
      boards: { ttl: 5m }
      "to: desk": {}
  shore:
    kind: pubsub
    topics:
      notices: {}
    queues:
      texting: {}
    subscriptions:
      texts: { topic: notices, to: texting }
links:
  down: { from: mainland/boards, to: shore/notices }
`;
const topology = readTopology([{ name: 'a.yaml', text: TEXT }]);

/** The labels offered where `|` stands in some lines added to the topology. */
function at(lines: string): string[] {
  const text = TEXT + lines;
  const offset = text.indexOf('|');
  const found = completionsAt(topology, text.replace('|', ''), offset);
  return (found?.options ?? []).map(({ label }) => label);
}

describe('what may be written', () => {
  test.each([
    ['keys at the root', '|', ['expectations', 'access', 'spreads'], ['brokers-2']],
    ['a half-written key', 'spr|', ['spreads'], []],
    ['keys of a broker of its kind', 'brokers:\n  mainland:\n    b|', ['bindings', 'exchanges'], ['topics']],
    ['keys of the other kind', 'brokers:\n  shore:\n    |', ['subscriptions', 'topics'], ['exchanges']],
    [
      'keys not there yet',
      'apps:\n  a:\n    instances: 2\n    |\n    note: x',
      ['publishes'],
      ['instances', 'note'],
    ],
    ['keys after a dash', 'apps:\n  a:\n    consumes:\n      - |', ['from', 'each'], ['message']],
    [
      'keys beside those after a dash',
      'apps:\n  a:\n    consumes:\n      - from: x\n        |',
      ['each', 'ack'],
      ['from'],
    ],
    ['keys in braces', 'apps:\n  a:\n    consumes:\n      - { from: x, | }', ['each'], ['from']],
    [
      'keys in braces over lines',
      'apps:\n  a:\n    consumes:\n      - { from: x,\n          | }',
      ['each'],
      ['from'],
    ],
    ['values of a choice', 'apps:\n  a:\n    consumes:\n      - { each: | }', ['share', 'copy'], []],
    ['truth values', 'brokers:\n  mainland:\n    queues:\n      q: { durable: | }', ['true', 'false'], []],
    ['message types', 'apps:\n  a:\n    publishes:\n      - message: |', ['sailing'], []],
    [
      'entries',
      'apps:\n  a:\n    publishes:\n      - to: |',
      ['mainland/sailings', 'shore/notices'],
      ['boards'],
    ],
    ['stores', 'apps:\n  a:\n    consumes: [ { from: | } ]', ['mainland/boards'], ['mainland/sailings']],
    [
      'names of its own broker, bare',
      'brokers:\n  mainland:\n    bindings:\n      - { from: | }',
      ['sailings'],
      ['boards'],
    ],
    ['targets', 'brokers:\n  mainland:\n    bindings:\n      - { to: b| }', ['boards', 'sailings'], []],
    ['topics', 'brokers:\n  shore:\n    subscriptions:\n      x: { topic: | }', ['notices'], ['texting']],
    [
      'dialects of a filter',
      'brokers:\n  shore:\n    subscriptions:\n      x:\n        filter:\n          |',
      ['selector', 'match'],
      [],
    ],
    [
      'attributes in a filter',
      'brokers:\n  shore:\n    subscriptions:\n      x: { filter: { match: { | } } }',
      ['route', 'delay'],
      [],
    ],
    [
      'values of an attribute',
      'brokers:\n  shore:\n    subscriptions:\n      x: { filter: { match: { route: | } } }',
      ['north', 'south'],
      [],
    ],
    [
      'in a filter within filters',
      'brokers:\n  shore:\n    subscriptions:\n      x: { filter: { any: [ { match: { route: | } } ] } }',
      ['north'],
      [],
    ],
    [
      'headers of a binding',
      'brokers:\n  mainland:\n    bindings:\n      - { from: freight, headers: { values: { | } } }',
      ['route'],
      [],
    ],
    [
      'identifiers in a selector',
      'brokers:\n  shore:\n    subscriptions:\n      x: { filter: { selector: "route = 1 AND de|" } }',
      ['delay'],
      [],
    ],
    ['whom a statement speaks of', 'access:\n  - who: |', ['any', 'app:console', 'topic:shore/notices'], []],
    ['in a list in brackets', 'access:\n  - on: [ | ]', ['mainland/boards', 'shore/notices'], []],
    ['actions', 'access:\n  - allow: [publish, |]', ['consume', 'browse'], []],
    ['what is under the same column as its key', 'access:\n- allow: |', ['publish'], []],
    ['labels', 'messages:\n  m:\n    labels: [ | ]', ['operational'], []],
    ['parameters of an environment', 'environments:\n  live:\n    values:\n      |', ['boardTtl'], []],
    ['nothing in a comment', 'apps:\n  a: # |', [], ['publishes']],
    ['nothing under what means nothing', 'brokers:\n  mainland:\n    nonsense:\n      |', [], ['kind']],
  ])('%s', (_, lines, offered, not) => {
    const found = at(lines);
    expect(found).toEqual(expect.arrayContaining(offered));
    for (const each of not) expect(found).not.toContain(each);
    if (offered.length === 0) expect(found).toEqual([]);
  });

  test('only what is written of the word is replaced, and what needs quotes gets them', () => {
    const text = `${TEXT}apps:\n  a:\n    consumes: [ { from: main`;
    const found = completionsAt(topology, text, text.length)!;
    expect(text.slice(found.from)).toBe('main');
    expect(found.options.find(({ label }) => label === 'mainland/to: desk')!.insert).toBe(
      '"mainland/to: desk"',
    );
  });
});

test('where the cursor is agrees with the tree, at every key and value of the demo', () => {
  const folder = join(__dirname, '../../demo/draft');
  let seen = 0;
  for (const name of readdirSync(folder)) {
    const text = readFileSync(join(folder, name), 'utf8');
    const tree = parseDocument(text);
    const startOf = (node: Node) => startIn(tree, node)!;
    const endOf = (node: Node) => startOf(node) + node.length;
    const visit = (node: Node, path: readonly string[]): void => {
      if (node.kind === 'list') return node.items.forEach((item) => visit(item, [...path, '#']));
      if (node.kind === 'scalar') {
        if (node.quoted || node.length === 0) return;
        const context = contextAt(text, endOf(node));
        expect({ name, at: startOf(node), path: context?.path }).toEqual({ name, at: startOf(node), path });
        seen++;
        return;
      }
      for (const { key, value } of node.entries) {
        if (!key.quoted) expect(contextAt(text, endOf(key))).toMatchObject({ path, writing: 'key' });
        visit(value, [...path, keyText(key)]);
      }
    };
    visit(tree.root!, []);
  }
  expect(seen).toBeGreaterThan(300);
});

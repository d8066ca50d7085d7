import { outcomeChange, outcomeOf } from '../compare/outcomes.ts';
import { keptSamples, sampleToWrite, sendingsOf, traceSample } from './kept.ts';
import { applyEdits } from '../../base/edits.ts';
import { expectationToWrite } from '../../change/expectation.ts';
import { buildGraph } from '../../routing/graph.ts';
import { addItem } from '../../syntax/edit/edit.ts';
import { readTopology } from '../../topology/read.ts';

const text = `messages:
  left:
    key: sailing.{route}.left
    properties: { type: { const: left } }
    headers: { route: { enum: [north, south] } }
    required: [route]
apps:
  bridge: { publishes: [{ message: left, to: m/in, mandatory: true }, { message: left, to: m/deck, via: amqp }] }
  tower: { publishes: [{ message: left, to: m/in }] }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic } }
    queues: { deck: {}, north: {}, south: {} }
    bindings:
      - { from: in, to: north, key: "*.north.#" }
      - { from: in, to: south, key: "*.south.#" }
samples:
  - { name: goes south, group: morning, message: left, headers: { route: south } }
  - { name: from the tower, message: left, from: tower, headers: { route: north }, key: a.north.b }
`;
const documents = [{ name: 'a', text }];
const graph = buildGraph(readTopology(documents));

describe('samples kept in the topology', () => {
  test('are whole messages, sent as their type is declared to be', () => {
    expect(graph.topology.findings).toEqual([]);
    const [south, tower] = keptSamples(graph.topology);
    expect(south).toMatchObject({
      name: 'goes south',
      group: 'morning',
      message: {
        type: 'left',
        key: 'sailing.south.left',
        headers: { route: 'south' },
        properties: { type: 'left' },
      },
      sendings: [
        { to: 'm/in', from: 'app:bridge', mandatory: true },
        { to: 'm/deck', from: 'app:bridge' },
      ],
    });
    expect(tower).toMatchObject({
      group: 'left',
      message: { key: 'a.north.b' },
      sendings: [{ from: 'app:tower' }],
    });
    expect(sendingsOf(graph.topology, 'left')).toHaveLength(3);
  });

  test('what is kept reads back as the same message', () => {
    const message = {
      type: 'left',
      key: 'by.north.hand',
      headers: { route: 'north', late: 3 },
      properties: { type: 'left', priority: 2 },
      body: { ship: 'auk' },
    };
    const item = sampleToWrite(graph.topology, message, { name: 'by hand', group: 'g', from: 'tower' });
    expect(item).not.toHaveProperty('properties.type');
    const edited = addItem(graph.topology, ['samples'], item);
    if (!edited.ok) throw new Error(edited.message);
    const again = readTopology(applyEdits(documents, edited.edits));
    expect(again.findings).toEqual([]);
    expect(keptSamples(again).at(-1)).toMatchObject({ name: 'by hand', group: 'g', message });
  });

  test('of a type that is not there are a finding, and left out', () => {
    const topology = readTopology([{ name: 'a', text: 'samples:\n  - { name: x, message: gone }\n' }]);
    expect(topology.findings.map(({ message }) => message)).toEqual([expect.stringContaining('`gone`')]);
    expect(keptSamples(topology)).toEqual([]);
  });
});

describe('an outcome', () => {
  const [south] = keptSamples(graph.topology);
  const now = () => outcomeOf(graph, traceSample(graph, south!));

  test('says where copies rest, over all that a message is sent to', () => {
    expect([...now().rests]).toEqual([
      ['m/south', 1],
      ['m/deck', 1],
    ]);
  });

  test('is compared with another: what came, what went, what ends otherwise', () => {
    const changed = buildGraph(
      readTopology([{ name: 'a', text: text.replace('"*.south.#"', '"*.west.#"') }]),
    );
    const after = outcomeOf(changed, traceSample(changed, south!));
    expect(outcomeChange(now(), after)).toEqual({
      more: [],
      fewer: [{ store: 'm/south', copies: 1 }],
      begun: ['sent back'],
      ended: [],
    });
    expect(outcomeChange(after, now())).toMatchObject({
      more: [{ store: 'm/south', copies: 1 }],
      ended: ['sent back'],
    });
    expect(outcomeChange(now(), now())).toBeUndefined();
  });

  test('becomes an expectation that reads without a finding', () => {
    const item = expectationToWrite(
      graph,
      south!.message,
      traceSample(graph, south!),
      'south stays',
      'bridge',
    );
    expect(item).toEqual({
      name: 'south stays',
      given: { message: 'left', from: 'app:bridge', headers: { route: 'south' } },
      reaches: ['m/south', 'm/deck'],
      only: true,
      copies: 2,
    });
    const edited = addItem(graph.topology, ['expectations'], item);
    if (!edited.ok) throw new Error(edited.message);
    expect(readTopology(applyEdits(documents, edited.edits)).findings).toEqual([]);
  });
});

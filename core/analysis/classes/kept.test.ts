/** Classes kept from one state of a topology to the next are those that are told of it at first sight. */
import { buildGraph } from '../../routing/graph.ts';
import { stepTo } from '../../testing/steps.ts';
import { editModel, finiteModel } from '../../testing/second/finite-model.ts';
import { randomOf } from '../../testing/second/random-model.ts';
import { TopologyReader, readTopology } from '../../topology/read.ts';
import { type PublishClasses, classesOf, publishesOf } from './classes.ts';
import { type KnownClasses, classesIn } from './kept.ts';

const CASES = Number(process.env['CASES'] ?? 60);

const plain = (of: KnownClasses) => ({
  edge: of.edge.id,
  classes: (of as PublishClasses).classes.map(({ outcome, messages, unless, when, witness }) =>
    JSON.stringify([outcome, messages?.toString(), unless, when, witness]),
  ),
});

test(`${CASES} topologies, edited again and again`, () => {
  let [stayed, changed] = [0, 0];
  for (let seed = 1; seed <= CASES; seed++) {
    const r = randomOf(seed + 13);
    const { model } = finiteModel(seed);
    const reader = new TopologyReader();
    const textOf = () => [{ name: 'a.json', text: JSON.stringify(model, null, 1) }];
    let documents = textOf();
    let before = classesIn(buildGraph(reader.read(documents)));
    for (let step = 0; step < 6; step++) {
      editModel(r, model);
      const next = textOf();
      const graph = buildGraph(stepTo(reader, documents, next));
      documents = next;
      const told = classesIn(graph);
      const fresh = buildGraph(readTopology(documents));
      const wanted = publishesOf(fresh).map((way) => classesOf(fresh, way));
      expect({ seed, step, told: told.all.map(plain) }).toEqual({ seed, step, told: wanted.map(plain) });
      for (const each of told.all) {
        if (before.all.includes(each)) stayed++;
        else changed++;
      }
      before = told;
    }
  }
  expect(stayed).toBeGreaterThan(CASES);
  expect(changed).toBeGreaterThan(CASES);
});

test('the first publishes are told first, and the others stand to come', () => {
  const text = `tenant: t
messages: { note: { headers: { h: { enum: [x, y] } } } }
apps: { one: { publishes: [{ message: note, to: m/in }, { message: note, to: m/out }] } }
brokers: { m: { kind: pubsub, access: open, topics: { in: {}, out: {} }, subscriptions: { s: { topic: in, filter: { match: { h: x } } } } } }`;
  const graph = buildGraph(readTopology([{ name: 'a.yaml', text }]));
  const some = classesIn(graph, 1);
  expect([some.all.length, some.of]).toEqual([1, 2]);
  const all = classesIn(graph);
  expect(all.all[0]).toBe(some.all[0]);
  expect(all.all).toHaveLength(2);
});

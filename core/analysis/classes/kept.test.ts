/** Classes kept from one state of a topology to the next are those that are told of it at first sight. */
import { buildGraph } from '../../routing/graph.ts';
import { stepTo } from '../../testing/steps.ts';
import { finiteModel } from '../../testing/second/finite-model.ts';
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
      const brokers = Object.values(model.brokers);
      const broker = r.pick(brokers);
      const turn = r.below(7);
      if (turn === 0 && broker.bindings?.length) broker.bindings.splice(r.below(broker.bindings.length), 1);
      if (turn === 1) broker.access = broker.access === 'open' ? 'controlled' : 'open';
      if (turn === 2) for (const each of Object.values(broker.subscriptions ?? {})) delete each.filter;
      if (turn === 3 && model.access.length) model.access.splice(r.below(model.access.length), 1);
      if (turn === 4) {
        const statement = model.access[0];
        if (statement) statement.when = { key: r.pick(['a.#', '#.b', 'a.b']) };
      }
      if (turn === 5) model.apps['one']!.publishes!.splice(0, 1);
      if (turn === 6) model.apps[r.pick(['one', 'two', 'three'])]!.instances = r.below(3);
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

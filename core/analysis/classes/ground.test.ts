/** What is asked of a topology with each question noted is what the topology says, and a change finds who asked. */
import { Asking } from '../../incremental/asking.ts';
import { type Thing, addressOf, thing } from '../../language/thing.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import { asksOf } from '../../routing/onward.ts';
import { finiteModel } from '../../testing/second/finite-model.ts';
import { TopologyReader, readTopology } from '../../topology/read.ts';
import { type GroundFact, type Ground, Questions, askedGround, groundFacts, groundOf } from './ground.ts';
import { arrivalOf } from './verdicts.ts';

/** All that can be asked of a graph, as text. */
function saidBy(graph: RoutingGraph, around: Ground): Record<string, unknown> {
  const said: Record<string, unknown> = {};
  const { topology } = graph;
  const publishers: (Thing | undefined)[] = [undefined];
  for (const type of topology.messages.keys())
    said[`type ${type}`] = around.type(type) === topology.messages.get(type);
  for (const app of ['one', 'two', 'three', 'nobody']) said[`instances ${app}`] = around.instances(app);
  for (const broker of ['m', 'i', 's', 'none']) said[`mqtt ${broker}`] = around.mqttEntry(broker);
  const arrivals = [...topology.messages.values()].flatMap((type) => [
    arrivalOf(type, type.key?.value ?? '', false),
    arrivalOf(type, '', true),
    arrivalOf(type, 'p', false),
  ]);
  for (const node of graph.nodes.values()) {
    const { id, thing } = node;
    said[`node ${id}`] = around.node(id)?.id;
    said[`entry ${addressOf(thing)}`] = around.entry(addressOf(thing));
    said[`out ${id}`] = around.out(id).map((edge) => edge.id);
    said[`broken ${id}`] = around.broken(id);
    said[`tenant ${thing.id}`] = around.tenant(thing);
    if (node.role === 'publisher') publishers.push(thing);
    for (const arrival of arrivals)
      said[`met ${id} ${arrival.type.id} ${arrival.key ?? '-'} ${arrival.wrapped}`] = around
        .meeting(arrival)
        .out(id)
        .map((edge) => edge.id);
    for (const edge of graph.out.get(id) ?? [])
      for (const ask of asksOf(around, edge))
        for (const key of [undefined, 'a.b', 'b'])
          said[`may ${ask.who.id} ${ask.action} ${ask.on.id} ${ask.source?.id ?? ''} ${key ?? '-'}`] =
            around.may(ask, key);
  }
  for (const node of graph.nodes.values())
    if (node.role === 'spread')
      for (const publisher of publishers)
        said[`members ${node.id} ${publisher?.id ?? ''}`] = around
          .members(node, publisher)
          ?.map((edge) => edge.id);
  return said;
}

/** What is said of a graph by questions that are noted. */
function noted(
  asking: Asking<GroundFact, Record<string, unknown>>,
  questions: Questions,
  graph: RoutingGraph,
) {
  const around = askedGround(graph, asking.ask, questions);
  let looked = 0;
  const found = asking.find(groundFacts(graph, questions), 'all', new Map([['all', 'all']]), () => {
    looked++;
    return saidBy(graph, around);
  });
  return { said: found.get('all')!, looked };
}

test('questions that are noted have the answers of the graph, and those that changed are asked again', () => {
  let again = 0;
  for (let seed = 1; seed <= 15; seed++) {
    const { model } = finiteModel(seed);
    const reader = new TopologyReader();
    const graphOf = () => buildGraph(reader.read([{ name: 'a.json', text: JSON.stringify(model) }]));
    const [asking, questions] = [new Asking<GroundFact, Record<string, unknown>>(), new Questions()];
    const first = graphOf();
    expect(noted(asking, questions, first)).toEqual({ said: saidBy(first, groundOf(first)), looked: 1 });
    // nothing changed: nobody looks again
    expect(noted(asking, questions, first).looked).toBe(0);
    model.access = [];
    for (const broker of Object.values(model.brokers)) {
      broker.access = 'controlled';
      broker.bindings?.splice(0, 2);
    }
    model.apps['one']!.instances = 7;
    const second = graphOf();
    const { said, looked } = noted(asking, questions, second);
    const fresh = buildGraph(readTopology([{ name: 'a.json', text: JSON.stringify(model) }]));
    const wanted = saidBy(fresh, groundOf(fresh));
    for (const each of [said, wanted])
      for (const id of Object.keys(each)) if (id.startsWith('type ')) delete each[id];
    expect({ seed, said }).toEqual({ seed, said: wanted });
    again += looked;
  }
  expect(again).toBe(15);
});

test('questions are told apart by all that they are about', () => {
  const graph = buildGraph(
    readTopology([
      {
        name: 'a.yaml',
        text: `tenant: t
apps: { "a": { publishes: [] }, "a b": {} }
brokers: { m: { kind: amqp, exchanges: { x: { type: topic } }, queues: { q: {} } } }
access:
  - { allow: publish, who: "app:a", on: m/x, when: { key: "k.#" } }
  - { allow: publish, who: "app:a b", on: m/x }
`,
      },
    ]),
  );
  const questions = new Questions();
  const asking = new Asking<GroundFact, boolean[]>();
  const around = askedGround(graph, asking.ask, questions);
  const on = graph.nodes.get('exchange:m/x')!.thing;
  const who = (name: string) => thing('app', name);
  const may = (name: string, key?: string) =>
    around.may({ who: who(name), action: 'publish', on }, key).always;
  const found = asking.find(groundFacts(graph, questions), 'all', new Map([['all', 1]]), () => [
    may('a'),
    may('a', 'k.1'),
    may('a', 'j'),
    may('a b'),
    may('a b', 'j'),
  ]);
  expect(found.get('all')).toEqual([false, true, false, true, true]);
  expect(questions.size).toBeGreaterThan(5);
});

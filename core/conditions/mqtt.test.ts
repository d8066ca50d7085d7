import { admits } from './evaluate.ts';
import { message } from './message.ts';
import { parseMqttFilter } from './mqtt.ts';
import { buildGraph } from '../routing/graph.ts';
import { trace } from '../routing/trace.ts';
import { readTopology } from '../topology/read.ts';

const matches = (filter: string, topic: string) => {
  const result = parseMqttFilter(filter);
  if (!result.ok) throw new Error(result.message);
  return admits(result.predicate, message({ key: topic.replaceAll('/', '.') }));
};

describe('MQTT topic filters', () => {
  // the examples of MQTT 5 §4.7.1 and §4.7.2
  test.each([
    ['sport/tennis/player1/#', 'sport/tennis/player1', true],
    ['sport/tennis/player1/#', 'sport/tennis/player1/score/wimbledon', true],
    ['sport/#', 'sport', true],
    ['#', 'anything/at/all', true],
    ['sport/tennis/+', 'sport/tennis/player1', true],
    ['sport/tennis/+', 'sport/tennis/player1/ranking', false],
    ['sport/+', 'sport', false],
    ['sport/+', 'sport/', true],
    ['+/+', '/finance', true],
    ['/+', '/finance', true],
    ['+', '/finance', false],
    ['#', '$SYS/uptime', false],
    ['+/monitor/Clients', '$SYS/monitor/Clients', false],
    ['$SYS/#', '$SYS/uptime', true],
    ['$SYS/monitor/+', '$SYS/monitor/Clients', true],
    ['$share/crew/deck/+', 'deck/wind', true],
  ])('%s and %s: %s', (filter, topic, expected) => {
    expect(matches(filter, topic)).toBe(expected);
  });

  test.each(['sport/tennis#', 'sport/#/ranking', 'sport+', '', '$share/x', '$share//a', '$share/a+/b'])(
    'refuses %j',
    (filter) => {
      expect(parseMqttFilter(filter).ok).toBe(false);
    },
  );
});

const text = (consumes: string) => `apps:
  watch: { instances: 3, consumes: [ ${consumes} ] }
brokers:
  m: { kind: amqp, access: open, mqtt: { exchange: deck }, exchanges: { deck: { type: topic } } }
`;

describe('takers over MQTT', () => {
  const run = (consumes: string, topic: string) => {
    const topology = readTopology([{ name: 'a', text: text(consumes) }]);
    expect(topology.findings).toEqual([]);
    const { rests } = trace(buildGraph(topology), message({ key: topic }), { to: 'm', via: 'mqtt' }).trace;
    return rests.map(({ store, copies, takers }) => [store.name, copies, ...takers]);
  };

  test('every session gets its own copy, a shared group one', () => {
    expect(run('{ from: m, via: mqtt, topic: "deck/+/wind" }', 'deck/razorbill/wind')).toEqual([
      ['watch:deck/+/wind', 3, 'app:watch'],
    ]);
    expect(run('{ from: m, via: mqtt, topic: "deck/+/wind" }', 'deck/razorbill/swell')).toEqual([]);
    expect(run('{ from: m, via: mqtt, topic: "$share/g/deck/#" }', 'deck/razorbill')).toEqual([
      ['$share/g/deck/#', 1, 'app:watch'],
    ]);
    expect(run('{ from: m, via: mqtt, topic: "#" }', '$SYS/x')).toEqual([]);
  });

  test('a missing or wrong topic filter is a finding in its place', () => {
    const findings = (consumes: string) =>
      readTopology([{ name: 'a', text: text(consumes) }]).findings.map(({ message: said }) => said);
    expect(findings('{ from: m, via: mqtt }')[0]).toContain('`topic` is missing');
    expect(findings('{ from: m, via: mqtt, topic: "a/#/b" }')[0]).toContain('last level');
    expect(findings('{ from: n, via: mqtt, topic: a }')[0]).toContain('no broker `n`');
  });
});

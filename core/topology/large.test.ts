import { checkAll } from '../analysis/checks/run.ts';
import { buildGraph } from '../routing/graph.ts';
import { readTopology } from './read.ts';

/** More than a call takes arguments, on the stack that tests run with. */
const MANY = 200_000;

test(`${MANY} findings are read`, () => {
  // none of them like a word that is known, for which one would be suggested
  const wrong = '      - 1\n'.repeat(MANY);
  const text = `brokers:\n  m:\n    kind: amqp\n    bindings:\n${wrong}`;
  const { findings } = readTopology([{ name: 'a.yaml', text }]);
  expect(findings.length).toBeGreaterThanOrEqual(MANY);
});

test(`${MANY} keys, each with a use of a parameter, are read`, () => {
  const queues = Array.from({ length: MANY }, (_, i) => `      q${i}: { ttl: "\${wait}" }`).join('\n');
  const text = `parameters: { wait: { default: 1m } }\nbrokers:\n  m:\n    kind: amqp\n    queues:\n${queues}\n`;
  const topology = readTopology([{ name: 'a.yaml', text }]);
  expect(topology.findings).toEqual([]);
  expect(topology.usedParameters).toEqual(new Set(['wait']));
});

// names that every object has members of, where maps of names are objects somewhere
const ODD = ['constructor', '__proto__', 'toString', 'hasOwnProperty', 'valueOf'];

test('things named like members of objects are things like any other', () => {
  const list = (of: (name: string) => string) => ODD.map(of).join(', ');
  const text = `messages: { note: { key: a } }
apps: { desk: { publishes: [{ message: note, to: m/in }] }, log: { consumes: [${list((name) => `{ from: "m/${name}" }`)}] } }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: fanout } }
    queues: { ${list((name) => `"${name}": {}`)} }
    bindings: [${list((name) => `{ from: in, to: "${name}" }`)}]
`;
  const topology = readTopology([{ name: 'a.yaml', text }]);
  expect(topology.findings).toEqual([]);
  const graph = buildGraph(topology);
  for (const name of ODD) expect(graph.nodes.get(`queue:m/${name}`)?.role).toBe('queue');
  expect(checkAll(graph).findings.filter(({ severity }) => severity === 'error')).toEqual([]);
});

/** All messages of a publish as classes: how that grows with the bindings they can meet, beside tracing one message each. */
import { classesIn, classesOf, proveAll, publishesOf } from '@vondle/core/analysis';
import { buildGraph, trace } from '@vondle/core/routing';
import { TopologyReader, readTopology } from '@vondle/core/topology';
import { changesBetween } from '../core/testing/steps.ts';
import { median } from './measure.ts';
import { teams } from './topologies.ts';

const SIZES = [1_000, 2_000, 5_000, 10_000, 20_000];
const ROUNDS = 3;

const named = (count: number, make: (i: number) => string) =>
  Array.from({ length: count }, (_, i) => make(i)).join(', ');
const binding = (from: string, i: number, of: number, when: string) =>
  `{ from: ${from}, to: q${i % of}, ${when} }`;
const amqp = (message: string, exchanges: string, queues: number, bindings: string) => `tenant: t
messages: { note: ${message} }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: { kind: amqp, access: open, exchanges: { ${exchanges} }, queues: { ${named(queues, (i) => `q${i}: {}`)} }, bindings: [${bindings}] } }
`;
const TOPIC = 'in: { type: topic }';

/** Topologies of so many bindings. */
const SHAPES: Readonly<Record<string, (count: number) => string>> = {
  'one exchange, open words, 100 queues': (n) =>
    amqp(
      '{ key: "a.{x}.{y}" }',
      TOPIC,
      100,
      named(n, (i) => binding('in', i, 100, `key: "a.k${i}.*"`)),
    ),
  'one exchange, open words, a queue each': (n) =>
    amqp(
      '{ key: "a.{x}.{y}" }',
      TOPIC,
      n,
      named(n, (i) => binding('in', i, n, `key: "a.k${i}.*"`)),
    ),
  'one exchange, three words': (n) => {
    const of = Math.ceil(n ** (1 / 3));
    const key = (i: number) => `k${i % of}.k${Math.floor(i / of) % of}.k${Math.floor(i / of / of)}`;
    return amqp(
      '{ key: "{x}.{y}.{z}" }',
      TOPIC,
      50,
      named(n, (i) => binding('in', i, 50, `key: "${key(i)}"`)),
    );
  },
  'one exchange, headers of finite domains': (n) =>
    amqp(
      `{ headers: { n: { type: integer, minimum: 0, maximum: ${n} }, h: { enum: [x, y] } } }`,
      'in: { type: headers }',
      50,
      named(n, (i) => binding('in', i, 50, `headers: { match: all, values: { n: ${i}, h: x } }`)),
    ),
  'a hundred exchanges, open words': (n) =>
    amqp(
      '{ key: "a.{x}.{y}" }',
      `${TOPIC}, ${named(100, (i) => `e${i}: { type: topic }`)}`,
      50,
      `${named(100, (i) => `{ from: in, to: e${i}, key: "a.#" }`)}, ${named(n, (i) => binding(`e${i % 100}`, i, 50, `key: "a.k${i}.#"`))}`,
    ),
};

/** Prints for each shape the times, how they grow, and how many single messages could be traced meanwhile. */
export function classes(): void {
  console.log('\nall messages of a publish as classes, by the bindings they can meet');
  for (const [name, make] of Object.entries(SHAPES)) {
    const times: number[] = [];
    let last = '';
    for (const size of SIZES) {
      const graph = buildGraph(readTopology([{ name: 'a.yaml', text: make(size) }]));
      const [way] = publishesOf(graph);
      const runs = Array.from({ length: ROUNDS }, () => {
        const began = performance.now();
        const told = classesOf(graph, way!);
        return { ms: performance.now() - began, told };
      });
      times.push(median(runs.map(({ ms }) => ms)));
      if (size !== 10_000) continue;
      const { told } = runs[0]!;
      const began = performance.now();
      for (let i = 0; i < 1_000; i++)
        trace(graph, told.classes[i % told.classes.length]!.witness, { to: 'm/in', from: 'app:one' });
      const one = (performance.now() - began) / 1_000;
      last = `${told.classes.length} classes at 10,000, as long as tracing ${Math.round(times.at(-1)! / one)} messages`;
    }
    // between the second and the last: at the first, most of it is warming up
    const growth = Math.log(times.at(-1)! / times[1]!) / Math.log(SIZES.at(-1)! / SIZES[1]!);
    const shown = times.map((ms, i) => `${SIZES[i]!.toLocaleString('en')}: ${ms.toFixed(0)} ms`).join('  ');
    console.log(`  ${name}\n    ${shown}\n    growth ${growth.toFixed(2)}; ${last}`);
  }
}

/** Edits of one line each, by the document they are made in. */
const EDITS: readonly { what: string; doc: number; from: RegExp; to: (turn: number) => string }[] = [
  {
    what: 'a binding’s key',
    doc: 3,
    from: /to: queue-2-0, key: "[^"]*"/,
    to: (i) => `to: queue-2-0, key: "team-2.*.kind-${i % 5}"`,
  },
  { what: 'a queue’s ttl', doc: 5, from: /ttl: \d+m/, to: (i) => `ttl: ${70 + i}m` },
  { what: 'a header’s range', doc: 7, from: /maximum: \d+/, to: (i) => `maximum: ${20 + i}` },
];

/** Prints what all classes, and all proofs, of 10,000 resources cost at first and after one edit. */
export function classesAfterEdits(): void {
  const promises = Array.from(
    { length: 40 },
    (_, i) =>
      `  - { name: e${i}, given: { message: event-${i}-1 }, reaches: hub-${i % 10}/queue-${i}-1 }\n  - { name: n${i}, given: { message: event-${i}-2 }, never: "tenant:guest" }`,
  );
  const label = '  - { name: all, given: { label: operational }, never: "tenant:guest" }';
  let documents = [
    ...teams(50),
    {
      name: 'promises.yaml',
      text: `tenants: { guest: {} }\nexpectations:\n${promises.join('\n')}\n${label}\n`,
    },
  ];
  const reader = new TopologyReader();
  const timed = (run: () => void) => {
    const began = performance.now();
    run();
    return performance.now() - began;
  };
  let graph = buildGraph(reader.read(documents, {}));
  const all = timed(() => classesIn(graph));
  const proofs = timed(() => proveAll(graph));
  console.log(
    `\nall messages at 10,000 resources\n  ${classesIn(graph).of} publishes: ${all.toFixed(0)} ms at first; ${promises.length * 2 + 1} expectations: ${proofs.toFixed(0)} ms at first`,
  );
  for (const { what, doc, from, to } of EDITS) {
    const times = Array.from({ length: 7 }, (_, turn) => {
      const next = documents.map((each, i) =>
        i === doc ? { ...each, text: each.text.replace(from, to(turn)) } : each,
      );
      graph = buildGraph(reader.change(changesBetween(documents, next)!, {}));
      documents = next;
      return { classes: timed(() => classesIn(graph)), proofs: timed(() => proveAll(graph)) };
    }).slice(2);
    const [own, promised] = [
      median(times.map(({ classes: ms }) => ms)),
      median(times.map(({ proofs: ms }) => ms)),
    ];
    console.log(
      `  after an edit of ${what}: classes ${own.toFixed(1)} ms (a ${Math.round(all / own)}th), proofs ${promised.toFixed(1)} ms (a ${Math.round(proofs / promised)}th)`,
    );
  }
}

import { buildGraph } from '../routing/graph.ts';
import { TopologyReader, readTopology } from './read.ts';
import type { Topology } from './topology.ts';
import { meantBy, usesIn } from './uses.ts';

const read = (...texts: string[]): Topology =>
  readTopology(texts.map((text, i) => ({ name: `${i}.yaml`, text })));
const said = (...texts: string[]) => read(...texts).findings.map(({ message }) => message);

describe('several documents', () => {
  const A =
    'vondle: 1\ntopology: harbour\ntenant: auklet\nbrokers:\n  m:\n    kind: amqp\n    exchanges: { in: { type: topic } }\n';
  const B =
    'vondle: 1\ntopology: harbour\nbrokers:\n  m:\n    queues: { q: {} }\n    bindings: [ { from: in, to: q, key: a } ]\n';
  const C =
    'brokers:\n  m:\n    access: open\n    bindings: [ { from: in, to: q, key: b } ]\naccess: [ { allow: [publish], who: any, on: m/in } ]\n';

  test('add up, in any order', () => {
    for (const order of [
      [A, B, C],
      [C, B, A],
      [B, C, A],
    ]) {
      const topology = read(...order);
      expect(topology.findings).toEqual([]);
      const graph = buildGraph(topology);
      expect([...graph.nodes.keys()].sort()).toEqual(['exchange:m/in', 'queue:m/q']);
      expect(graph.edges.map(({ label }) => label).sort()).toEqual(['a', 'b']);
    }
  });

  test('may each say which topology they are of, alike', () => {
    expect(said(A, B)).toEqual([]);
    expect(said(A, B.replace('harbour', 'quay')).join()).toContain('`topology` is declared twice');
    expect(said(A, 'tenant: northquay\n').join()).toContain('`tenant` is declared twice');
  });

  test('that declare one setting of a broker twice are told', () => {
    expect(said(A, C, 'brokers: { m: { access: controlled } }').join()).toContain(
      '`access` is declared twice: it also stands in 1.yaml',
    );
  });

  test('know where each thing stands', () => {
    const broker = read(A, B, C).declared.brokers!.get('m')!.value;
    expect(broker.queues!.get('q')!.key.doc).toBe('1.yaml');
    expect(broker.variant === 'amqp' && broker.bindings!.items.map(({ place }) => place.doc)).toEqual([
      '1.yaml',
      '2.yaml',
    ]);
  });

  test('twice the same key in one document, at any depth', () => {
    expect(said('apps: { a: {}, a: {} }')).toHaveLength(1);
    expect(said('apps: { a: { instances: 1, instances: 2 } }').join()).toContain(
      'further up in this document',
    );
    expect(said('apps: {}\napps: {}\n').join()).toContain('`apps` is declared twice');
  });

  test('names that a language of objects would trip over are names like others', () => {
    const topology = read(
      'brokers: { m: { kind: amqp, queues: { __proto__: {}, constructor: {}, toString: {} } } }',
    );
    expect(topology.findings).toEqual([]);
    expect([...topology.declared.brokers!.get('m')!.value.queues!.keys()]).toEqual([
      '__proto__',
      'constructor',
      'toString',
    ]);
    expect(said('constructor: {}\ntoString: 1\n')).toHaveLength(2);
  });
});

describe('parameters', () => {
  const text = (value: string) =>
    `parameters: { n: { default: 5 }, yes: { default: true }, name: { default: in }, part: { default: 1 } }
brokers:
  m:
    kind: amqp
    exchanges: { in: { type: headers } }
    queues: { q: { maxLength: ${value} } }
    bindings: [ { from: "\${name}", to: q, headers: { match: all, values: { hazard: "\${yes}", plain: $\{literal} } } } ]
`.replace(', plain: ${literal}', '');

  test('take the type their place asks for', () => {
    const topology = read(text('"${n}"'));
    expect(topology.findings).toEqual([]);
    const broker = topology.declared.brokers!.get('m')!.value;
    expect(broker.variant === 'amqp' && broker.queues!.get('q')!.value.maxLength).toMatchObject({
      value: 5,
      from: ['n'],
    });
    // in quotes a header's value stays text; the reference made from a parameter leads where it says
    expect(
      broker.variant === 'amqp' && broker.bindings!.items[0]!.headers!.values!.get('hazard')!.value.value,
    ).toBe('true');
    expect(buildGraph(topology).edges).toHaveLength(1);
  });

  test('may be joined with text, and escaped', () => {
    const topology = read('parameters: { x: { default: a } }\napps: { d: { note: "${x}-${x} and $${x}" } }');
    expect(topology.declared.apps!.get('d')!.value.note).toMatchObject({
      value: 'a-a and ${x}',
      from: ['x', 'x'],
    });
  });

  test('that are wrong where they are used say so there, naming the parameter', () => {
    expect(said(text('"${name}"')).join()).toContain('not `in` (made from `name`)');
    expect(said(text('"${nmae}"')).join()).toContain('no parameter `nmae`. Did you mean `name`?');
  });

  test('of an environment win, and unknown ones are told', () => {
    const documents = [
      {
        name: 'a',
        text: 'parameters: { x: { default: a } }\nenvironments: { live: { values: { x: b, y: c } } }\napps: { d: { note: "${x}" } }',
      },
    ];
    const live = readTopology(documents, { environment: 'live' });
    expect(live.declared.apps!.get('d')!.value.note!.value).toBe('b');
    expect(live.findings.map(({ message }) => message)).toEqual([
      'There is no parameter `y`. Did you mean `x`?',
    ]);
    expect(readTopology(documents, { environment: 'moon' }).findings.map(({ check }) => check)).toContain(
      'language/unknown-environment',
    );
  });
});

test('every use means the thing it names', () => {
  const { declared, names } = read(`tenant: t
tenants: { t: {} }
messages: { base: {}, note: { extends: base } }
apps: { a: { tenant: t, home: m, publishes: [ { message: note, to: m/in } ], consumes: [ { from: m/q } ] } }
brokers:
  m: { kind: amqp, mqtt: { exchange: in }, exchanges: { in: { type: topic, unroutedTo: in } }, queues: { q: { perInstanceOf: a, deadLetter: { to: in } } }, bindings: [ { from: in, to: q } ], aliases: { far: { to: s/t, over: l } } }
  s: { kind: pubsub, topics: { t: {} }, queues: { w: {} }, subscriptions: { k: { topic: t, to: w } } }
links: { l: { from: m/q, to: s/t } }
spreads: { both: { members: [ m/q, s/w ] } }
access: [ { allow: [publish], who: [ app:a, topic:s/t, any ], on: [ s/w, "m/*" ], when: { tenant: t, source: m/in } } ]
expectations: [ { name: e, given: { message: note, from: app:a }, reaches: [ s/w, app:a ], never: tenant:t } ]
`);
  const meant = [...usesIn(declared)].map((use) => meantBy(names, use)?.id ?? `? ${use.value.value}`);
  expect(new Set(meant)).toEqual(
    new Set([
      'tenant:t',
      'message:base',
      'message:note',
      'broker:m',
      'exchange:m/in',
      'queue:m/q',
      'app:a',
      'topic:s/t',
      'link:l',
      'queue:s/w',
      '? any',
      '? m/*',
    ]),
  );
});

test('what is said of a name that nothing has follows what comes elsewhere', () => {
  const apps =
    'apps:\n  taker: { consumes: [{ from: m/gone }] }\nbrokers:\n  m: { kind: amqp, queues: { x: {} } }\n';
  const other = (queue: string) => `brokers:\n  s:\n    kind: amqp\n    queues: { ${queue}: {} }\n`;
  const reader = new TopologyReader();
  const said = (queue: string) => {
    const documents = [
      { name: 'a.yaml', text: apps },
      { name: 'b.yaml', text: other(queue) },
    ];
    const fresh = readTopology(documents).findings.map(({ message }) => message);
    expect(reader.read(documents).findings.map(({ message }) => message)).toEqual(fresh);
    return fresh.join();
  };
  expect(said('y')).not.toBe(said('gone'));
  said('y');
});

/** Topologies made up at random, with everything that checks look at, and many of the mistakes they find. */
import fc from 'fast-check';

/** Picks from what is given, as a seed tells it. */
type Pick = <T>(...from: readonly T[]) => T;

const pickerOf = (seed: number): Pick => {
  let state = seed >>> 0 || 1;
  return (...from) => {
    // xorshift: small, and the same everywhere
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    return from[(state >>> 0) % from.length]!;
  };
};

/** @returns the text of a topology, the same for the same seed */
export function randomTopology(seed: number): string {
  const pick = pickerOf(seed);
  const some = <T>(all: readonly T[]) => all.filter(() => pick(true, false));
  const maybe = (text: string) => pick(text, '', '');
  const queues = ['q1', 'q2', 'q3', 'q4'];
  const words = ['a', 'b', 'late', 'north'];
  const key = () =>
    `"${[pick(...words, '*'), pick(...words, '*', '#'), pick('', ...words)].filter(Boolean).join('.')}"`;
  const messages = ['m1', 'm2', 'm3'].map(
    (id) =>
      `  ${id}:\n    key: ${pick('a.b', 'a.{route}', '"{route}.late"', 'north.{x}')}\n    headers:\n      route: { type: string, enum: [a, b, north] }\n      level: { type: integer, minimum: 0, maximum: 9 }\n${maybe('    required: [route]\n')}${maybe('    mustArrive: true\n')}${maybe('    labels: [personal]\n')}`,
  );
  const address = () => pick('m/in', 'm/in', 's/t', 's/t', 'm/other', 'm/q1', 'm/nick', 'spread:both');
  const publish = () =>
    `      - { message: ${pick('m1', 'm2', 'm3')}, to: ${pick(address(), '"spread:both"').replace(/^spread:both$/, '"spread:both"')}${maybe(', persistent: true')}${maybe(', rate: 20/s')}${maybe(', mandatory: true')} }\n`;
  const store = () => pick('m/q1', 'm/q2', 'm/q3', 'm/q4', 's/h1', 's/h2', 's/own');
  const consume = () =>
    `      - { from: ${store()}${maybe(', each: copy')}${maybe(', each: share').replace(/^, each: share$/, '')}${maybe(', ack: auto')}${maybe(', prefetch: 1')}${maybe(', takes: 90ms')}${maybe(', wrapped: true')}${maybe(', competes: true')}${maybe(', expects: [m1]')} }\n`;
  const apps = ['one', 'two', 'three'].map(
    (id) =>
      `  ${id}:\n    instances: ${pick(1, 1, 2, 3)}\n${maybe('    tenant: guest\n')}    publishes:\n${publish()}${pick(publish(), '')}    consumes:\n${consume()}${pick(consume(), '')}`,
  );
  const queue = (name: string) =>
    `      ${name}: { ${[
      maybe('durable: false'),
      maybe('ttl: 1s'),
      maybe('maxLength: 100'),
      maybe('overflow: refuse-new'),
      maybe('maxDeliveries: 3'),
      maybe(`deadLetter: { to: ${pick('dead', 'in', 'q4')} }`),
      maybe(`perInstanceOf: ${pick('one', 'two')}`),
      maybe('order: fifo'),
      maybe('autoDelete: true'),
    ]
      .filter(Boolean)
      .join(', ')} }\n`;
  const hosted = (name: string) =>
    `      ${name}: { ${[
      maybe('order: fifo'),
      maybe('lease: 50ms'),
      maybe('ttl: 50ms'),
      maybe('maxDeliveries: 3'),
      maybe('deadLetter: { to: parked }'),
      maybe('tenant: guest'),
    ]
      .filter(Boolean)
      .join(', ')} }\n`;
  const bindings = [
    ...queues.map((name) => `      - { from: ${pick('in', 'in', 'other')}, to: ${name}, key: ${key()} }\n`),
    ...some(['q1', 'q2', 'other', 'q1']).map((name) => `      - { from: in, to: ${name}, key: ${key()} }\n`),
    '      - { from: dead, to: q4 }\n',
  ];
  const filter = () =>
    pick(
      '',
      `, filter: { selector: "level ${pick('>', '<', '=')} ${pick('3', '11', "'x'")}" }`,
      `, filter: { match: { route: ${pick('a', 'north', 'nroth')} } }`,
      ', filter: { selector: "levle > 2" }',
    );
  const who = () =>
    pick(
      'any',
      'app:one',
      'app:two',
      '[app:one, app:three]',
      'tenant:guest',
      'tenant:home',
      '"topic:s/t"',
      'link:down',
      'app:nobody',
    );
  const on = () => pick('"m/*"', '"s/*"', 'm/in', 'm/q1', 's/h1', 's/t', '[m/q1, m/q2]', 'm/qq');
  const access = some([1, 2, 3, 4, 5, 6]).map(
    (n) =>
      `  - { name: rule ${n}, ${pick('allow', 'allow', 'allow', 'deny')}: [${pick('publish', 'consume', 'publish, consume', 'consume, browse')}], who: ${who()}, on: ${on()}${maybe(', when: { tenant: guest }')} }\n`,
  );
  return `topology: random
tenant: home
tenants: { home: { clears: [personal] }, guest: {} }
messages:
${messages.join('')}apps:
${apps.join('')}brokers:
  m:
    kind: amqp
    access: ${pick('open', 'controlled')}
${maybe('    clears: [personal]\n')}${maybe('    rest: plain\n')}    exchanges:
      in: { type: topic${maybe(', divides: true')}${maybe(', durable: false')} }
      other: { type: ${pick('topic', 'fanout', 'direct')}${maybe(', unroutedTo: dead')} }
      dead: { type: fanout }
    queues:
${queues.map(queue).join('')}      out: { ${maybe('maxLength: 5')} }
    bindings:
${bindings.join('')}    aliases:
      nick: { to: ${pick('in', 'nack')} }
      nack: { to: ${pick('q1', 'nick', 'far')} }
      far: { to: n/back${maybe(', over: down')} }
  n:
    kind: amqp
    access: open
    queues: { back: { ${maybe('ttl: 1m')} } }
  s:
    kind: pubsub
    access: ${pick('open', 'controlled')}
    topics: { t: { ${maybe('order: fifo')} } }
    queues:
${hosted('h1')}${hosted('h2')}      parked: {}
    subscriptions:
      s1: { topic: t, to: h1${filter()}${maybe(', wrap: true')} }
      s2: { topic: t, to: ${pick('h1', 'h2')}${filter()} }
      own: { topic: t${filter()}${maybe(', maxDeliveries: 4')} }
links:
  down: { from: m/out, to: n/back${maybe(', active: false')}${maybe(', batch: 50')}${maybe(', keys: ["a.#"]')} }
spreads:
  both: { members: [m/q1, n/back] }
access:
${access.join('')}  - { name: last, allow: [consume], who: app:one, on: m/q1 }
watch:
  - { name: piles up, on: ${pick('m/q1', '[m/q2, s/own]', '"m/*"', 's/t', 'm/gone')}, when: { ${pick('waiting: 10', 'quiet: true', 'oldest: 1m', 'comes: 9/s', 'takers: 1')}${maybe(', for: 5m')} }${maybe(', in: live')} }
taps:
  - { on: ${pick('m/in', 'm/q1', 's/t', '"s/*"', 'm/nick')}${maybe(', keep: 1d')}${maybe(', body: true')} }
`;
}

/** Random topologies as a property meets them. */
export const topologies = fc.integer({ min: 1, max: 2 ** 31 - 1 });

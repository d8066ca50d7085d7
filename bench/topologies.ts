/** Large topologies as text, the same at every run. */

/** @returns one document of some queues and bindings on a topic exchange and a few others. */
export function largeDocument(queues: number, bindings: number): string {
  const lines = [
    'vondle: 1',
    'topology: large',
    'brokers:',
    '  mainland:',
    '    kind: amqp',
    '    access: open',
    '    exchanges:',
  ];
  for (let i = 0; i < 20; i++)
    lines.push(`      hub-${i}: { type: ${['topic', 'direct', 'fanout', 'topic'][i % 4]} }`);
  lines.push('    queues:');
  for (let i = 0; i < queues; i++) {
    lines.push(
      `      queue-${i}: { durable: true, ttl: ${1 + (i % 59)}m, maxLength: ${1000 + i} } # team ${i % 37}`,
    );
  }
  lines.push('    bindings:');
  for (let i = 0; i < bindings; i++) {
    const key = pattern(i);
    lines.push(`      - { from: hub-${i % 20}, to: queue-${(i * 7) % queues}, key: "${key}" }`);
  }
  return `${lines.join('\n')}\n`;
}

export interface Document {
  readonly name: string;
  readonly text: string;
}

/**
 * A topology of teams, one document each, of which five share a broker: 200 resources (ten exchanges, 160
 * queues, 30 apps that send and take) and 400 bindings a team, on five message types.
 *
 * @param brokers on how many brokers they are
 * @returns the documents; fifty teams make 10,000 resources and 20,000 routes
 */
export function teams(count: number, brokers = Math.max(1, Math.ceil(count / 5))): Document[] {
  const documents = Array.from({ length: count }, (_, t) => team(t, `hub-${t % brokers}`, t < brokers));
  return [{ name: 'teams.yaml', text: 'vondle: 1\ntopology: teams\ntenant: auklet\n' }, ...documents];
}

function team(t: number, broker: string, first: boolean): Document {
  const next = sequence(t + 1);
  const lines = ['messages:'];
  for (let m = 0; m < 5; m++) {
    lines.push(
      `  event-${t}-${m}:`,
      `    key: team-${t}.{area}.kind-${m}`,
      '    headers:',
      `      area: { type: string, enum: [north, south, outer, harbour-${m}] }`,
      `      level: { type: integer, minimum: 0, maximum: ${10 + m} }`,
      '    required: [area, level]',
      '    labels: [operational]',
    );
  }
  lines.push('apps:');
  for (let a = 0; a < 30; a++) {
    lines.push(`  app-${t}-${a}:`, `    instances: ${1 + (a % 4)}`);
    if (a < 10) {
      const to = `${broker}/exchange-${t}-${a}`;
      lines.push('    publishes:', `      - { message: event-${t}-${a % 5}, to: ${to}, rate: ${1 + a}/s }`);
    }
    lines.push('    consumes:');
    for (let q = 0; q < 160; q += 30)
      if (q + a < 160)
        lines.push(`      - { from: ${broker}/queue-${t}-${q + a}, ack: manual, prefetch: 20 }`);
  }
  lines.push('brokers:', `  ${broker}:`);
  if (first) lines.push('    kind: amqp', '    access: open');
  lines.push('    exchanges:');
  const types = [
    'topic',
    'topic',
    'topic',
    'fanout',
    'direct',
    'headers',
    'topic',
    'topic',
    'topic',
    'fanout',
  ];
  types.forEach((type, e) => lines.push(`      exchange-${t}-${e}: { type: ${type} }`));
  lines.push('    queues:');
  for (let q = 0; q < 160; q++)
    lines.push(
      `      queue-${t}-${q}: { ttl: ${1 + (q % 59)}m, maxLength: ${1000 + q}, overflow: drop-oldest } # of team ${t}`,
    );
  lines.push('    bindings:');
  for (let b = 0; b < 400; b++) {
    const e = next(10);
    const area = ['*', 'north', 'south', 'outer'][next(4)];
    const condition =
      types[e] === 'headers'
        ? `headers: { values: { area: ${area === '*' ? 'north' : area}, level: ${next(10)} } }`
        : `key: "team-${t}.${types[e] === 'direct' && area === '*' ? 'north' : area}.kind-${e % 5}"`;
    lines.push(`      - { from: exchange-${t}-${e}, to: queue-${t}-${b % 160}, ${condition} }`);
  }
  return { name: `team-${t}.yaml`, text: `${lines.join('\n')}\n` };
}

const WORDS = [
  'sailing',
  'north',
  'south',
  'outer',
  'departed',
  'delayed',
  'arrived',
  'freight',
  'fare',
  'deck',
];

/** @returns the i-th of a fixed sequence of topic patterns, most of them with a wildcard. */
export function pattern(i: number): string {
  const word = (n: number) => `${WORDS[n % WORDS.length]}${n % 13}`;
  const words = [word(i), word(i * 3 + 1), word(i * 7 + 2), word(i * 11 + 3)].slice(0, 2 + (i % 3));
  if (i % 4 === 1) words[i % words.length] = '*';
  if (i % 9 === 2) words[words.length - 1] = '#';
  return words.join('.');
}

/** @returns the i-th of a fixed sequence of keys, of which many fit some patterns. */
export function key(i: number): string {
  return pattern(i * 4)
    .replaceAll('*', 'any')
    .replaceAll('#', 'all');
}

/** A fixed sequence of pseudo-random whole numbers below a bound. */
export function sequence(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

/**
 * @returns topic patterns of four words. Where they are distinct, a key meets some 26 of 10,000; where they may
 *   repeat, as bindings to several queues do, some 270.
 */
export function crowdedPatterns(count: number, distinct: boolean): string[] {
  const next = sequence(7);
  const found: string[] = [];
  const seen = new Set<string>();
  while (found.length < count) {
    const words = Array.from({ length: 4 }, () => (next(100) < 34 ? '*' : WORDS[next(10)]!));
    if (next(100) < 3) words.splice(1 + next(3), 4, '#');
    const pattern = words.join('.');
    if (distinct && seen.has(pattern)) continue;
    seen.add(pattern);
    found.push(pattern);
  }
  return found;
}

/** @returns keys of four words: each of ten kinds, and with `ids`, the last one an id that no other key has. */
export function crowdedKeys(count: number, ids = false): string[] {
  const next = sequence(11);
  return Array.from({ length: count }, (_, i) => {
    const words = Array.from({ length: 4 }, () => WORDS[next(10)]!);
    if (ids && i % 2) words[3] = `id-${i}`;
    return words.join('.');
  });
}

/** @returns a broker of so many queues, each bound once, in documents of 500 queues: for rollouts. */
export function crowd(queues: number): { name: string; text: string }[] {
  const documents = [
    {
      name: 'broker.yaml',
      text: 'environments: { trial: {} }\nbrokers:\n  m: { kind: amqp, access: open, exchanges: { in: { type: topic } } }\n',
    },
  ];
  for (let from = 0; from < queues; from += 500) {
    const names = Array.from({ length: Math.min(500, queues - from) }, (_, i) => from + i);
    const text = `brokers:
  m:
    queues:
${names.map((i) => `      q${i}: { ttl: 1h }`).join('\n')}
    bindings:
${names.map((i) => `      - { from: in, to: q${i}, key: "a.${i}.#" }`).join('\n')}
`;
    documents.push({ name: `queues-${from}.yaml`, text });
  }
  return documents;
}

/** @returns a topology of one topic exchange: every type's keys meet a few of its bindings, and only those */
export function crossing(bindings: number, types: number): string {
  const queues = bindings / 10;
  const each = (count: number, line: (i: number) => string) =>
    Array.from({ length: count }, (_, i) => line(i));
  return `${[
    'messages:',
    ...each(
      types,
      (t) =>
        `  type-${t}: { key: "w${t % 7}.{area}.kind-${t}", headers: { area: { enum: [north, south, outer] } } }`,
    ),
    'apps:',
    ...each(types, (t) => `  app-${t}: { publishes: [{ message: type-${t}, to: b/in }] }`),
    'brokers:',
    '  b:',
    '    kind: amqp',
    '    access: open',
    '    exchanges: { in: { type: topic } }',
    '    queues:',
    ...each(queues, (q) => `      q${q}: {}`),
    '    bindings:',
    ...each(
      bindings,
      (i) =>
        `      - { from: in, to: q${i % queues}, key: "w${i % 7}.${['*', 'north', 'south'][i % 3]}.kind-${i % (types * 2)}" }`,
    ),
  ].join('\n')}\n`;
}

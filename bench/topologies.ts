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
function sequence(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

/** @returns distinct topic patterns of four words, of which a key meets about one in thirty-seven. */
export function crowdedPatterns(count: number): string[] {
  const next = sequence(7);
  const found = new Set<string>();
  while (found.size < count) {
    const words = Array.from({ length: 4 }, () => (next(100) < 34 ? '*' : WORDS[next(10)]!));
    if (next(100) < 3) words.splice(1 + next(3), 4, '#');
    found.add(words.join('.'));
  }
  return [...found];
}

/** @returns keys of four words. */
export function crowdedKeys(count: number): string[] {
  const next = sequence(11);
  return Array.from({ length: count }, () => Array.from({ length: 4 }, () => WORDS[next(10)]!).join('.'));
}

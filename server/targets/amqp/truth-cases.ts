/** Random AMQP topologies and messages, as plain data that can be shrunk and printed. */

export interface TruthBinding {
  from: string;
  to: string;
  key?: string;
  headers?: { match: 'all' | 'any'; values: Record<string, string | number | boolean | null> };
}

export interface TruthQueue {
  ttl?: string;
  maxLength?: number;
  overflow?: 'drop-oldest' | 'refuse-new';
  deadLetter?: { to: string; key?: string };
}

export interface TruthExchange {
  type: 'direct' | 'fanout' | 'topic' | 'headers';
  unroutedTo?: string;
  internal?: boolean;
}

export interface TruthMessage {
  /** An exchange, `queue:name` for the unnamed exchange, or `mqtt`. */
  to: string;
  key: string;
  headers: Record<string, string | number | boolean>;
}

export interface TruthCase {
  exchanges: Record<string, TruthExchange>;
  queues: Record<string, TruthQueue>;
  bindings: TruthBinding[];
  messages: TruthMessage[];
  /** The queue whose messages are rejected once everything lies still. */
  rejecting?: string;
}

/** A small generator of random numbers that gives the same for the same seed (xorshift32). */
export class Random {
  private state: number;
  constructor(seed: number) {
    this.state = (seed * 2654435761) >>> 0 || 1;
  }
  /** @returns a whole number from 0 up to, not including, `below`. */
  below(below: number): number {
    this.state ^= this.state << 13;
    this.state >>>= 0;
    this.state ^= this.state >>> 17;
    this.state ^= this.state << 5;
    this.state >>>= 0;
    return this.state % below;
  }
  chance(percent: number): boolean {
    return this.below(100) < percent;
  }
  pick<T>(from: readonly T[]): T {
    return from[this.below(from.length)]!;
  }
}

const WORDS = ['sailing', 'north', 'late', ''];
const HEADERS = ['a', 'b', 'x-c'];
const VALUES = [1, 2, '1', 'x', '', true, false, 1.5];

function key(random: Random): string {
  return Array.from({ length: random.below(4) }, () => random.pick(WORDS)).join('.');
}

function pattern(random: Random): string {
  return Array.from({ length: random.below(5) }, () => random.pick([...WORDS, '*', '#'])).join('.');
}

/** @returns a topology with some messages; the same for the same seed. */
export function truthCase(seed: number): TruthCase {
  const random = new Random(seed);
  const exchanges: Record<string, TruthExchange> = {};
  const count = 1 + random.below(5);
  for (let i = 0; i < count; i++) {
    exchanges[`e${i}`] = { type: random.pick(['direct', 'fanout', 'topic', 'topic', 'headers'] as const) };
  }
  // what MQTT publishes enter is there in every virtual host
  const mqtt = random.chance(25);
  if (mqtt) exchanges['amq.topic'] = { type: 'topic' };
  const names = Object.keys(exchanges);
  for (const exchange of Object.values(exchanges)) {
    if (exchange !== exchanges['amq.topic']) {
      if (random.chance(40)) exchange.unroutedTo = random.pick(names);
      if (random.chance(10)) exchange.internal = true;
    }
  }
  const queues: Record<string, TruthQueue> = {};
  for (let i = 0, most = 1 + random.below(5); i < most; i++) {
    // a queue may have an exchange's name
    queues[random.chance(15) ? `e${random.below(count)}` : `q${i}`] = {};
  }
  for (const queue of Object.values(queues)) {
    if (random.chance(45)) {
      const to = random.chance(70)
        ? `exchange:${random.pick(names)}`
        : `queue:${random.pick(Object.keys(queues))}`;
      queue.deadLetter = {
        to,
        ...(random.chance(40) && to.startsWith('exchange') ? { key: key(random) } : {}),
      };
    }
    if (random.chance(25)) queue.ttl = '0ms';
    else if (random.chance(15)) {
      queue.maxLength = 0;
      // a queue that refuses is never acknowledged over MQTT, and the publisher would wait for ever
      if (random.chance(40))
        queue.overflow = mqtt ? 'drop-oldest' : random.pick(['drop-oldest', 'refuse-new'] as const);
    }
  }
  const bindings: TruthBinding[] = [];
  for (let i = 0, most = random.below(14); i < most; i++) {
    const from = random.pick(names);
    const to = random.chance(30)
      ? `exchange:${random.pick(names)}`
      : `queue:${random.pick(Object.keys(queues))}`;
    const binding: TruthBinding = { from: `exchange:${from}`, to };
    const { type } = exchanges[from]!;
    if (type === 'topic') binding.key = pattern(random);
    else if (type === 'direct') binding.key = key(random);
    else if (type === 'headers') {
      const values: Record<string, string | number | boolean | null> = {};
      for (const name of HEADERS)
        if (random.chance(45)) values[name] = random.chance(15) ? null : random.pick(VALUES);
      binding.headers = { match: random.pick(['all', 'any'] as const), values };
    }
    bindings.push(binding);
  }
  const messages = Array.from({ length: 1 + random.below(6) }, (): TruthMessage => {
    const headers: Record<string, string | number | boolean> = {};
    for (const name of HEADERS) if (random.chance(50)) headers[name] = random.pick(VALUES);
    if (mqtt && random.chance(40)) {
      return {
        to: 'mqtt',
        key: `${random.pick(['sailing', 'north', 'late'])}/${random.pick(['north', 'late'])}`,
        headers: {},
      };
    }
    const to = random.chance(10)
      ? `queue:${random.pick(Object.keys(queues))}`
      : `exchange:${random.pick(names)}`;
    return { to, key: key(random), headers };
  });
  return {
    exchanges,
    queues,
    bindings,
    messages,
    ...(random.chance(30) ? { rejecting: random.pick(Object.keys(queues)) } : {}),
  };
}

/** Everything a case could be without: each smaller by one part, references to the part removed with it. */
export function* smaller(of: TruthCase): Generator<TruthCase> {
  for (let i = 0; i < of.messages.length; i++)
    yield { ...of, messages: of.messages.filter((_, at) => at !== i) };
  for (let i = 0; i < of.bindings.length; i++)
    yield { ...of, bindings: of.bindings.filter((_, at) => at !== i) };
  if (of.rejecting !== undefined) {
    const { rejecting: _rejecting, ...rest } = of;
    yield rest;
  }
  for (const [name, queue] of Object.entries(of.queues)) {
    for (const part of Object.keys(queue) as (keyof TruthQueue)[]) {
      const { [part]: _part, ...rest } = queue;
      yield { ...of, queues: { ...of.queues, [name]: rest } };
    }
  }
  for (const [name, { unroutedTo, ...rest }] of Object.entries(of.exchanges)) {
    if (unroutedTo) yield { ...of, exchanges: { ...of.exchanges, [name]: rest } };
  }
  const used = JSON.stringify([
    of.bindings,
    of.messages,
    of.queues,
    Object.values(of.exchanges),
    of.rejecting,
  ]);
  for (const name of Object.keys(of.queues)) {
    if (used.includes(`queue:${name}"`) || of.rejecting === name) continue;
    const { [name]: _queue, ...rest } = of.queues;
    yield { ...of, queues: rest };
  }
  for (const name of Object.keys(of.exchanges)) {
    if (used.includes(`exchange:${name}"`) || used.includes(`"${name}"`)) continue;
    const { [name]: _exchange, ...rest } = of.exchanges;
    yield { ...of, exchanges: rest };
  }
}

/**
 * Topologies and messages made up at random for the second interpreter, with everything that routing knows: what is
 * broken, missing, circular or idle as often as what is right.
 *
 * What it cannot make: selectors beyond three forms, several messages after one another over one spread, rejections
 * mixed with expiry, wire names that clash, names with odd characters, tenants. Those have tests of their own
 * (conditions/, routing/walk.test.ts, analysis/trace/settle.test.ts, the live differential test).
 */
import type {
  App,
  Binding,
  Broker,
  Exchange,
  Filter,
  Model,
  Queue,
  Sent,
  Statement,
  Subscription,
} from './model.ts';

export interface Random {
  below(n: number): number;
  pick<T>(from: readonly T[]): T;
  /** True once in so many. */
  once(in_: number): boolean;
}

export function randomOf(seed: number): Random {
  let state = (seed * 2654435761 + 1) >>> 0 || 1;
  const below = (n: number) => {
    state ^= state << 13;
    state >>>= 0;
    state ^= state >>> 17;
    state ^= state << 5;
    state >>>= 0;
    return state % n;
  };
  return { below, pick: (from) => from[below(from.length)]!, once: (n) => below(n) === 0 };
}

const WORDS = ['a', 'b', 'c'];

/** Up to three words, and now and then an empty one. */
const key = (r: Random) =>
  Array.from({ length: r.below(4) }, () => (r.once(12) ? '' : r.pick(WORDS))).join('.');
const pattern = (r: Random) =>
  Array.from({ length: 1 + r.below(3) }, () => r.pick([...WORDS, '*', '#'])).join('.');
const topicFilter = (r: Random) => {
  const levels = Array.from({ length: 1 + r.below(2) }, () => r.pick([...WORDS, '+', '*']));
  const filter = [...levels, ...(r.once(3) ? ['#'] : [])].join('/');
  return r.once(3) ? `$share/${r.pick(['g', 'h'])}/${filter}` : filter;
};
const list = <T>(r: Random, most: number, make: (i: number) => T) =>
  Array.from({ length: r.below(most + 1) }, (_, i) => make(i));
const some = <T extends object>(chance: boolean, part: T): Partial<T> => (chance ? part : {});

function headersOf(r: Random): Record<string, string | number | boolean> {
  return {
    ...some(r.once(2), { h: r.pick(['x', 'y', 1, true]) }),
    ...some(r.once(2), { n: r.below(5) }),
    ...some(r.once(5), { 'x-h': 'x' }),
  } as Record<string, string | number | boolean>;
}

function filter(r: Random, depth = 0): Filter {
  switch (r.below(depth > 1 ? 3 : 6)) {
    case 0:
      return { selector: r.pick(['n >= 2', 'n = 1', "h = 'x'", "h <> 'y'", 'n IS NULL', 'n < 3']) };
    case 1:
      return { match: { [r.pick(['h', 'subject'])]: r.pick(['x', 'y']) } };
    case 2:
      return { prefix: { [r.pick(['h', 'subject'])]: r.pick(['x', '']) } };
    case 3:
      return { any: [filter(r, depth + 1), filter(r, depth + 1)] };
    case 4:
      return { all: [filter(r, depth + 1), filter(r, depth + 1)] };
    default:
      return { not: filter(r, depth + 1) };
  }
}

const BROKERS = ['m', 'i', 's'];

export function randomModel(seed: number): Model {
  const r = randomOf(seed);
  const apps = ['one', 'two', 'three'];
  const links = ['up', 'down'];
  const names = {
    exchanges: ['x', 'y', 'z'],
    queues: ['p', 'q', 'same'],
    topics: ['t', 'u'],
    hosted: ['k', 'l'],
  };
  /** An address from outside of every broker; now and then one of nothing. */
  const entry = () => {
    const broker = r.pick(BROKERS);
    const own = broker === 's' ? [...names.topics, ...names.hosted] : [...names.exchanges, ...names.queues];
    if (r.once(14)) return 'spread:w';
    return `${broker}/${r.pick([...own, ...own, 'nick', 'far', 'gone', 'same'])}`;
  };
  const queueOf = () => {
    const broker = r.pick(BROKERS);
    const address = `${broker}/${r.pick(broker === 's' ? names.hosted : names.queues)}`;
    return r.once(5) ? `queue:${address}` : r.once(20) ? `${broker}/gone` : address;
  };
  const queue = (of: readonly string[], amqp: boolean): Queue => ({
    ...some(amqp && r.once(5), { perInstanceOf: r.pick(apps) }),
    ...some(amqp && r.once(6), { wireName: r.pick(['wire', 'a.b']) }),
    ...some(r.once(2), { ttl: '1s' }),
    ...some(r.once(2), { deadLetter: { to: r.pick([...of, 'gone']), ...some(r.once(3), { key: key(r) }) } }),
  });
  const amqp = (id: string): Broker => {
    const exchange = (): Exchange => ({
      type: r.pick(['direct', 'fanout', 'topic', 'topic', 'headers']),
      ...some(r.once(3), { unroutedTo: r.pick([...names.exchanges, 'gone']) }),
      ...some(r.once(8), { internal: true }),
    });
    const exchanges: Record<string, Exchange> = Object.fromEntries(
      names.exchanges.map((name) => [name, exchange()]),
    );
    // a name that two things share is told apart by its kind
    if (r.once(3)) exchanges['same'] = exchange();
    const ends = ['x', 'y', 'z', 'p', 'q', 'queue:same', 'same', 'gone', `${id === 'm' ? 'i' : 'm'}/p`];
    const binding = (): Binding => {
      const from = r.pick(['x', 'x', 'y', 'z', 'exchange:same']);
      const headers = {
        match: r.pick(['all', 'any'] as const),
        values: r.once(6) ? { h: null } : headersOf(r),
      };
      const type = exchanges[from.replace('exchange:', '')]?.type;
      return {
        from,
        to: r.pick(ends),
        ...(type === 'headers'
          ? { headers }
          : some(!r.once(5), { key: type === 'direct' ? key(r) : pattern(r) })),
      };
    };
    const deadLetters = ['x', 'y', 'p', 'q', 'queue:same'];
    return {
      kind: 'amqp',
      ...some(r.once(2), { access: r.pick(['open', 'open', 'controlled'] as const) }),
      ...some(r.once(2), { mqtt: { exchange: r.pick(['x', 'y']) } }),
      exchanges,
      queues: Object.fromEntries(names.queues.map((name) => [name, queue(deadLetters, true)])),
      bindings: list(r, 6, binding),
      aliases: {
        nick: { to: r.pick(['x', 'p', 'nick2', 'gone', 'spread:w']) },
        nick2: { to: r.pick(['nick', 'y', 'q']) },
        far: {
          to: r.pick([`${id === 'm' ? 'i' : 'm'}/p`, 's/t', `${id}/q`, 's/gone']),
          ...some(!r.once(4), { over: r.pick([...links, 'gone']) }),
        },
      },
    };
  };
  const subscription = (): Subscription => ({
    topic: r.pick([...names.topics, ...names.topics, 'gone']),
    ...some(r.once(2), { to: r.pick([...names.hosted, 'gone']) }),
    ...some(r.once(4), { wrap: true }),
    ...some(r.once(2), { filter: filter(r) }),
    ...some(r.once(3), { ttl: '1s' }),
    ...some(r.once(3), { deadLetter: { to: r.pick(['k', 'l', 't']) } }),
  });
  const pubsub = (): Broker => ({
    kind: 'pubsub',
    ...some(r.once(2), { access: r.pick(['open', 'open', 'controlled'] as const) }),
    topics: Object.fromEntries(names.topics.map((name) => [name, {}])),
    queues: Object.fromEntries(names.hosted.map((name) => [name, queue(['k', 'l', 't'], false)])),
    subscriptions: Object.fromEntries(list(r, 4, (i) => [`sub${i}`, subscription()])),
    aliases: {
      nick: { to: r.pick(['t', 'k', 'gone']) },
      far: { to: 'm/x', ...some(r.once(2), { over: 'down' }) },
    },
  });
  const app = (): App => ({
    ...some(r.once(2), { instances: r.below(4) }),
    ...some(r.once(4), { home: r.pick(BROKERS) }),
    publishes: list(r, 2, () =>
      r.once(5)
        ? { message: 'note', to: r.pick(['m', 'i']), via: 'mqtt' as const }
        : { message: r.pick(['note', 'other']), to: entry(), ...some(r.once(2), { mandatory: true }) },
    ),
    consumes: list(r, 3, () =>
      r.once(3)
        ? { from: r.pick(['m', 'i']), via: 'mqtt' as const, topic: topicFilter(r) }
        : { from: r.once(4) ? `s/sub${r.below(4)}` : queueOf() },
    ),
  });
  const caller = () => r.pick(['any', 'app:one', 'app:two', 'link:up', 'link:down', 'topic:s/t', 'broker:s']);
  const on = () =>
    r.pick(['m/*', 'i/*', 's/*', 'm/x', 'm/p', 's/k', 'queue:m/q', '*/q', 'm/far', 'exchange:i/x']);
  const statement = (): Statement => ({
    ...(r.once(4)
      ? { deny: [r.pick(['publish', 'consume'])] }
      : { allow: r.pick([['publish'], ['consume'], ['publish', 'consume']]) }),
    who: r.once(3) ? [caller(), caller()] : caller(),
    on: r.once(3) ? [on(), on()] : on(),
    ...some(r.once(3), { when: r.once(2) ? { key: pattern(r) } : { source: r.pick(['s/t', 'm/*', 'm/p']) } }),
  });
  const link = () => ({
    from: queueOf(),
    to: entry(),
    ...some(r.once(4), { keys: [pattern(r)] }),
    ...some(r.once(5), { active: r.once(2) }),
  });
  return {
    tenant: 'home',
    messages: { note: {}, other: {} },
    brokers: { m: amqp('m'), i: amqp('i'), s: pubsub() },
    apps: Object.fromEntries(apps.map((name) => [name, app()])),
    links: Object.fromEntries(links.map((name) => [name, link()])),
    spreads: {
      w: {
        members: r.pick([['m/p', 'i/p'], ['i/q', 's/k', 'm/q'], ['m/gone', 'i/p'], []]),
        choose: r.pick(['rotate', 'nearest', 'weighted'] as const),
        ...some(r.once(2), { weights: r.pick([[3, 1], [0.3, 0.7], [1], [0, 0, 2]]) }),
      },
    },
    access: list(r, 6, statement),
  };
}

/** @returns messages to send through a model, of every kind it may meet */
export function randomSendings(seed: number, count: number): Sent[] {
  const r = randomOf(seed ^ 0x5bd1e995);
  return Array.from({ length: count }, (): Sent => {
    const base = {
      headers: headersOf(r),
      properties: some(r.once(2), { subject: r.pick(['x', 'y', 'xy']) }) as Record<string, string>,
      ...some(r.once(2), { from: r.pick(['one', 'two', 'three']) }),
      ...some(r.once(2), { type: r.pick(['note', 'other']) }),
    };
    if (r.once(6))
      return {
        ...base,
        to: r.pick(['m', 'i', 's']),
        via: 'mqtt',
        key: r.pick(['a', 'a/b', 'a/*/c', '$a/b', 'b/c/a']),
      };
    const broker = r.pick(BROKERS);
    const name = r.pick(
      broker === 's'
        ? ['t', 'u', 'k', 'nick', 'far', 'l']
        : ['x', 'y', 'z', 'p', 'q', 'nick', 'far', 'same', 'gone'],
    );
    const to = r.once(12)
      ? 'spread:w'
      : r.once(8)
        ? `${r.pick(['queue', 'exchange'])}:${broker}/${name}`
        : `${broker}/${name}`;
    return { ...base, to, key: key(r), ...some(r.once(3), { mandatory: r.once(2) }) };
  });
}

/** For every check a topology that has what it finds, one that nearly has it, and which mend to try. */

export interface Case {
  readonly check: string;
  readonly what: string;
  /** The text that has it, once. */
  readonly has: string;
  /** A piece of the message. */
  readonly says: string;
  /** What of the text is changed for it not to be there any more. */
  readonly nearly: readonly [string, string];
  /** The mend to try: the first, unless told otherwise. */
  readonly mend?: number | 'none';
  readonly about?: string;
}

/** An AMQP broker `m` with what is given, and whoever publishes and takes. */
const amqp = (parts: { apps?: string; messages?: string; broker?: string; more?: string }) =>
  `${parts.messages ?? 'messages: { note: { key: a.b } }'}
apps:
${parts.apps ?? '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q }] }'}
brokers:
  m:
    kind: amqp
    access: open
${parts.broker ?? '    exchanges: { in: { type: topic } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: "a.#" }'}
${parts.more ?? ''}`;

/** A publish-subscribe broker `s` with a topic, a queue and a subscription as given. */
const pubsub = (parts: {
  topic?: string;
  queue?: string;
  subscriptions?: string;
  messages?: string;
  taker?: string;
  more?: string;
  access?: string;
}) =>
  `${parts.messages ?? 'messages: { note: { headers: { level: { type: integer, minimum: 1, maximum: 5 } }, required: [level] } }'}
apps:
  desk: { publishes: [{ message: note, to: s/t }] }
  log: { consumes: [${parts.taker ?? '{ from: s/q }'}] }
brokers:
  s:
    kind: pubsub
    access: ${parts.access ?? 'open'}
    topics: { t: ${parts.topic ?? '{}'} }
    queues: { q: ${parts.queue ?? '{}'} }
    subscriptions:
${parts.subscriptions ?? '      sub: { topic: t, to: q }'}
${parts.more ?? ''}`;

const CONTROLLED = `messages: { note: { key: a } }
tenant: home
tenants: { home: {}, guest: {} }
apps:
  desk: { publishes: [{ message: note, to: m/in }] }
  log: { tenant: guest, consumes: [{ from: m/q }] }
brokers:
  m:
    kind: amqp
    exchanges: { in: { type: fanout } }
    queues: { q: {}, spare: {} }
    bindings: [{ from: in, to: q }, { from: in, to: spare }]
access:
  - { name: desk sends, allow: [publish], who: app:desk, on: m/in }
`;
const READS = '  - { name: log reads, allow: [consume], who: app:log, on: m/q, when: { tenant: guest } }\n';

export const CASES: readonly Case[] = [
  {
    check: 'nowhere/unserved-entry',
    what: 'an exchange without bindings',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: fanout } }, queues: { q: {} } }\n',
    says: 'm/in leads nowhere: it has no bindings and no unroutedTo.',
    nearly: ['queues: { q: {} }', 'queues: { q: {} }, bindings: [{ from: in, to: q }]'],
    mend: 'none',
    about: 'exchange:m/in',
  },
  {
    check: 'nowhere/unserved-entry',
    what: 'a topic without subscriptions',
    has: 'brokers:\n  s: { kind: pubsub, topics: { t: {} } }\n',
    says: 's/t leads nowhere: nobody subscribes to it.',
    nearly: ['topics: { t: {} }', 'topics: { t: {} }, subscriptions: { sub: { topic: t } }'],
    mend: 'none',
  },
  {
    check: 'nowhere/unmatched',
    what: 'keys that no binding matches',
    has: amqp({
      messages: 'messages: { note: { key: "a.{x}", headers: { x: { enum: [b, c] } } } }',
      broker:
        '    exchanges: { in: { type: topic }, other: { type: topic, unroutedTo: rest }, rest: { type: fanout } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: a.b }\n      - { from: other, to: q, key: x }\n      - { from: rest, to: q }',
    }),
    says: 'note (as `a.c`)',
    nearly: ['key: a.b }', 'key: "a.*" }'],
    about: 'exchange:m/in',
  },
  {
    check: 'nowhere/unmatched',
    what: 'headers that no binding of a headers exchange asks for',
    has: amqp({
      messages: 'messages: { note: { headers: { hot: { type: boolean } }, required: [hot] } }',
      broker:
        '    exchanges: { in: { type: headers } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, headers: { match: all, values: { hot: true } } }',
    }),
    says: 'm/in has no unroutedTo, and no binding of it matches some messages: note.',
    nearly: [
      'desk: { publishes: [{ message: note, to: m/in }] }',
      'desk: { publishes: [{ message: note, to: m/in, mandatory: true }] }',
    ],
    mend: 'none',
  },
  {
    check: 'nowhere/unreachable-store',
    what: 'a queue without a binding, whose taker says what it expects',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: {}, r: {} }\n    bindings:\n      - { from: in, to: r, key: "#" }',
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q, expects: note }, { from: m/r }] }',
    }),
    says: 'Nothing leads to m/q: no binding, subscription, publish or link; log will wait in vain.',
    nearly: [
      '- { from: in, to: r, key: "#" }',
      '- { from: in, to: q, key: "#" }\n      - { from: in, to: r, key: "#" }',
    ],
    about: 'queue:m/q',
  },
  {
    check: 'nowhere/nothing-arrives',
    what: 'a queue behind an exchange that nobody publishes to',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic }, idle: { type: fanout } }\n    queues: { q: {}, r: {} }\n    bindings:\n      - { from: in, to: r, key: "#" }\n      - { from: idle, to: q }',
    }),
    says: 'Nothing can come to m/q: nobody publishes anything that reaches m/idle.',
    nearly: ['{ from: idle, to: q }', '{ from: in, to: idle, key: "#" }\n      - { from: idle, to: q }'],
    mend: 'none',
  },
  {
    check: 'nowhere/untaken-store',
    what: 'a queue that nobody takes from',
    has: amqp({
      broker:
        '    exchanges: { in: { type: fanout } }\n    queues: { q: {}, r: {} }\n    bindings: [{ from: in, to: q }, { from: in, to: r }]',
    }),
    says: 'Nobody takes from m/r: what comes there stays for ever.',
    nearly: ['consumes: [{ from: m/q }]', 'consumes: [{ from: m/q }, { from: m/r }]'],
    mend: 'none',
    about: 'queue:m/r',
  },
  {
    check: 'nowhere/never-follows',
    what: 'a publish because of a type that the app never takes',
    has: amqp({
      messages: 'messages: { note: { key: a.b }, done: { key: a.c } }',
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q }], publishes: [{ message: done, to: m/in, because: done }] }\n  end: { consumes: [{ from: m/q, competes: true }] }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: a.b }',
    }),
    says: 'log does this because of done, but it takes note.',
    nearly: ['because: done', 'because: note'],
    about: 'publisher:log',
    mend: 'none',
  },
  {
    check: 'nowhere/expected-type',
    what: 'an app that expects what does not come',
    has: amqp({
      messages: 'messages: { note: { key: a.b }, notes: { key: z } }',
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q, expects: [notes] }] }',
    }),
    says: 'log expects notes from m/q, but none ever comes there. Did you mean `note`?',
    nearly: ['expects: [notes]', 'expects: [note]'],
  },
  {
    check: 'nowhere/unreceived-type',
    what: 'a type that no app receives',
    has: amqp({
      messages: 'messages: { note: { key: a.b }, memo: { key: z.z } }',
      apps: '  desk: { publishes: [{ message: note, to: m/in }, { message: memo, to: m/in }] }\n  log: { consumes: [{ from: m/q }] }',
    }),
    says: 'memo is published by desk, and no app ever receives one.',
    nearly: ['memo: { key: z.z }', 'memo: { key: a.z }'],
    mend: 'none',
    about: 'message:memo',
  },
  {
    check: 'nowhere/alias-chain',
    what: 'aliases that lead in a circle',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: {} }, aliases: { a: { to: b }, b: { to: b2 }, b2: { to: b } } }\n',
    says: 'The alias m/b leads in a circle: m/b → m/b2 → m/b.',
    nearly: ['b2: { to: b } } }', 'b2: { to: q } } }'],
    mend: 'none',
  },
  {
    check: 'nowhere/alias-chain',
    what: 'an alias to another broker without a link',
    has: 'brokers:\n  m: { kind: amqp, queues: { out: {} }, aliases: { far: { to: n/q } } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q } }\n',
    says: 'm/far stands for n/q on another broker, but names no link that goes there',
    nearly: ['far: { to: n/q }', 'far: { to: n/q, over: down }'],
    mend: 'none',
  },
  {
    check: 'nowhere/link-end',
    what: 'a link that is not active',
    has: 'brokers:\n  m: { kind: amqp, queues: { out: {} } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q, active: false } }\n',
    says: 'Link down is not active: what comes to m/out waits there.',
    nearly: ['active: false', 'active: true'],
    about: 'link:down',
  },
  {
    check: 'nowhere/link-end',
    what: 'a link whose queue others empty',
    has: 'apps: { log: { consumes: [{ from: m/out }] } }\nbrokers:\n  m: { kind: amqp, access: open, queues: { out: {} } }\n  n: { kind: amqp, access: open, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q } }\n',
    says: 'log also take from m/out',
    nearly: ['log: { consumes: [{ from: m/out }] }', 'log: { consumes: [{ from: n/q }] }'],
    mend: 'none',
  },
  {
    check: 'nowhere/link-end',
    what: 'a link that carries more at a time than its queue keeps',
    has: 'brokers:\n  m: { kind: amqp, queues: { out: { maxLength: 50 } } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q, batch: 100 } }\n',
    says: 'Link down carries 100 at a time, but m/out keeps at most 50',
    nearly: ['batch: 100', 'batch: 50'],
  },
  {
    check: 'nowhere/link-end',
    what: 'a far end that expects the messages of another queue',
    has: 'brokers:\n  m: { kind: amqp, queues: { out: {}, other: {} } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q, receives: { from: m/other } } }\n',
    says: 'The far end of link down expects messages of m/other, but the link takes from m/out',
    nearly: ['receives: { from: m/other }', 'receives: { from: m/out }'],
  },
  {
    check: 'nowhere/link-end',
    what: 'a batch set at both ends',
    has: 'brokers:\n  m: { kind: amqp, queues: { out: {}, other: {} } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q, receives: { from: m/out, batch: 5 } } }\n',
    says: '`batch` of link down is decided where it begins',
    nearly: [', batch: 5', ''],
  },
  {
    check: 'nowhere/spread-members',
    what: 'members of different settings',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: { ttl: 1m } } }\n  n: { kind: amqp, queues: { q: {} } }\nspreads: { work: { members: [m/q, n/q] } }\n',
    says: 'The members of spread work differ in ttl: m/q, n/q.',
    nearly: ['n: { kind: amqp, queues: { q: {} } }', 'n: { kind: amqp, queues: { q: { ttl: 60s } } }'],
    mend: 'none',
  },
  {
    check: 'nowhere/no-instances',
    what: 'an app that runs nowhere and is to take',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { instances: 0, consumes: [{ from: m/q }] }',
    }),
    says: 'log has no instances: it takes nothing from m/q.',
    nearly: ['instances: 0', 'instances: 1'],
    mend: 'none',
    about: 'app:log',
  },
  {
    check: 'nowhere/no-instances',
    what: 'a queue for each instance of an app that runs nowhere',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q }] }\n  idle: { instances: 0 }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: {}, each: { perInstanceOf: idle } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }\n      - { from: in, to: each, key: "a.#" }',
    }),
    says: 'idle has no instances, so there is no m/each',
    nearly: ['instances: 0', 'instances: 1'],
    mend: 'none',
    about: 'queue:m/each',
  },
  {
    check: 'access/two-meanings',
    what: 'a statement on a name that a queue and an exchange share',
    has: `${CONTROLLED.replace('in: { type: fanout }', 'in: { type: fanout }, spare: { type: fanout }').replace('to: spare', 'to: "queue:spare"')}${READS}  - { name: look, allow: [browse], who: app:log, on: m/spare }\n`,
    says: '`m/spare` names an exchange and a queue, and “look” speaks of both: write `exchange:m/spare` or `queue:m/spare`',
    nearly: ['on: m/spare }', 'on: "queue:m/spare" }'],
  },
  {
    check: 'loss/schema',
    what: 'a keyword with a letter missing',
    has: amqp({
      messages: 'messages: { note: { key: a.b, headers: { level: { type: integer, minimun: 3 } } } }',
    }),
    says: '`minimun` means nothing in the schema of `level` of note. Did you mean `minimum`?',
    nearly: ['minimun', 'minimum'],
    mend: 'none',
    about: 'message:note',
  },
  {
    check: 'loss/schema',
    what: 'a pattern that is none',
    has: amqp({
      messages: 'messages: { note: { key: a.b, headers: { ship: { type: string, pattern: "(a" } } } }',
    }),
    says: 'The schema of `ship` of note cannot be used: the pattern `(a` cannot be used',
    nearly: ['"(a"', '"(a)"'],
    mend: 'none',
    about: 'message:note',
  },
  {
    check: 'loss/schema',
    what: 'a reference to a schema that is not there',
    has: amqp({ messages: 'messages: { note: { key: a.b, body: { $ref: "./schemas/note.json" } } }' }),
    says: 'The schema of the body of note cannot be used: it refers to what is not there',
    nearly: ['$ref: "./schemas/note.json"', 'type: object'],
    mend: 'none',
    about: 'message:note',
  },
  {
    check: 'nowhere/unreachable-store',
    what: 'a queue and an exchange that lack but each other',
    has: amqp({ broker: '    exchanges: { in: { type: topic } }\n    queues: { q: {} }' }),
    says: 'Nothing leads to m/q; log will wait in vain, and what comes to m/in leads nowhere and is lost.',
    nearly: ['queues: { q: {} }', 'queues: { q: {} }\n    bindings: [{ from: in, to: q, key: "#" }]'],
    about: 'queue:m/q',
  },
  {
    check: 'nowhere/handed-on',
    what: 'an app that takes from what keeps nothing',
    has: pubsub({ taker: '{ from: s/sub }' }),
    says: 'log takes from s/sub, which hands what it gets to a queue and keeps nothing',
    nearly: ['{ from: s/sub }', '{ from: s/q }'],
    mend: 'none',
    about: 'app:log',
  },
  {
    check: 'nowhere/without-mqtt',
    what: 'a publish over MQTT to a broker that has none',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m, via: mqtt }] }\n  log: { consumes: [{ from: m/q }] }',
    }),
    says: 'desk sends note to m over MQTT, but m has no `mqtt`',
    nearly: ['access: open', 'access: open\n    mqtt: { exchange: in }'],
    mend: 'none',
    about: 'app:desk',
  },
  {
    check: 'nowhere/without-mqtt',
    what: 'a taker over MQTT at a broker that has none',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m, via: mqtt, topic: "a/#" }] }',
    }),
    says: 'log takes from m over MQTT, but m has no `mqtt`',
    nearly: ['access: open', 'access: open\n    mqtt: { exchange: in }'],
    mend: 'none',
    about: 'app:log',
  },
  {
    check: 'broker/mqtt-exchange',
    what: 'an exchange for MQTT that knows no patterns',
    has: amqp({
      broker:
        '    mqtt: { exchange: in }\n    exchanges: { in: { type: fanout } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q }',
    }),
    says: 'MQTT clients meet m/in, which is of type fanout',
    nearly: ['type: fanout', 'type: topic'],
    mend: 'none',
    about: 'exchange:m/in',
  },
  {
    check: 'broker/mqtt-exchange',
    what: 'an exchange for MQTT that is internal',
    has: amqp({
      broker:
        '    mqtt: { exchange: in }\n    exchanges: { in: { type: topic, internal: true } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: "#" }',
    }),
    says: 'MQTT clients meet m/in, which is internal',
    nearly: ['internal: true', 'internal: false'],
    mend: 'none',
    about: 'exchange:m/in',
  },
  {
    check: 'match/mqtt-topic',
    what: 'a key with a wildcard that is to be a topic',
    has: amqp({
      messages: 'messages: { note: { key: "a/+" } }',
      apps: '  desk: { publishes: [{ message: note, to: m, via: mqtt }] }\n  log: { consumes: [{ from: m/q }] }',
      broker:
        '    mqtt: { exchange: in }\n    exchanges: { in: { type: topic } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: "#" }',
    }),
    says: 'note is sent over MQTT, but its key `a/+` cannot be its topic',
    nearly: ['"a/+"', '"a/b"'],
    mend: 'none',
    about: 'message:note',
  },
  {
    check: 'match/mqtt-topic',
    what: 'no key at all to be a topic',
    has: amqp({
      messages: 'messages: { note: {} }',
      apps: '  desk: { publishes: [{ message: note, to: m, via: mqtt }] }\n  log: { consumes: [{ from: m/q }] }',
      broker:
        '    mqtt: { exchange: in }\n    exchanges: { in: { type: topic } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: "#" }',
    }),
    says: 'note is sent over MQTT, but has no key to be its topic',
    nearly: ['note: {}', 'note: { key: a }'],
    mend: 'none',
    about: 'message:note',
  },
  {
    check: 'copies/weights',
    what: 'too few weights',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: {}, r: {} } }\nspreads: { work: { members: [m/q, m/r], choose: weighted, weights: [3] } }\n',
    says: 'Spread work has 1 weight for 2 members: the others count as 1.',
    nearly: ['[3]', '[3, 1]'],
    mend: 'none',
    about: 'spread:work',
  },
  {
    check: 'copies/weights',
    what: 'weights that are all zero',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: {}, r: {} } }\nspreads: { work: { members: [m/q, m/r], choose: weighted, weights: [0, 0] } }\n',
    says: 'Spread work gives no member any share',
    nearly: ['[0, 0]', '[0.7, 0.3]'],
    mend: 'none',
    about: 'spread:work',
  },
  {
    check: 'copies/weights',
    what: 'weights of a spread that takes turns',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: {}, r: {} } }\nspreads: { work: { members: [m/q, m/r], choose: rotate, weights: [3, 1] } }\n',
    says: 'Spread work has weights, but it chooses by rotate',
    nearly: ['rotate', 'weighted'],
    mend: 'none',
    about: 'spread:work',
  },
  {
    check: 'loss/endless-round',
    what: 'what is rejected comes back to be rejected again',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { deadLetter: { to: wait } }, wait: { ttl: 1s, deadLetter: { to: q } } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
    }),
    says: 'What is rejected in m/q may come round to it without end (m/q → m/wait → m/q)',
    nearly: ['ttl: 1s, deadLetter: { to: q }', 'ttl: 1s'],
    mend: 'none',
    about: 'queue:m/q',
  },
  {
    check: 'loss/too-large',
    what: 'a message that must arrive in a queue too small for it',
    has: amqp({
      messages: 'messages: { note: { key: a.b, mustArrive: true, size: 2KiB } }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { maxBytes: 1KiB } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
    }),
    says: 'm/q keeps at most 1024 bytes, and note must arrive and is larger',
    nearly: ['1KiB', '2KiB'],
    mend: 'none',
    about: 'queue:m/q',
  },
  {
    check: 'match/never',
    what: 'a binding key with a word that no key has',
    has: amqp({
      messages:
        'messages: { late: { key: "sailing.{route}.delayed", headers: { route: { enum: [north, south] } } }, gone: { key: sailing.x.departed } }',
      apps: '  desk: { publishes: [{ message: late, to: m/in }, { message: gone, to: m/in }] }\n  log: { consumes: [{ from: m/q }, { from: m/r }] }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: {}, r: {} }\n    bindings:\n      - { from: in, to: q, key: "sailing.*.late" }\n      - { from: in, to: r, key: "#" }',
    }),
    says: 'by key `sailing.*.late`: it matches none of the 2 message types that come here: late and gone.',
    nearly: ['sailing.*.late', 'sailing.*.delayed'],
    about: 'queue:m/q',
  },
  {
    check: 'match/never',
    what: 'a filter that no value meets',
    has: pubsub({
      subscriptions:
        '      sub: { topic: t, to: q, filter: { selector: "level > 5" } }\n      all: { topic: t }',
      taker: '{ from: s/q }, { from: s/all }',
    }),
    says: 'Subscription sub admits nothing: its filter `level > 5` cannot match the one message type that comes here',
    nearly: ['level > 5', 'level > 4'],
    mend: 'none',
  },
  {
    check: 'match/never',
    what: 'a link none of whose keys matches',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: n/q }] }',
      more: '  n: { kind: amqp, access: open, queues: { q: {} } }\nlinks: { down: { from: m/q, to: n/q, keys: ["b.#"] } }',
    }),
    says: 'Link down carries nothing: none of its keys matches',
    nearly: ['"b.#"', '"a.#"'],
    mend: 'none',
  },
  {
    check: 'match/undeclared-attribute',
    what: 'a filter on a header that nobody sends',
    has: pubsub({ subscriptions: '      sub: { topic: t, to: q, filter: { selector: "levle > 2" } }' }),
    says: 'Subscription sub asks for `levle`, which no message that comes here declares (note). They have level. Nothing is ever admitted.',
    nearly: ['levle > 2', 'level > 2'],
    about: 'subscription:s/sub',
  },
  {
    check: 'match/wrong-value',
    what: 'a number compared with a text',
    has: amqp({
      messages: 'messages: { note: { headers: { hot: { type: boolean } }, required: [hot] } }',
      broker:
        '    exchanges: { in: { type: headers } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, headers: { match: all, values: { hot: "true" } } }',
    }),
    says: '`hot` is compared with "true", but it is true or false.',
    nearly: ['hot: "true"', 'hot: true'],
  },
  {
    check: 'match/wrong-value',
    what: 'a value that is never sent',
    has: pubsub({
      messages: 'messages: { note: { headers: { route: { enum: [north, south] } }, required: [route] } }',
      subscriptions:
        "      sub: { topic: t, to: q, filter: { selector: \"route = 'nroth' OR route = 'south'\" } }",
    }),
    says: '`route` is compared with "nroth", but it is only ever "north" or "south".',
    nearly: ['nroth', 'north'],
    mend: 'none',
  },
  {
    check: 'match/always',
    what: 'a filter that everything meets',
    has: pubsub({ subscriptions: '      sub: { topic: t, to: q, filter: { selector: "level >= 1" } }' }),
    says: 'meets the condition of subscription sub: `level >= 1` is always true here.',
    nearly: ['level >= 1', 'level >= 2'],
    mend: 'none',
  },
  {
    check: 'match/swallowed',
    what: 'a binding that a wider one makes needless',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: "a.#" }\n      - { from: in, to: q, key: "a.*" }',
    }),
    says: '`a.#` matches everything that `a.*` does: the binding to m/q changes nothing.',
    nearly: ['key: "a.*"', 'key: "*.b"'],
  },
  {
    check: 'match/swallowed',
    what: 'the same binding twice',
    has: amqp({
      broker:
        '    exchanges: { in: { type: direct } }\n    queues: { q: {} }\n    bindings:\n      - { from: in, to: q, key: a.b }\n      - { from: in, to: q, key: a.b }',
    }),
    says: 'm/in is bound to m/q twice in the same way: `a.b`.',
    nearly: ['- { from: in, to: q, key: a.b }\n', '- { from: in, to: q, key: a.c }\n'],
  },
  {
    check: 'match/divides',
    what: 'a gap between filters',
    has: pubsub({
      topic: '{ divides: true }',
      subscriptions:
        '      low: { topic: t, to: q, filter: { selector: "level < 3" } }\n      high: { topic: t, filter: { selector: "level > 3" } }',
      taker: '{ from: s/q }, { from: s/high }',
    }),
    says: 's/t is to divide its messages, but a note with level 3 goes no way at all.',
    nearly: ['level > 3', 'level >= 3'],
    mend: 'none',
  },
  {
    check: 'match/divides',
    what: 'an overlap of bindings',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic, divides: true } }\n    queues: { q: {}, r: {} }\n    bindings:\n      - { from: in, to: q, key: "a.#" }\n      - { from: in, to: r, key: "*.b" }',
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q }, { from: m/r }] }',
    }),
    says: 'a note with key "a.b" goes 2 ways: to m/q and m/r.',
    nearly: ['key: "a.#"', 'key: "c.#"'],
    mend: 'none',
  },
  {
    check: 'match/unfiltered-sibling',
    what: 'a subscription without the filter its siblings have',
    has: pubsub({
      subscriptions:
        '      sub: { topic: t, to: q }\n      other: { topic: t, filter: { selector: "level > 3" } }',
      taker: '{ from: s/q }, { from: s/other }',
    }),
    says: 'Subscription sub has no filter and receives everything of s/t; other chooses.',
    nearly: ['sub: { topic: t, to: q }', 'sub: { topic: t, to: q, filter: { selector: "level > 2" } }'],
    mend: 'none',
  },
  {
    check: 'copies/shared-store',
    what: 'instances that need a copy each, but share',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { instances: 3, consumes: [{ from: m/q, each: copy }] }',
    }),
    says: '3 instances of log each need every message, but share m/q; each gets only its part. Give the queue `perInstanceOf: log`.',
    nearly: ['instances: 3', 'instances: 1'],
    about: 'queue:m/q',
  },
  {
    check: 'copies/twice',
    what: 'two subscriptions that bring the same',
    has: pubsub({
      subscriptions:
        '      low: { topic: t, to: q, filter: { selector: "level < 4" } }\n      high: { topic: t, to: q, filter: { selector: "level > 2" } }',
    }),
    says: 'Subscriptions low and high bring s/q the same messages twice.',
    nearly: ['level < 4', 'level < 3'],
    mend: 'none',
  },
  {
    check: 'copies/per-instance',
    what: 'a queue for each instance of an app that means to share',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { perInstanceOf: log } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { instances: 3, consumes: [{ from: m/q, each: share }] }',
    }),
    says: 'log means to share the work, but each of its instances has a m/q of its own',
    nearly: ['each: share', 'each: copy'],
  },
  {
    check: 'copies/competing-apps',
    what: 'two apps on one queue',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q }] }\n  spy: { consumes: [{ from: m/q }] }',
    }),
    says: 'log and spy take from m/q: each message goes to one of them only.',
    nearly: ['spy: { consumes: [{ from: m/q }] }', 'spy: {}'],
  },
  {
    check: 'loss/not-durable',
    what: 'persistent messages in a queue that is not durable',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in, persistent: true }] }\n  log: { consumes: [{ from: m/q }] }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { durable: false } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
    }),
    says: 'm/q is not durable, but gets messages that are to survive a restart (note): after one they are gone.',
    nearly: ['persistent: true', 'persistent: false'],
  },
  {
    check: 'loss/auto-ack',
    what: 'what must not be lost, acknowledged at once',
    has: amqp({
      messages: 'messages: { base: { mustArrive: true }, note: { key: a.b, extends: base } }',
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q, ack: auto }] }',
    }),
    says: 'log acknowledges at once, but note must not be lost.',
    nearly: ['mustArrive: true', 'mustArrive: false'],
  },
  {
    check: 'loss/slow-taker',
    what: 'one at a time behind an ordered queue',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in, rate: 30/s }] }\n  log: { instances: 1, consumes: [{ from: m/q, ack: manual, prefetch: 1, takes: 50ms }] }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { order: fifo } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
    }),
    says: 'm/q gets at least 30 messages a second, but at 50ms each, one at a time, because it is ordered, only 20 are taken',
    nearly: ['rate: 30/s', 'rate: 20/s'],
    mend: 'none',
  },
  {
    check: 'loss/short-lease',
    what: 'a lease that ends during the work',
    has: pubsub({ queue: '{ lease: 5s }', taker: '{ from: s/q, takes: 6s }' }),
    says: 'A message of s/q is leased for 5s, but log needs 6s for one message',
    nearly: ['takes: 6s', 'takes: 4s'],
  },
  {
    check: 'loss/short-ttl',
    what: 'a full queue that expires before it is drained',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { consumes: [{ from: m/q, takes: 1s }] }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { ttl: 1m, maxLength: 100, overflow: drop-oldest } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
    }),
    says: 'm/q drops what waited 1m, but 100 messages, as many as it holds, take its takers 100s',
    nearly: ['maxLength: 100', 'maxLength: 60'],
    mend: 'none',
  },
  {
    check: 'loss/no-dead-letter',
    what: 'tries that are counted for nothing',
    has: pubsub({
      queue: '{ maxDeliveries: 3 }, r: { maxDeliveries: 3, deadLetter: { to: dead } }, dead: {}',
      taker: '{ from: s/q }, { from: s/r }, { from: s/dead }',
      subscriptions: '      sub: { topic: t, to: q }\n      rsub: { topic: t, to: r }',
    }),
    says: 's/q gives a message up after 3 deliveries and has no dead letter: it is lost.',
    nearly: ['q: { maxDeliveries: 3 }', 'q: {}'],
  },
  {
    check: 'loss/dead-letter-cycle',
    what: 'dead letters that come round by expiry alone',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic }, back: { type: direct } }\n    queues: { q: {}, wait: { ttl: 10s, deadLetter: { to: back, key: w } } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }\n      - { from: in, to: wait, key: "a.#" }\n      - { from: back, to: wait, key: w }',
    }),
    says: 'Dead letters of m/wait come back to it by expiry alone (m/wait → m/wait)',
    nearly: ['{ from: back, to: wait, key: w }', '{ from: back, to: q, key: w }'],
    mend: 'none',
  },
  {
    check: 'loss/unread-dead-letter',
    what: 'dead letters that nobody reads',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic }, dead: { type: fanout } }\n    queues: { q: { deadLetter: { to: dead } }, grave: {} }\n    bindings:\n      - { from: in, to: q, key: "a.#" }\n      - { from: dead, to: grave }',
    }),
    says: 'Dead letters come to m/grave, and nobody takes them from there.',
    nearly: ['consumes: [{ from: m/q }]', 'consumes: [{ from: m/q }, { from: m/grave }]'],
    mend: 'none',
    about: 'queue:m/grave',
  },
  {
    check: 'loss/silent-limit',
    what: 'a limit that drops without a word',
    has: amqp({
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { maxLength: 10 } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
    }),
    says: 'm/q keeps 10 messages and drops the oldest silently when there are more.',
    nearly: ['maxLength: 10', 'maxLength: 10, overflow: drop-oldest'],
    mend: 1,
  },
  {
    check: 'loss/order-lost',
    what: 'an unordered topic before an ordered queue',
    has: pubsub({ queue: '{ order: fifo }' }),
    says: 's/q keeps order, but topic s/t, which feeds it by sub, does not',
    nearly: ['t: {}', 't: { order: fifo }'],
    about: 'queue:s/q',
  },
  {
    check: 'loss/order-lost',
    what: 'several instances on an ordered queue',
    has: amqp({
      apps: '  desk: { publishes: [{ message: note, to: m/in }] }\n  log: { instances: 2, consumes: [{ from: m/q }] }',
      broker:
        '    exchanges: { in: { type: topic } }\n    queues: { q: { order: fifo } }\n    bindings:\n      - { from: in, to: q, key: "a.#" }',
    }),
    says: 'm/q keeps its order, but 2 instances take from it at the same time',
    nearly: ['instances: 2', 'instances: 1'],
    mend: 'none',
  },
  {
    check: 'loss/wrapping',
    what: 'an envelope where the plain body is expected',
    has: pubsub({ subscriptions: '      sub: { topic: t, to: q, wrap: true }' }),
    says: 'log expects the plain body, but what comes to s/q is wrapped in the topic’s envelope.',
    nearly: ['{ from: s/q }', '{ from: s/q, wrapped: true }'],
  },
  {
    check: 'loss/wrapping',
    what: 'the plain body where an envelope is expected',
    has: pubsub({ taker: '{ from: s/q, wrapped: true }' }),
    says: 'log expects the topic’s envelope, but what comes to s/q is the plain body.',
    nearly: ['sub: { topic: t, to: q }', 'sub: { topic: t, to: q, wrap: true }'],
  },
  {
    check: 'loss/bad-example',
    what: 'an example whose body breaks the schema',
    has: 'messages:\n  note:\n    body: { type: object, required: [ship], properties: { ship: { type: string } } }\n    examples: [{ name: one, body: { ship: 7 } }]\n',
    says: 'Example “one” of note breaks its schema: the body:',
    nearly: ['ship: 7', 'ship: Razorbill'],
    mend: 'none',
    about: 'message:note',
  },
  {
    check: 'loss/bad-example',
    what: 'an example with a header outside its domain',
    has: 'messages:\n  note:\n    headers: { level: { type: integer, maximum: 5 } }\n    examples: [{ headers: { level: 6 } }]\n',
    says: 'Example “example 1” of note breaks its schema: `level` is 6:',
    nearly: ['level: 6', 'level: 5'],
    mend: 'none',
  },
  {
    check: 'loss/fleeting-queue',
    what: 'a link on a queue that goes by itself',
    has: 'brokers:\n  m: { kind: amqp, queues: { out: { autoDelete: true } } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q } }\n',
    says: 'm/out is removed with its last taker, but others depend on it: link down.',
    nearly: ['autoDelete: true', 'autoDelete: false'],
    mend: 'none',
  },
  {
    check: 'access/missing-permission',
    what: 'permission for keys that no message of it has',
    has: `${CONTROLLED.replace('on: m/in }', 'on: m/in, when: { key: "x.#" } }')}${READS}`,
    says: 'desk may not publish to m/in: it is declared to send note there',
    nearly: ['"x.#"', '"a.#"'],
  },
  {
    check: 'access/missing-permission',
    what: 'a topic without permission for its queue',
    has: pubsub({
      access: 'controlled',
      more: 'access:\n  - { allow: [publish], who: app:desk, on: s/t }\n  - { allow: [consume], who: app:log, on: s/q }\n',
    }),
    says: 'Topic s/t may not publish into s/q: subscription sub hands messages to this queue, but no statement lets topic:s/t publish into s/q. Every message on this way is refused.',
    nearly: ['access:\n  -', 'access:\n  - { allow: [publish], who: "topic:s/t", on: s/q }\n  -'],
    about: 'queue:s/q',
  },
  {
    check: 'access/missing-permission',
    what: 'an app of another tenant without permission to take',
    has: CONTROLLED,
    says: 'log may not consume from m/q: it is declared to take from there',
    nearly: ['on: m/in }\n', `on: m/in }\n${READS}`],
  },
  {
    check: 'access/missing-permission',
    what: 'a link without permission at its far end',
    has: 'brokers:\n  m: { kind: amqp, access: open, queues: { out: {} } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q } }\n',
    says: 'Link down may not publish to n/q: it is to deliver there what it takes from m/out',
    nearly: ['n: { kind: amqp,', 'n: { kind: amqp, access: open,'],
  },
  {
    check: 'access/too-wide',
    what: 'more queues than are taken from',
    has: `${CONTROLLED}${READS.replace('m/q', '"m/*"')}`,
    says: '“log reads” allows more than the routes need: also consume from m/spare.',
    nearly: ['on: "m/*"', 'on: m/q'],
  },
  {
    check: 'access/everyone',
    what: 'permission for everyone',
    has: `${CONTROLLED}  - { name: all read, allow: [consume, browse], who: any, on: "m/*" }\n`,
    says: '“all read” allows everyone. The routes need it for log to consume from m/q only; it also lets everyone consume from m/spare.',
    nearly: ['who: any', 'who: app:log'],
  },
  {
    check: 'access/other-tenant',
    what: 'another tenant that is not named',
    has: `${CONTROLLED}${READS.replace(', when: { tenant: guest }', '')}`,
    says: '“log reads” allows app:log on what is not its own: say `when: { tenant: guest }`.',
    nearly: ['on: m/q }\n', 'on: m/q, when: { tenant: guest } }\n'],
  },
  {
    check: 'access/useless-allow',
    what: 'an allow that a deny takes back',
    has: `${CONTROLLED}${READS}  - { name: no guests, deny: [consume], who: tenant:guest, on: "m/*" }\n`,
    says: '“log reads” allows nothing: “no guests” denies all of it.',
    nearly: ['deny: [consume]', 'deny: [browse]'],
  },
  {
    check: 'access/about-nothing',
    what: 'a statement about an app that is not there',
    has: `${CONTROLLED}${READS.replace('app:log', 'app:logs')}`,
    says: '“log reads” names `app:logs`, which is not there. Did you mean `app:log`?',
    nearly: ['app:logs', 'app:log'],
  },
  {
    check: 'access/not-cleared',
    what: 'a tenant that takes personal data uncleared',
    has: `${CONTROLLED.replace('key: a ', 'key: a, labels: [personal] ').replace('kind: amqp', 'kind: amqp\n    clears: [personal]')}${READS}`,
    says: 'log takes personal data from m/q (note), but tenant guest is not cleared for it.',
    nearly: ['guest: {}', 'guest: { clears: [personal] }'],
    about: 'queue:m/q',
  },
  {
    check: 'access/not-cleared',
    what: 'a label that a document guards',
    has: `labels: { secret: { guarded: true } }\n${CONTROLLED.replace('key: a ', 'key: a, labels: [secret] ').replace('kind: amqp', 'kind: amqp\n    clears: [secret]')}${READS}`,
    says: 'log takes secret data from m/q',
    nearly: ['guarded: true', 'guarded: false'],
  },
  {
    check: 'access/unguarded-broker',
    what: 'personal data on a broker that is not cleared',
    has: `${CONTROLLED.replace('key: a ', 'key: a, labels: [personal] ').replace('guest: {}', 'guest: { clears: [personal] }')}${READS}`,
    says: 'Broker m is not cleared for personal data, but note passes it.',
    nearly: ['kind: amqp', 'kind: amqp\n    clears: [personal]'],
  },
  {
    check: 'access/unguarded-broker',
    what: 'financial data kept in plain text',
    has: `${CONTROLLED.replace('key: a ', 'key: a, labels: [financial] ')
      .replace('guest: {}', 'guest: { clears: [financial] }')
      .replace('kind: amqp', 'kind: amqp\n    clears: [financial]\n    rest: plain')}${READS}`,
    says: 'Broker m keeps messages in plain text, and financial data is among them.',
    nearly: ['rest: plain', 'rest: encrypted'],
  },
  {
    check: 'names/unstated-setting',
    what: 'one queue of five without a ttl',
    has: 'brokers:\n  m: { kind: amqp, queues: { a: { ttl: 1m }, b: { ttl: 1m }, c: { ttl: 2m }, d: { ttl: 1m }, e: {} } }\n',
    says: 'm/e does not say `ttl`, though 4 other queues of m do.',
    nearly: ['e: {}', 'e: { ttl: 5m }'],
    about: 'queue:m/e',
  },
  {
    check: 'names/near-alike',
    what: 'two queues that differ by a separator',
    has: 'brokers:\n  m: { kind: amqp, queues: { quay-desk: {}, quayDesk: {} } }\n',
    says: '`quayDesk` and `quay-desk` on m differ only by case or separator.',
    nearly: ['quayDesk', 'quayDesks'],
    mend: 'none',
  },
  {
    check: 'names/same-wire-name',
    what: 'two queues that are one on the broker',
    has: 'brokers:\n  m: { kind: amqp, queues: { a: { wireName: x }, x: {} } }\n',
    says: 'queue m/x has the wire name `x`, as m/a has',
    nearly: ['wireName: x', 'wireName: y'],
    mend: 'none',
  },
  {
    check: 'names/unknown-word',
    what: 'a link key with a word that no key has',
    has: 'messages: { note: { key: a.b } }\nbrokers:\n  m: { kind: amqp, queues: { out: {} } }\n  n: { kind: amqp, queues: { q: {} } }\nlinks: { down: { from: m/out, to: n/q, keys: ["z.#"] } }\n',
    says: 'No declared message type has a key that `z.#` matches (link down).',
    nearly: ['"z.#"', '"a.#"'],
    mend: 'none',
  },
  {
    check: 'names/parameter',
    what: 'a parameter that nothing uses',
    has: 'parameters: { wait: { default: 1m }, other: { default: 2m } }\nbrokers:\n  m: { kind: amqp, queues: { q: { ttl: "${other}" } } }\n',
    says: 'Nothing uses the parameter `wait`.',
    nearly: ['${other}" }', '${other}" }, r: { ttl: "${wait}" }'],
  },
  {
    check: 'names/parameter',
    what: 'a parameter without a value in an environment',
    has: 'parameters: { wait: {} }\nenvironments: { live: {}, try: { values: { wait: 1m } } }\nbrokers:\n  m: { kind: amqp, queues: { q: { ttl: "${wait}" } } }\n',
    says: '`wait` has no default and no value in live.',
    nearly: ['live: {}', 'live: { values: { wait: 2m } }'],
  },
  {
    check: 'names/expectation',
    what: 'an expectation about a store that is not there',
    has: 'messages: { note: { labels: [safety] } }\nbrokers:\n  m: { kind: amqp, queues: { boards: {} } }\nexpectations:\n  - { name: arrives, given: { label: safety }, reaches: m/bords }\n',
    says: '“arrives” speaks of `m/bords`, which is not there. Did you mean `m/boards`?',
    nearly: ['m/bords', 'm/boards'],
  },
  {
    check: 'names/watch',
    what: 'an alert about a store that is not there',
    has: 'brokers:\n  m: { kind: amqp, queues: { boards: {} } }\nwatch:\n  - { name: piles up, on: m/bords, when: { waiting: 10 } }\n',
    says: '“piles up” is about `m/bords`, which is not there. Did you mean `m/boards`?',
    nearly: ['m/bords', 'm/boards'],
    mend: 0,
  },
  {
    check: 'names/watch',
    what: 'an alert about how much waits in an exchange',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: fanout } } }\nwatch:\n  - { name: piles up, on: m/in, when: { waiting: 10 } }\n',
    says: 'nothing waits in an exchange or a topic',
    nearly: ['waiting: 10', 'quiet: true'],
    mend: 'none',
  },
  {
    check: 'names/watch',
    what: 'an alert for an environment that is not there',
    has: 'environments: { live: {} }\nbrokers:\n  m: { kind: amqp, queues: { boards: {} } }\nwatch:\n  - { name: piles up, on: m/boards, when: { waiting: 10 }, in: life }\n',
    says: 'is for the environment `life`, which is not there. Did you mean `live`?',
    nearly: ['in: life', 'in: live'],
    mend: 0,
  },
  {
    check: 'names/watch',
    what: 'a tap of an alias, which is nothing on a broker',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: fanout } }, aliases: { door: { to: in } } }\ntaps: [ { on: m/door } ]\n',
    says: 'holds nothing itself on a broker',
    nearly: ['on: m/door', 'on: m/in'],
    mend: 'none',
  },
  {
    check: 'names/watch',
    what: 'a tap that would keep copies for longer than they are kept',
    has: 'brokers:\n  m: { kind: amqp, queues: { boards: {} } }\ntaps: [ { on: m/boards, keep: 91d } ]\n',
    says: 'for 90 days at most',
    nearly: ['91d', '90d'],
    mend: 0,
  },
  {
    check: 'broker/refused-settings',
    what: 'a replicated queue with priority',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: { maxDeliveries: 3, maxPriority: 5 } } }\n',
    says: 'orders by no priority',
    nearly: ['maxPriority: 5', 'maxPriority: 0'],
    mend: 0,
  },
  {
    check: 'broker/refused-settings',
    what: 'a replicated queue that is not durable',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: { maxDeliveries: 3, durable: false } } }\n',
    says: 'a replicated queue is durable',
    nearly: ['durable: false', 'durable: true'],
    mend: 0,
  },
  {
    check: 'broker/refused-settings',
    what: 'a replicated queue that deletes itself',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: { maxDeliveries: 3, autoDelete: true } } }\n',
    says: 'cannot delete itself',
    nearly: ['autoDelete: true', 'autoDelete: false'],
    mend: 0,
  },
  {
    check: 'broker/refused-settings',
    what: 'a replicated queue of one connection',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: { maxDeliveries: 3, exclusive: true } } }\n',
    says: 'belongs to no one connection',
    nearly: ['exclusive: true', 'exclusive: false'],
    mend: 0,
  },
  {
    check: 'broker/refused-settings',
    what: 'a queue that expires at once',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: { expires: 0s } } }\n',
    says: '`expires` of nothing',
    nearly: ['0s', '1ms'],
    mend: 0,
  },
  {
    check: 'broker/refused-settings',
    what: 'a time past the longest',
    has: 'brokers:\n  m: { kind: amqp, queues: { q: { ttl: 4000d } } }\n',
    says: '`ttl` is longer than',
    nearly: ['4000d', '3650d'],
    mend: 0,
  },
  {
    check: 'broker/refused-settings',
    what: 'a reserved queue name',
    has: 'brokers:\n  m: { kind: amqp, queues: { "amq.x": {} } }\n',
    says: 'names that begin with `amq.`',
    nearly: ['"amq.x"', '"amqx"'],
    mend: 'none',
  },
  {
    check: 'broker/refused-settings',
    what: 'a built-in exchange of another type',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: fanout, wireName: amq.topic } } }\n',
    says: '`amq.topic` is there already, durable, of type topic',
    nearly: ['type: fanout', 'type: topic'],
    mend: 'none',
  },
  {
    check: 'broker/refused-settings',
    what: 'a reserved exchange name',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: fanout, wireName: amq.mine } } }\n',
    says: 'names that begin with `amq.` are the broker’s own',
    nearly: ['amq.mine', 'mine'],
    mend: 'none',
  },
  {
    check: 'broker/not-carried',
    what: 'a header value that is no number',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: headers } }, queues: { q: {} }, bindings: [{ from: in, to: q, headers: { values: { level: .inf } } }] }\n',
    says: 'is no number that can be sent',
    nearly: ['level: .inf', 'level: 1'],
    mend: 'none',
  },
  {
    check: 'broker/not-carried',
    what: 'a header value past exact numbers',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: headers } }, queues: { q: {} }, bindings: [{ from: in, to: q, headers: { values: { level: 9007199254740993 } } }] }\n',
    says: 'beyond 2⁵³',
    nearly: ['level: 9007199254740993', 'level: 9007199254740991'],
    mend: 'none',
  },
  {
    check: 'broker/not-carried',
    what: 'a header value with half a character',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: headers } }, queues: { q: {} }, bindings: [{ from: in, to: q, headers: { values: { level: "\\ud800" } } }] }\n',
    says: 'half of a character',
    nearly: ['level: "\\ud800"', 'level: "\\u00e9"'],
    mend: 'none',
  },
  {
    check: 'broker/not-carried',
    what: 'a header value that reads back as any',
    has: 'brokers:\n  m: { kind: amqp, exchanges: { in: { type: headers } }, queues: { q: {} }, bindings: [{ from: in, to: q, headers: { values: { level: "undefined" } } }] }\n',
    says: 'cannot be told apart',
    nearly: ['level: "undefined"', 'level: "undefine"'],
    mend: 'none',
  },
];

import { review } from '../../analysis/checks/review.ts';
import { type ChangeSet, applyEdits } from '../../base/edits.ts';
import { message } from '../../conditions/message.ts';
import { buildGraph } from '../../routing/graph.ts';
import { trace } from '../../routing/trace.ts';
import { readTopology } from '../../topology/read.ts';
import { attempt } from './attempt.ts';
import type { FormField, Given } from './fields.ts';
import { FORM_KINDS, type FormKind, declare, formOf } from './forms.ts';

const documents = [
  {
    name: 'apps.yaml',
    text: `messages:
  late: { key: "sailing.{route}", headers: { route: { enum: [north, south] } }, examples: [{ headers: { route: south } }] }
parameters:
  keep: { default: 5m }
apps:
  board: {} # shows departures
  desk: { publishes: [{ message: late, to: m/in }, { message: late, to: s/news }] }
  text:
    consumes:
      - { from: s/texts }
`,
  },
  {
    name: 'brokers.yaml',
    text: `brokers:
  m:
    kind: amqp
    exchanges: { in: { type: topic }, all: { type: fanout }, heads: { type: headers } }
    queues:
      old: {}

    bindings:
      - { from: in, to: old, key: "a.#" } # as ever
  s:
    kind: pubsub
    topics: { news: {} }
    queues: { texts: {} }
tenants: { home: {} }
links: { on: { from: m/old, to: s/news } }
access:
  - { allow: [publish], who: any, on: [m/in, s/news] }
`,
  },
];
const topology = readTopology(documents);
const graph = buildGraph(topology);

interface Filled {
  readonly kind: FormKind;
  readonly on?: string;
  readonly name?: string;
  readonly given?: Readonly<Record<string, Given>>;
}
const order = ({ kind, on = '', name = '', given = {} }: Filled) => ({ kind, on, name, given });

function write(filled: Filled) {
  const edited = declare(topology, order(filled));
  if (!edited.ok) throw new Error(edited.message);
  const after = applyEdits(documents, edited.edits);
  const lines = new Set(documents.flatMap(({ text }) => text.split('\n')));
  const written = after.flatMap(({ text }) => text.split('\n')).filter((line) => !lines.has(line));
  return { after, edits: edited.edits, text: written.join('\n'), then: readTopology(after) };
}

const read = (edits: ChangeSet) => readTopology(applyEdits(documents, edits));
const tried = (filled: Filled, permits = true) =>
  attempt({ topology, graph, findings: review(topology).findings }, order(filled), permits, {
    read,
    findings: (then) => review(then).findings,
  });

test.each<[Filled, string]>([
  [
    {
      kind: 'message',
      name: 'fare-sold',
      given: {
        key: 'fare.{route}.sold',
        headers: [
          { name: 'route', type: 'string', values: 'north, 1' },
          { name: 'pence', type: 'integer', least: '0', most: '9000' },
          { name: 'open', values: 'true, "true", 3' },
          { name: 'kind', values: 'fare' },
          { name: '' },
        ],
        required: ['route'],
        labels: ['financial'],
        size: '2KiB',
        body: '{ type: object }',
        examples: [{ name: 'one', headers: '{ route: north }' }],
      },
    },
    `  fare-sold:
    key: "fare.{route}.sold"
    headers:
      route: { type: string, enum: [north, "1"] }
      pence: { type: integer, minimum: 0, maximum: 9000 }
      open: { enum: [true, "true", 3] }
      kind: { const: fare }
    required: [route]
    labels: [financial]
    examples: [{ name: one, headers: { route: north } }]
    body: { type: object }
    size: 2KiB`,
  ],
  [
    { kind: 'app', name: 'archive', given: { consumes: [{ from: 'm/old', takes: '2s' }], instances: '3' } },
    '  archive: { consumes: [{ from: m/old, takes: 2s }], instances: 3 }',
  ],
  [
    { kind: 'publish', on: 'board', given: { message: 'late', to: 'm/all', mandatory: 'true' } },
    '  board: { publishes: [{ message: late, to: m/all, mandatory: true }] } # shows departures',
  ],
  [
    { kind: 'take', on: 'text', given: { from: 'm/old', each: 'share' } },
    '      - { from: m/old, each: share }',
  ],
  [
    { kind: 'broker', name: 'islet', given: { kind: 'amqp', access: 'open' } },
    '  islet: { kind: amqp, access: open }',
  ],
  [
    { kind: 'exchange', on: 'm', name: 'late: #', given: { type: 'direct', unroutedTo: 'all' } },
    '"late: #": { type: direct, unroutedTo: all } }',
  ],
  [
    {
      kind: 'queue',
      on: 'm',
      name: 'boards',
      given: { ttl: '${keep}', 'deadLetter.to': 'all', 'deadLetter.key': 'dead' },
    },
    '      boards: { ttl: "${keep}", deadLetter: { to: all, key: dead } }',
  ],
  [
    { kind: 'topic', on: 's', name: 'more', given: { order: 'fifo' } },
    '    topics: { news: {}, more: { order: fifo } }',
  ],
  [
    {
      kind: 'subscription',
      on: 's',
      name: 'severe',
      given: { topic: 'news', to: 'texts', 'filter.selector': 'severity >= 3' },
    },
    '      severe: { topic: news, to: texts, filter: { selector: severity >= 3 } }',
  ],
  [
    {
      kind: 'subscription',
      on: 's',
      name: 'match',
      given: {
        topic: 'news',
        'filter.match': [
          { name: 'route', value: 'north' },
          { name: 'n', value: '3' },
        ],
      },
    },
    'filter: { match: { route: north, n: 3 } }',
  ],
  [
    { kind: 'binding', on: 'm', given: { from: 'in', to: 'old', key: 'sailing.#' } },
    '      - { from: in, to: old, key: sailing.# }',
  ],
  [
    {
      kind: 'binding',
      on: 'm',
      given: {
        from: 'heads',
        to: 'old',
        'headers.match': 'any',
        'headers.values': [{ name: 'hazard', value: 'true' }, { name: 'any' }],
      },
    },
    'headers: { match: any, values: { hazard: true, any: null } } }',
  ],
  [
    { kind: 'alias', on: 'm', name: 'old-in', given: { to: 'in' } },
    '    aliases:\n      old-in:\n        to: in',
  ],
  [
    {
      kind: 'link',
      name: 'down',
      given: { from: 'm/old', to: 's/texts', keys: ['a.#', 'b.*'], latency: '40ms' },
    },
    'down: { from: m/old, to: s/texts, keys: [a.#, b.*], latency: 40ms }',
  ],
  [
    {
      kind: 'spread',
      name: 'work',
      given: { members: ['m/old', 's/texts'], choose: 'weighted', weights: ['3', '0.5'] },
    },
    'work: { members: [m/old, s/texts], choose: weighted, weights: [3, 0.5] }',
  ],
  [
    {
      kind: 'permission',
      given: { allow: ['publish', 'consume'], who: ['app:board'], on: ['m/old'], name: 'board reads' },
    },
    '  - { name: board reads, allow: [publish, consume], who: [app:board], on: [m/old] }',
  ],
  [
    {
      kind: 'expectation',
      given: { name: 'late is told', 'given.message': 'late', reaches: ['s/texts'], within: '1s' },
    },
    '  - { name: late is told, given: { message: late }, reaches: [s/texts], within: 1s }',
  ],
  [
    {
      kind: 'alert',
      given: { name: 'old piles up', on: ['m/old'], 'when.waiting': '9', 'when.for': '1m' },
    },
    '  - { name: old piles up, on: [m/old], when: { waiting: 9, for: 1m } }',
  ],
  [{ kind: 'tap', given: { on: ['m/old'], keep: '1d' } }, '  - { on: [m/old], keep: 1d }'],
  [{ kind: 'tenant', name: 'quay', given: { clears: ['personal'] } }, 'quay: { clears: [personal] }'],
  [
    {
      kind: 'environment',
      name: 'live',
      given: { values: [{ name: 'keep', value: '1m' }], protected: 'true' },
    },
    'live: { values: { keep: 1m }, protected: true }',
  ],
  [{ kind: 'parameter', name: 'limit', given: { default: '10' } }, '  limit: { default: 10 }'],
])('%j becomes %j, and nothing else changes', (filled, text) => {
  const { text: written, then } = write(filled);
  expect(written).toContain(text);
  expect(then.findings.filter(({ severity }) => severity === 'error')).toEqual([]);
});

test('there is a form for everything, and each can be filled in field by field', () => {
  const SAMPLES = ['word', '30s', '64KiB', '5/s', '3', 'a.b', '{ type: string }'];
  const values = (field: FormField): Given[] => {
    if (field.kind === 'rows')
      return [
        [Object.fromEntries(field.columns!.map((each) => [each.name, String(values(each)[0])]))],
        [{ name: 'keep', value: '3', type: 'integer' }],
      ];
    const own = [...(field.values ?? []), ...(field.suggest ?? [])];
    const all = own.length ? own : SAMPLES;
    return field.kind === 'many' ? all.map((each) => [each]) : all;
  };
  for (const kind of FORM_KINDS) {
    const form = formOf(topology, kind);
    expect([kind, form.fields.length > 0]).toEqual([kind, true]);
    const on = form.on?.names[0] ?? '';
    const given: Record<string, Given> = {};
    for (const field of form.fields) if (field.required) given[field.name] = values(field)[0]!;
    if (kind === 'expectation') Object.assign(given, { 'given.message': 'late', reaches: ['m/old'] });
    if (kind === 'permission') given['allow'] = ['publish'];
    if (kind === 'alert') given['when.waiting'] = '3';
    for (const field of form.fields) {
      if (['fed by', 'condition', 'taken by'].includes(field.name)) continue;
      const works = values(field).some((value) => {
        const edited = declare(
          topology,
          order({ kind, on, name: 'fresh', given: { ...given, [field.name]: value } }),
        );
        if (!edited.ok) return false;
        const { findings } = readTopology(applyEdits(documents, edited.edits));
        return findings.every(({ check }) => !/wrong-type|wrong-value|syntax|unknown-key/.test(check));
      });
      expect([kind, field.name, works]).toEqual([kind, field.name, true]);
    }
  }
});

test('what is chosen from is of this topology, a broker’s own names bare', () => {
  const field = (kind: FormKind, name: string, on?: string) =>
    formOf(topology, kind, on).fields.find((each) => each.name === name);
  expect(field('binding', 'from')!.suggest).toEqual(['in', 'all', 'heads']);
  expect(field('take', 'from')!.suggest).toContain('s/texts');
  expect(field('queue', 'fed by', 's')!.suggest).toEqual(['news']);
  expect(field('subscription', 'filter.selector')!.about).toContain('selector');
  expect(field('queue', 'overflow')!.values).toEqual(['drop-oldest', 'refuse-new']);
  expect(field('queue', 'durable')).toMatchObject({ otherwise: '`true`' });
  expect(formOf(topology, 'binding').on).toEqual({ of: 'broker', names: ['m'] });
  expect(formOf(readTopology([]), 'queue').on).toEqual({ of: 'broker', names: [] });
});

test('a queue comes with what feeds it, who takes from it and their permission, and messages reach it', () => {
  const made = tried({
    kind: 'queue',
    on: 'm',
    name: 'boards',
    given: { 'fed by': 'in', condition: 'sailing.*', 'taken by': 'board' },
  });
  if (!made.ok) throw new Error(made.message);
  const then = buildGraph(read(made.edits));
  expect(then.topology.findings).toEqual([]);
  const { rests } = trace(then, message({ key: 'sailing.north' }), { to: 'm/in' }).trace;
  expect(rests.map(({ node, takers, outcome }) => [node, takers, outcome])).toEqual([
    ['queue:m/boards', ['app:board'], 'taken'],
  ]);
  expect(made.trials).toEqual([
    { type: 'late', sample: 'south', passes: true, why: expect.stringContaining('matches') },
  ]);
  expect(made.brings.filter(({ severity }) => severity === 'error')).toEqual([]);
});

test('on a publish-subscribe broker the topic is given permission to hand over; without it messages are refused', () => {
  const filled: Filled = {
    kind: 'queue',
    on: 's',
    name: 'kiosk',
    given: { 'fed by': 'news', condition: 'severity > 2' },
  };
  const sent = message({ headers: { severity: 3 } });
  const at = (permits: boolean) => {
    const made = tried(filled, permits);
    if (!made.ok) throw new Error(made.message);
    const then = buildGraph(read(made.edits));
    return { made, ends: trace(then, sent, { to: 's/news' }).trace.ends.map(({ end }) => end.outcome) };
  };
  expect(at(true).ends).toEqual(['held']);
  const { made, ends } = at(false);
  expect(ends).toEqual(['refused']);
  expect(made.brings[0]).toMatchObject({ severity: 'error' });
});

test('what a form would mend and bring is told before it is written', () => {
  const made = tried({ kind: 'take', on: 'board', given: { from: 'm/old' } });
  // the link takes from it already
  expect(made).toMatchObject({ ok: true, brings: [{ severity: 'warning' }] });
  const bound = tried({ kind: 'binding', on: 'm', given: { from: 'in', to: 'old', key: 'sailing.#' } });
  expect(bound.ok && bound.cures.length).toBeGreaterThan(0);
});

test.each<[Filled, string]>([
  [{ kind: 'queue', on: 'x', name: 'q' }, 'no broker `x`'],
  [{ kind: 'exchange', on: 's', name: 'q' }, 'no broker `s` that has such things'],
  [{ kind: 'queue', name: 'q' }, 'Say which broker'],
  [{ kind: 'queue', on: 'm', name: 'old' }, 'already'],
  [{ kind: 'queue', on: 'm', name: '' }, 'a name'],
  [{ kind: 'queue', on: 'm', name: 'x'.repeat(256) }, '255 bytes'],
  [{ kind: 'app', name: 'My App' }, 'small letters'],
  [{ kind: 'exchange', on: 'm', name: 'e' }, 'Say `type` (how it routes)'],
  [{ kind: 'binding', on: 'm', given: { from: 'in' } }, 'Say `to`'],
  [{ kind: 'permission', given: { who: ['any'], on: ['m/old'] } }, 'what it allows'],
  [{ kind: 'expectation', given: { name: 'x', reaches: ['m/old'] } }, 'which messages'],
  [{ kind: 'expectation', given: { name: 'x', 'given.message': 'late' } }, 'what is promised'],
  [{ kind: 'queue', on: 'm', name: 'q', given: { 'fed by': 'news' } }, 'no exchange `news` on m'],
  [{ kind: 'queue', on: 'm', name: 'q', given: { 'taken by': 'nobody' } }, 'no app `nobody`'],
  [{ kind: 'message', name: 'm', given: { body: '{ x: ' } }, 'cannot be read'],
  [{ kind: 'message', name: 'm', given: { headers: [{ name: 'n', least: 'few' }] } }, '`few` is no number'],
  [{ kind: 'publish', on: 'nobody', given: {} }, 'no app `nobody`'],
])('%j cannot be written, and why is told', (filled, words) => {
  expect(declare(topology, order(filled))).toEqual({ ok: false, message: expect.stringContaining(words) });
  expect(tried(filled)).toMatchObject({ ok: false });
});

test('into nothing at all a topology is begun', () => {
  const empty = readTopology([{ name: 'topology.yaml', text: '' }]);
  const edited = declare(empty, order({ kind: 'broker', name: 'mainland', given: { kind: 'amqp' } }));
  expect(edited.ok && applyEdits(empty.documents, edited.edits)[0]!.text).toBe(
    'brokers:\n  mainland:\n    kind: amqp\n',
  );
});

import fc from 'fast-check';
import { type TextDocument, applyEdits } from '../base/edits.ts';
import { spanOf, writtenAt } from '../syntax/place.ts';
import { locator, readTopology } from './read.ts';

const one = (text: string, options = {}) => readTopology([{ name: 'a.yaml', text }], options);
const said = (text: string) => one(text).findings.map((finding) => finding.message);

const HARBOUR = `vondle: 1
topology: harbour
brokers:
  mainland:
    kind: amqp
    exchanges:
      sailings: { type: topic }
    queues:
      boards: { durable: true, ttl: 10m }
    bindings:
      - { from: sailings, to: boards, key: "sailing.#" }
`;

describe('reading', () => {
  test('values are typed and know their place', () => {
    const topology = one(HARBOUR);
    expect(topology.findings).toEqual([]);
    const broker = topology.declared.brokers!.get('mainland')!.value;
    const ttl = broker.variant === 'amqp' ? broker.queues!.get('boards')!.value.ttl! : undefined;
    expect(ttl!.value).toBe(600_000);
    expect(writtenAt(topology, ttl!.place)).toBe('10m');
    expect(locator(topology)(ttl!.place)).toEqual({ line: 9, column: 37 });
  });

  test('JSON is read the same', () => {
    const text = JSON.stringify({
      vondle: 1,
      brokers: { b: { kind: 'amqp', queues: { q: { maxLength: 5 } } } },
    });
    const topology = one(text);
    expect(topology.findings).toEqual([]);
    const broker = topology.declared.brokers!.get('b')!.value;
    expect(broker.variant === 'amqp' && broker.queues!.get('q')!.value.maxLength!.value).toBe(5);
  });

  test('documents add up; the same thing twice names both places', () => {
    const more = `brokers:\n  mainland:\n    queues:\n      desk: {}\n      boards: {}\n    bindings:\n      - { from: sailings, to: desk }\n`;
    const topology = readTopology([
      { name: 'a.yaml', text: HARBOUR },
      { name: 'b.yaml', text: more },
    ]);
    const broker = topology.declared.brokers!.get('mainland')!.value;
    expect([...broker.queues!.keys()]).toEqual(['boards', 'desk']);
    expect(broker.variant === 'amqp' && broker.bindings!.items).toHaveLength(2);
    expect(topology.findings).toHaveLength(1);
    const [finding] = topology.findings;
    expect(finding!.message).toContain('declared twice');
    expect(spanOf(topology, finding!.place)).toMatchObject({ doc: 'b.yaml', start: more.indexOf('boards') });
    expect(spanOf(topology, finding!.related![0]!.place)).toMatchObject({
      doc: 'a.yaml',
      start: HARBOUR.indexOf('boards'),
    });
  });

  test.each([
    ['an unknown key, with the nearest', HARBOUR.replace('durable', 'durabel'), 'Did you mean `durable`?'],
    [
      'an unknown queue, with the nearest',
      HARBOUR.replace('to: boards', 'to: bords'),
      'Did you mean `boards`?',
    ],
    ['a wrong duration', HARBOUR.replace('10m', 'ten'), 'a duration such as'],
    ['a wrong type', HARBOUR.replace('durable: true', 'durable: [1]'), 'not a list'],
    ['an exchange type nobody has', HARBOUR.replace('type: topic', 'type: topical'), 'Did you mean `topic`?'],
    ['a missing kind', HARBOUR.replace('    kind: amqp\n', ''), '`kind` is missing'],
    ['a missing exchange type', HARBOUR.replace('{ type: topic }', '{}'), '`type` is missing'],
    ['a bad id', HARBOUR.replace('mainland', 'Main Land'), 'is no id'],
    ['broken YAML', HARBOUR.replace('{ type: topic }', '{ type: topic'), ''],
    ['a parameter nobody declared', HARBOUR.replace('10m', '"${boardTtl}"'), 'no parameter `boardTtl`'],
    ['a name over 255 bytes', HARBOUR.replaceAll('boards', 'é'.repeat(128)), '256 bytes'],
    ['a key over 255 bytes', HARBOUR.replace('sailing.#', 'x'.repeat(256)), '256 bytes'],
    [
      'a reference that is two things',
      HARBOUR.replace('boards: {', 'sailings: {').replace('to: boards', 'to: sailings'),
      'names two things',
    ],
    ['two documents in a file', `${HARBOUR}---\na: 1\n`, 'one document'],
    ['an unquoted parameter in braces', HARBOUR.replace('10m', '${wait}'), 'in quotes'],
    ['the wrong version', HARBOUR.replace('vondle: 1', 'vondle: 2'), 'from 1 to 1'],
  ])('says %s', (_, text, words) => {
    const messages = said(text);
    expect(messages.length).toBeGreaterThan(0);
    expect(messages.join('\n')).toContain(words);
  });

  test('the mend of a misspelt name mends it', () => {
    const text = HARBOUR.replace('to: boards', 'to: bords');
    const topology = one(text);
    const edited = topology.findings[0]!.mends![0]!.edit(topology);
    expect(edited.ok && applyEdits(topology.documents, edited.edits)[0]!.text).toBe(HARBOUR);
  });

  test('parameters come from the environment and leave their names', () => {
    const text = HARBOUR.replace('10m', '"${wait}"').replace(
      'brokers:',
      'parameters:\n  wait: { default: 5m }\nenvironments:\n  rehearsal: { values: { wait: 1m } }\nbrokers:',
    );
    const ttl = (environment?: string) => {
      const topology = one(text, environment ? { environment } : {});
      expect(topology.findings).toEqual([]);
      const broker = topology.declared.brokers!.get('mainland')!.value;
      return broker.variant === 'amqp' ? broker.queues!.get('boards')!.value.ttl : undefined;
    };
    expect(ttl()).toMatchObject({ value: 300_000, from: ['wait'] });
    expect(ttl('rehearsal')).toMatchObject({ value: 60_000, from: ['wait'] });
  });

  test('message types inherit, and a circle is said', () => {
    const text = `messages:
  event: { headers: { route: { type: string } }, labels: [operational], required: [route] }
  left: { extends: event, key: "a.{route}", headers: { late: { type: integer } } }
`;
    const type = one(text).messages.get('left')!;
    expect([...type.headers.keys()]).toEqual(['route', 'late']);
    expect(type.headers.get('route')!.declaredBy).toBe('event');
    expect([...type.labels]).toEqual(['operational']);
    expect([...type.required]).toEqual(['route']);
    expect(said('messages:\n  a: { extends: b }\n  b: { extends: [a] }\n').join()).toContain('a → b → a');
  });

  test('filters of every kind are read, wrong ones said in place', () => {
    const text = (filter: string) => `brokers:
  shore:
    kind: pubsub
    topics: { notices: {} }
    subscriptions:
      kiosks: { topic: notices, filter: ${filter} }
`;
    for (const good of [
      '{ selector: "severity >= 3" }',
      '{ match: { subject: delay } }',
      '[ { exact: { type: x } }, { not: { prefix: { type: y } } } ]',
      '{ any: [ { suffix: { type: z } }, { all: [ { match: { n: 3 } } ] } ] }',
    ]) {
      expect(said(text(good))).toEqual([]);
    }
    const bad = text('{ selector: "severity >> 3" }');
    const wrong = one(bad);
    expect(writtenAt(wrong, wrong.findings[0]!.place)).toBe('>');
    expect(said(text('{ perfix: { a: b } }')).join()).toContain('Did you mean `prefix`?');
    expect(said(text('{ match: { a: b }, prefix: { a: b } }')).join()).toContain('one language');
  });

  test('a bomb of aliases and a pit of brackets are refused in time', () => {
    let bomb = 'a0: &a0 [x, x, x, x, x, x, x, x, x]\n';
    for (let i = 1; i < 12; i++)
      bomb += `a${i}: &a${i} [${Array(9)
        .fill(`*a${i - 1}`)
        .join(', ')}]\n`;
    expect(said(bomb).join()).toContain('by far more than is written');
    expect(said('['.repeat(20_000)).length).toBeGreaterThan(0);
    expect(said('x: '.repeat(5000)).length).toBeGreaterThan(0);
  });

  test('50 MB of garbage is refused, in little time', () => {
    const words = 'x: [ { "\t%& - ? : # \n';
    expect(said(words.repeat(50_000_000 / words.length)).join()).toContain('at most 16 MiB are read');
    expect(said(words.repeat(8_000_000 / words.length)).join()).toContain('too long for what it holds');
  });

  test('never throws, whatever the text', () => {
    const words = [
      'brokers:',
      ' mainland:',
      '  kind: amqp',
      '{',
      '}',
      '[',
      ']',
      '\n',
      ': ',
      '- ',
      '"',
      "'",
      '&a',
      '*a',
      '${x}',
      '|',
      '#',
      '\t',
      'é',
      '---',
      '!!str',
      '? ',
      'queues:',
      'null',
      '~',
    ];
    const text = fc.array(fc.constantFrom(...words), { maxLength: 60 }).map((parts) => parts.join(''));
    fc.assert(
      fc.property(fc.oneof(text, fc.string({ unit: 'binary', maxLength: 200 })), (garbage) => {
        const documents: TextDocument[] = [
          { name: 'a', text: garbage },
          { name: 'b', text: HARBOUR },
        ];
        const topology = readTopology(documents);
        for (const { place } of topology.findings) expect(place.to).toBeGreaterThanOrEqual(place.from);
      }),
      { numRuns: 500 },
    );
  });
});

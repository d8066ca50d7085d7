/**
 * Topologies made up at random whose message types have so few messages that every one of them can be sent.
 *
 * What it cannot make: domains without end (open words, texts, numbers); schemas that are not followed; links in
 * circles through more than two brokers.
 */
import { type Message, message } from '../../conditions/message.ts';
import type { Model } from './model.ts';
import { type Random, randomModel, randomOf } from './random-model.ts';

export interface TypeModel {
  key?: string;
  headers: Record<
    string,
    { enum?: unknown[]; type?: string; minimum?: number; maximum?: number; const?: unknown }
  >;
  properties: Record<string, { enum: unknown[] }>;
  required: string[];
}

/** A type whose messages can all be written down. */
function typeOf(r: Random): TypeModel {
  const headers: TypeModel['headers'] = {
    h: r.pick([{ enum: ['x', 1, true] }, { enum: ['x', 'y', 'xy'] }, { enum: ['a', 'b.c', ''] }]),
    n: r.pick([
      { type: 'integer', minimum: 0, maximum: 3 },
      { enum: [1, 2, null] },
      { type: 'integer', minimum: 6, maximum: 9 },
    ]),
    w: r.pick([{ enum: ['a', 'b'] }, { enum: ['a', 'z'] }, { type: 'boolean' }, { const: 'a' }]),
    ...(r.once(3) ? { subject: { enum: ['x', 'q'] } } : {}),
  };
  return {
    ...(r.once(8)
      ? {}
      : {
          key: r.pick([
            'a.b',
            '{w}',
            '{h}',
            'a.{w}',
            '{w}.{h}',
            '{w}.b.{w}',
            'b.{w}x',
            'a.{n}.{w}',
            '{h}{w}',
            'c',
          ]),
        }),
    headers,
    properties: r.once(3) ? { subject: { enum: ['x', 'xy'] } } : {},
    required: ['h', 'n', 'w', 'subject'].filter(() => r.once(2)),
  };
}

const SELECTORS = [
  'n BETWEEN 1 AND 3',
  "h LIKE 'x%'",
  "h IN ('x', 'a') AND n <> 2",
  'NOT (n > 1 OR h IS NULL)',
  "subject = 'x' OR w = 'a'",
  'n + 1 > 2',
  'w',
  "h <> subject AND w <> 'b'",
  'n >= 7 AND n < 20',
];

/** @returns a model whose messages are few enough to be written down, and which more often lets something through. */
export function finiteModel(seed: number): { model: Model; types: Record<string, TypeModel> } {
  const r = randomOf(seed ^ 0x2545f491);
  const model = randomModel(seed);
  const types = { note: typeOf(r), other: typeOf(r) };
  const open = r.once(2);
  for (const [id, broker] of Object.entries(model.brokers)) {
    if (open) broker.access = 'open';
    for (const subscription of Object.values(broker.subscriptions ?? {})) {
      if (!r.once(4)) subscription.topic = 't';
      if (r.once(2)) subscription.filter = { selector: r.pick(SELECTORS) };
    }
    if (broker.kind !== 'amqp') continue;
    for (let i = 0; i < 5; i++) {
      const from = r.pick(['x', 'y', 'z']);
      const { type } = broker.exchanges![from]!;
      const key = r.pick([
        'a',
        'b',
        'a.b',
        'a.*',
        '#.a',
        '*.x',
        'a.#.b',
        'a.2.a',
        'a.#',
        'true.#',
        'b.c',
        '#',
        'xa',
        '',
      ]);
      const headers = {
        match: r.pick(['all', 'any'] as const),
        values: r.pick<Record<string, string | number | null>>([
          { h: 'x' },
          { n: 1, w: 'a' },
          { h: 'x', n: 2 },
          { w: null },
        ]),
      };
      const to = r.pick(['p', 'q', 'y', 'z']);
      broker.bindings!.push({
        from,
        to,
        ...(type === 'headers' ? { headers } : type === 'fanout' && r.once(2) ? {} : { key }),
      });
    }
    if (r.once(2))
      model.apps[r.pick(['one', 'two'])]!.publishes!.push({
        message: r.pick(['note', 'other']),
        to: `${id}/x`,
      });
  }
  model.apps['three']!.publishes!.push({ message: 'note', to: 's/t' }, { message: 'other', to: 'm/y' });
  for (const statement of model.access)
    if (r.once(2)) statement.when = { key: r.pick(['a.*', '#', '#.b', 'b.#', 'a.#.a']) };
  return { model: { ...model, messages: types } as unknown as Model, types };
}

/** @returns every message that a type can be. */
export function everyMessage(id: string, { key = '', headers, properties, required }: TypeModel): Message[] {
  const slots = new Set([...key.matchAll(/\{(\w+)\}/g)].map(([, name]) => name));
  let all: Message[] = [message({ type: id })];
  for (const [part, domains] of [
    ['headers', headers],
    ['properties', properties],
  ] as const)
    for (const [name, schema] of Object.entries(domains as TypeModel['headers'])) {
      const values =
        'const' in schema
          ? [schema.const]
          : (schema.enum ??
            (schema.type === 'boolean'
              ? [true, false]
              : Array.from(
                  { length: schema.maximum! - schema.minimum! + 1 },
                  (_, i) => schema.minimum! + i,
                )));
      const fixed = required.includes(name) || 'const' in schema || (part === 'headers' && slots.has(name));
      all = all.flatMap((each) => [
        ...(fixed ? [] : [each]),
        ...values.map((value) => ({ ...each, [part]: { ...each[part], [name]: value } })),
      ]);
    }
  return all.map((each) => ({
    ...each,
    key: key.replace(/\{(\w+)\}/g, (_, name: string) => String(each.headers[name])),
  }));
}

/** Changes one thing or another in a model that finiteModel made. */
export function editModel(r: Random, model: Model): void {
  const brokers = Object.values(model.brokers);
  const broker = r.pick(brokers);
  const turn = r.below(7);
  if (turn === 0 && broker.bindings?.length) broker.bindings.splice(r.below(broker.bindings.length), 1);
  if (turn === 1) broker.access = broker.access === 'open' ? 'controlled' : 'open';
  if (turn === 2) for (const each of Object.values(broker.subscriptions ?? {})) delete each.filter;
  if (turn === 3 && model.access.length) model.access.splice(r.below(model.access.length), 1);
  if (turn === 4) {
    const statement = model.access[0];
    if (statement) statement.when = { key: r.pick(['a.#', '#.b', 'a.b']) };
  }
  if (turn === 5) model.apps['one']!.publishes!.splice(0, 1);
  if (turn === 6) model.apps[r.pick(['one', 'two', 'three'])]!.instances = r.below(3);
}

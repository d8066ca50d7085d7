import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv from 'ajv/dist/2020';
import { parse } from 'yaml';
import { readTopology } from './read.ts';
import { languageSchema } from './schema.ts';

const ROOT = join(__dirname, '../..');
const ajv = new Ajv({ strict: true, strictTypes: false, formats: { 'vondle-duration': true } });
const valid = ajv.compile(languageSchema());
const fits = (text: string) => valid(parse(text, { logLevel: 'silent' }));

describe('the published schema', () => {
  test('is the one in docs, byte for byte', () => {
    const published = readFileSync(join(ROOT, 'docs/schema/topology-1.json'), 'utf8');
    // to publish a change: npm run schema
    expect(published).toBe(`${JSON.stringify(languageSchema(), null, 2)}\n`);
  });

  const demo = ['r1', 'r2', 'draft'].flatMap((folder) =>
    readdirSync(join(ROOT, 'demo', folder)).map((name) => join(ROOT, 'demo', folder, name)),
  );
  test.each(demo)('admits %s', (path) => {
    expect([fits(readFileSync(path, 'utf8')), valid.errors]).toEqual([true, null]);
  });

  // what the schema alone can see as wrong, the reader must say too
  test.each([
    ['an unknown key', 'brokerz: {}'],
    ['a wrong version', 'vondle: 2'],
    ['an unknown kind', 'brokers: { m: { kind: post } }'],
    ['an unknown exchange type', 'brokers: { m: { kind: amqp, exchanges: { e: { type: round } } } }'],
    ['a truth value in quotes', 'brokers: { m: { kind: amqp, queues: { q: { durable: "true" } } } }'],
    ['a list for a map', 'apps: []'],
    ['a map for a list', 'access: {}'],
    ['a bad id', 'apps: { Big: {} }'],
    ['a negative number', 'apps: { a: { instances: -1 } }'],
    [
      'two filter languages',
      'brokers: { s: { kind: pubsub, topics: { t: {} }, subscriptions: { x: { topic: t, filter: { match: { a: b }, not: { match: { a: b } } } } } } }',
    ],
    ['a publish without its message', 'apps: { a: { publishes: [ { to: m/e } ] } }'],
    ['an unknown action', 'access: [ { allow: [shout], who: any, on: "m/*" } ]'],
  ])('and the reader both refuse %s', (_, text) => {
    expect(fits(text)).toBe(false);
    expect(readTopology([{ name: 'a', text }]).findings.length).toBeGreaterThan(0);
  });
});

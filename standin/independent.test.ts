/** The stand-in spoken to by a client that shares nothing with the package it speaks the protocol by. */
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { type Harness, standin } from './testing/harness.ts';

let h: Harness;
beforeAll(async () => {
  h = await standin();
});
afterAll(() => h.close());

test('publish, take, settle each way, a lease that lapses, a refusal', async () => {
  await h.must('PUT', '/spaces/isles', { tenant: 'auklet', access: 'controlled' });
  await h.must('PUT', '/spaces/isles/topics/notices', {});
  await h.must('PUT', '/spaces/isles/topics/forbidden', {});
  await h.must('PUT', '/spaces/isles/queues/parked', {});
  await h.must('PUT', '/spaces/isles/queues/slow', { leaseMs: 300 });
  await h.must('PUT', '/spaces/isles/queues/texting-in', { deadLetter: { to: 'parked' } });
  await h.must('PUT', '/spaces/isles/subscriptions/texting', {
    topic: 'notices',
    to: 'texting-in',
    filter: { selector: "severity >= 1 AND long > 1099511627775 AND half < 1 AND yes AND why LIKE 'gale%'" },
  });
  const allow = ['publish', 'consume'];
  await h.must('PUT', '/spaces/isles/statements/all', {
    allow,
    who: ['app:any-language'],
    on: ['notices', 'texting-in', 'parked', 'slow'],
  });
  await h.must('PUT', '/spaces/isles/statements/hand', {
    allow: ['publish'],
    who: ['topic:notices'],
    on: ['texting-in'],
  });
  const { name, secret } = await h.must('PUT', '/spaces/isles/users/any-language', {
    tenant: 'auklet',
    actsAs: 'app:any-language',
  });
  const said = await python('independent.py', `127.0.0.1:${h.running.amqpPort}`, name, secret);
  const body = (number: number) => ({ list: [1, 'zwei', null], number });
  const steps = Object.fromEntries(said.map(({ step, ...what }) => [step, what]));
  expect(said.map(({ step }) => step)).toEqual([
    'sent',
    'taken',
    'released',
    'again',
    'next',
    'dead',
    'lapsed',
    'forbidden',
  ]);
  expect(steps['taken']).toMatchObject({
    body: body(1),
    subject: 'closure.north',
    tries: 0,
    durable: true,
    properties: { severity: 1, why: 'gale ☂', long: 2 ** 40, half: 0.5, yes: true },
  });
  expect(steps['released']).toMatchObject({ body: body(1), tries: 0 });
  expect(steps['again']).toMatchObject({ body: body(1), tries: 1 });
  expect(steps['next']).toMatchObject({ body: body(2), tries: 0 });
  expect(steps['dead']).toMatchObject({
    body: body(2),
    annotations: { 'x-opt-given-up': 'rejected', 'x-opt-given-up-by': 'texting-in' },
  });
  expect(steps['lapsed']).toEqual({ first: 0, second: 1 });
  expect(steps['forbidden']).toMatchObject({
    refused: true,
    why: expect.stringContaining('no statement lets app:any-language publish'),
  });
});

function python(script: string, ...args: string[]): Promise<Record<string, unknown>[]> {
  return new Promise((done, fail) => {
    const child = spawn('/usr/bin/python3', [join(process.cwd(), 'standin/testing', script), ...args]);
    let out = '';
    let err = '';
    child.stdout.on('data', (part) => (out += String(part)));
    child.stderr.on('data', (part) => (err += String(part)));
    child.on('error', fail);
    child.on('close', (code) =>
      code === 0
        ? done(
            out
              .trim()
              .split('\n')
              .map((line) => JSON.parse(line) as Record<string, unknown>),
          )
        : fail(new Error(`${script} ended with ${code}: ${err}\n${out}`)),
    );
  });
}

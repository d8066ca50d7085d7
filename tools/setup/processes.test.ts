import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crew as crewOf, eventually, startTime } from './processes.mjs';

let home: string;
beforeEach(() => (home = mkdtempSync(join(tmpdir(), 'vondle-crew-'))));
afterEach(() => rmSync(home, { recursive: true }));

const alive = (pid: number) => startTime(pid) !== undefined;

test('a later start finds what an earlier one left over, and ends it', async () => {
  const child = crewOf(home).start('sleeper', '/bin/sleep', ['60']);
  const later = crewOf(home);
  expect(later.alive('sleeper')).toBe(child.pid);
  await later.stop('sleeper');
  expect(alive(child.pid!)).toBe(false);
  expect(later.alive('sleeper')).toBeUndefined();
});

test('what will not end when asked is made to', async () => {
  const crew = crewOf(home);
  const child = crew.start('stubborn', '/bin/sh', [
    '-c',
    'trap "" TERM; echo ready; while :; do sleep 0.1; done',
  ]);
  await eventually(async () =>
    (await import('node:fs')).readFileSync(join(home, 'stubborn.log'), 'utf8').includes('ready'),
  );
  await crew.stop('stubborn', 'SIGTERM', 200);
  await eventually(async () => !alive(child.pid!));
  expect(alive(child.pid!)).toBe(false);
});

test('somebody else’s process with a remembered number is left alone', async () => {
  const other = spawn('/bin/sleep', ['60']);
  crewOf(home);
  // the number is the one we once had, the start time is not
  writeFileSync(join(home, 'pids/server'), `${other.pid} 12345\n`);
  const crew = crewOf(home);
  expect(crew.alive('server')).toBeUndefined();
  await crew.stop('server');
  expect(alive(other.pid!)).toBe(true);
  other.kill();
});

test('waiting ends early when what it waits for has died', async () => {
  let asked = 0;
  const result = await eventually(
    async () => {
      asked++;
      return undefined;
    },
    { for: 60_000, every: 1, unless: () => asked >= 3 },
  );
  expect(result).toBeUndefined();
  expect(asked).toBe(3);
});

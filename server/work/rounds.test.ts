import { setTimeout as pause } from 'node:timers/promises';
import { pino } from 'pino';
import { Rounds } from './rounds.ts';

const logged: string[] = [];
const log = pino({}, { write: (line: string) => void logged.push(line) });
beforeEach(() => void logged.splice(0));

async function until(holds: () => boolean): Promise<void> {
  while (!holds()) await pause(5);
}

test('a turn that fails is logged, and the next one begins', async () => {
  let turns = 0;
  const rounds = new Rounds({
    name: 'links',
    everyMs: 1,
    log,
    turn: async () => {
      if (++turns === 1) throw new Error('went wrong');
    },
  });
  rounds.start();
  await until(() => turns > 2);
  await rounds.close();
  expect(logged.join()).toMatch(/"round":"links".*went wrong/);
  expect(rounds.health).toMatchObject({ name: 'links', stuck: false });
});

test('a turn that never ends is abandoned and named; the next one begins', async () => {
  const signals: AbortSignal[] = [];
  const rounds = new Rounds({
    name: 'taps',
    everyMs: 1,
    deadlineMs: 20,
    log,
    turn: (signal) => {
      signals.push(signal);
      return signals.length === 1 ? new Promise(() => {}) : Promise.resolve();
    },
  });
  rounds.start();
  await until(() => signals.length > 3);
  await rounds.close();
  expect(signals.map(({ aborted }) => aborted).slice(0, 3)).toEqual([true, false, false]);
  expect(logged.join()).toMatch(/"round":"taps".*a round is stuck/);
});

test('rounds of which no turn ends are told as stuck, and pile up no more than a few', async () => {
  let turns = 0;
  const free: (() => void)[] = [];
  const rounds = new Rounds({
    name: 'watch',
    everyMs: 1,
    deadlineMs: 5,
    log,
    turn: () => {
      turns++;
      return new Promise((done) => free.push(done));
    },
  });
  rounds.start();
  expect(rounds.health.stuck).toBe(false);
  await until(() => turns >= 9);
  await pause(50);
  expect(turns).toBe(9);
  expect(rounds.health.stuck).toBe(true);
  for (const done of free) done();
  await until(() => turns > 9);
  for (const done of free) done();
  await rounds.close();
});

test('closing waits for the turn that is going on', async () => {
  let done = false;
  const rounds = new Rounds({
    name: 'links',
    everyMs: 1,
    log,
    turn: async () => {
      await pause(30);
      done = true;
    },
  });
  rounds.start();
  await rounds.close();
  expect([done, rounds.closed]).toEqual([true, true]);
});

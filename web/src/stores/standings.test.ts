import type { RolloutEntry, Target } from '../api.ts';
import { missingInWords, standingInWords, standingsOf } from './standings.ts';

const target = (environment: string, broker: string, id: number) => ({ id, environment, broker }) as Target;
const rollout = (environment: string, broker: string, revision: number, state = 'applied') =>
  ({ environment, broker, revision, state }) as RolloutEntry;
const TARGETS = [target('rehearsal', 'm', 1), target('live', 'm', 2), target('live', 'n', 3)];
const say = (...rollouts: RolloutEntry[]) => standingsOf(TARGETS, rollouts, ['m']).map(standingInWords);

test('an environment has what was last carried out on each of its brokers', () => {
  expect(say()).toEqual(['rehearsal nothing yet', 'live nothing yet']);
  expect(say(rollout('live', 'm', 2), rollout('live', 'n', 2))).toEqual(['rehearsal nothing yet', 'live r2']);
  expect(say(rollout('live', 'm', 3), rollout('live', 'm', 2), rollout('live', 'n', 2))[1]).toBe(
    'live r2 and r3',
  );
  expect(say(rollout('live', 'm', 2))[1]).toBe('live partly r2');
});

test('what failed, was stopped or is only planned does not count', () => {
  expect(
    say(
      rollout('rehearsal', 'm', 4, 'failed'),
      rollout('rehearsal', 'm', 3, 'planned'),
      rollout('rehearsal', 'm', 1),
    )[0],
  ).toBe('rehearsal r1');
});

test('where a declared broker is not connected, it stands at a revision in part, and that is said', () => {
  const standings = standingsOf(
    TARGETS,
    [rollout('rehearsal', 'm', 1), rollout('live', 'm', 2), rollout('live', 'n', 2)],
    ['m', 'n'],
  );
  expect(standings.map(standingInWords)).toEqual(['rehearsal partly r1', 'live r2']);
  expect(missingInWords(standings)).toBe('In rehearsal nothing is connected for n.');
});

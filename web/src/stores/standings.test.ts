import type { RolloutEntry, Target } from '../api.ts';
import { standingInWords, standingsOf } from './standings.ts';

const target = (environment: string, broker: string, id: number) => ({ id, environment, broker }) as Target;
const rollout = (environment: string, broker: string, revision: number, state = 'applied') =>
  ({ environment, broker, revision, state }) as RolloutEntry;
const TARGETS = [target('rehearsal', 'm', 1), target('live', 'm', 2), target('live', 'n', 3)];
const say = (...rollouts: RolloutEntry[]) => standingsOf(TARGETS, rollouts).map(standingInWords);

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

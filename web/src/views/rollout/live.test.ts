import type { Rollout, RolloutNews, StepLine } from '../../api.ts';
import { listen, withNews } from './live.ts';

const step = (position: number, state: StepLine['state']): StepLine => ({
  position,
  title: `step ${position}`,
  risk: 'none',
  destroys: null,
  inverse: null,
  state,
  error: null,
  said: null,
});
const rollout = {
  id: 7,
  change: 3,
  state: 'applying',
  count: { all: 3, done: 0 },
  steps: [0, 1, 2].map((i) => step(i, 'pending')),
  probes: [],
} as unknown as Rollout;
const news = (change: number, steps: StepLine[], more: object = {}) =>
  ({
    rollout: { id: 7, change, state: 'applying', ...more },
    count: { all: 3, done: 1 },
    steps,
  }) as unknown as RolloutNews;

test('news change the steps they tell of, and no other', () => {
  const next = withNews(rollout, news(4, [step(1, 'done')]));
  expect(next.steps.map(({ state }) => state)).toEqual(['pending', 'done', 'pending']);
  expect(next.steps[0]).toBe(rollout.steps[0]);
  expect(next).toMatchObject({ change: 4, count: { all: 3, done: 1 }, probes: [] });
});

test('news that are older, or of another rollout, change nothing', () => {
  expect(withNews(rollout, news(2, [step(1, 'done')]))).toBe(rollout);
  expect(withNews(rollout, { ...news(9, []), rollout: { id: 8, change: 9 } } as never)).toBe(rollout);
});

test('steps that were added come behind, where all before are known', () => {
  expect(withNews(rollout, news(4, [step(3, 'pending')])).steps).toHaveLength(4);
  const part = { ...rollout, count: { all: 3000, done: 0 } };
  expect(withNews(part, news(4, [step(2999, 'done')])).steps).toHaveLength(3);
});

test('listening goes on from the last change heard when the server refused for a while', () => {
  jest.useFakeTimers();
  const opened: {
    url: string;
    onmessage?: (event: { data: string }) => void;
    onerror?: () => void;
    readyState: number;
    over?: () => void;
  }[] = [];
  class Source {
    static readonly CLOSED = 2;
    readyState = 1;
    over?: () => void;
    constructor(readonly url: string) {
      opened.push(this);
    }
    addEventListener(_: string, heard: () => void) {
      this.over = heard;
    }
    close() {
      this.readyState = 2;
    }
  }
  (globalThis as { EventSource?: unknown }).EventSource = Source;
  const heard: number[] = [];
  const over = jest.fn();
  const end = listen('quay', 7, 3, { news: ({ rollout: { change } }) => void heard.push(change), over });
  opened[0]!.onmessage!({ data: JSON.stringify(news(5, [])) });
  opened[0]!.readyState = 2;
  opened[0]!.onerror!();
  jest.advanceTimersByTime(2000);
  expect(opened.map(({ url }) => url.replace(/.*after=/, ''))).toEqual(['3', '5']);
  opened[1]!.over!();
  expect(over).toHaveBeenCalledTimes(1);
  end();
  expect(heard).toEqual([5]);
  jest.useRealTimers();
});

import { EventEmitter } from 'node:events';
import { keepUp } from './keep-up.mjs';

/** A process that ends when it is told to. */
class Child extends EventEmitter {
  exitCode: number | null = null;
  signalCode: string | null = null;
  end() {
    this.exitCode = 1;
    this.emit('exit', 1);
  }
}

test('what ends by itself is started again, after longer and longer; what ran a while begins anew', async () => {
  const waits: number[] = [];
  let time = 0;
  let started = 0;
  let ending = false;
  const ran = [0, 10, 10, 10, 100_000, 10, 10];
  const next = () => {
    const child = new Child();
    const for_ = ran[started++];
    if (for_ === undefined) {
      ending = true;
    }
    queueMicrotask(() => {
      time += for_ ?? 0;
      child.end();
    });
    return child;
  };
  await keepUp({
    server: next(),
    again: next,
    ending: () => ending,
    tell: (wait: number) => void waits.push(wait),
    pause: async () => {},
    now: () => time,
  });
  expect(waits).toEqual([1000, 2000, 4000, 8000, 1000, 2000, 4000]);
});

test('what is meant to end is not started again', async () => {
  const child = new Child();
  const again = jest.fn();
  const over = keepUp({ server: child, again, ending: () => true, tell: jest.fn() });
  child.end();
  await over;
  expect(again).not.toHaveBeenCalled();
});

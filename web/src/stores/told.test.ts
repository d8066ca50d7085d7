import { createPinia, setActivePinia } from 'pinia';
import { effectScope, nextTick, ref } from 'vue';
import { useTold } from './told.ts';
import { useWorkspace } from './workspace.ts';

jest.mock('../workers/client.ts', () => ({ core: {} }));
jest.mock('../router.ts', () => ({}));

const settle = async () => {
  for (let i = 0; i < 20; i++) await Promise.resolve();
  await nextTick();
};

/** Tells one piece each time it is asked, and waits to be let go on. */
function inPieces(of: number) {
  let told = 0;
  const waiting: (() => void)[] = [];
  const ask = jest.fn(
    () =>
      new Promise<{ told: number; of: number }>((done) =>
        waiting.push(() => done({ told: (told = Math.min(of, told + 1)), of })),
      ),
  );
  return {
    ask,
    async next() {
      await settle();
      waiting.shift()?.();
      await settle();
    },
    waits: () => waiting.length,
  };
}

let scope: ReturnType<typeof effectScope>;
beforeEach(() => {
  setActivePinia(createPinia());
  scope = effectScope();
});
afterEach(() => scope.stop());
const using = <T extends { told: number; of: number }>(...args: Parameters<typeof useTold<T>>) =>
  scope.run(() => useTold<T>(...args))!;

test('it goes on until all is told', async () => {
  const pieces = inPieces(3);
  const { so, running } = using(pieces.ask);
  expect(running.value).toBe(true);
  for (let i = 1; i <= 3; i++) {
    await pieces.next();
    expect(so.value).toEqual({ told: i, of: 3 });
  }
  expect([pieces.waits(), running.value]).toEqual([0, false]);
});

test('it stops when it is told to, and goes on from there', async () => {
  const pieces = inPieces(3);
  const { so, stop, goOn, stopped, running } = using(pieces.ask);
  await pieces.next();
  stop();
  await pieces.next();
  expect([so.value!.told, pieces.waits(), stopped.value, running.value]).toEqual([2, 0, true, false]);
  void goOn();
  await pieces.next();
  expect([so.value!.told, stopped.value]).toEqual([3, false]);
});

test('when the topology changes it is told again, and an answer to what was before is not shown', async () => {
  const pieces = inPieces(100);
  const { so } = using(pieces.ask);
  await pieces.next();
  const workspace = useWorkspace();
  workspace.analysis = { ...workspace.analysis };
  await settle();
  // the question before the change and the one after it
  expect(pieces.waits()).toBe(2);
  const before = so.value;
  await pieces.next();
  expect(so.value).toBe(before);
  await pieces.next();
  expect(so.value!.told).toBeGreaterThan(before!.told);
});

test('it waits until there is something to tell, and says what went wrong', async () => {
  const ready = ref(false);
  const ask = jest.fn(async () => {
    throw new Error('no room');
  });
  const { stopped } = using(ask, () => ready.value);
  await settle();
  expect(ask).not.toHaveBeenCalled();
  ready.value = true;
  await settle();
  expect(ask).toHaveBeenCalledTimes(1);
  expect([stopped.value, useWorkspace().trouble]).toEqual([
    true,
    'All messages could not be followed: no room',
  ]);
});

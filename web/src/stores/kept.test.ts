import { forget, isSaved, keep, readKept, sendingOf } from './kept.ts';

const storage = new Map<string, string>();
let full = false;
const written: string[] = [];

beforeEach(() => {
  storage.clear();
  written.length = 0;
  full = false;
  Object.defineProperty(globalThis, 'localStorage', {
    configurable: true,
    value: new Proxy(
      {
        getItem: (key: string) => storage.get(key) ?? null,
        setItem: (key: string, value: string) => {
          if (full) throw new Error('full');
          written.push(key);
          storage.set(key, value);
        },
        removeItem: (key: string) => storage.delete(key),
      },
      {
        ownKeys: () => [...storage.keys()],
        getOwnPropertyDescriptor: () => ({ enumerable: true, configurable: true }),
      },
    ),
  });
});

const a = { name: 'a.yaml', text: '# a\n' };
const b = { name: 'b.yaml', text: '# b\n' };
const changed = { name: 'b.yaml', text: '# changed\n' };

test('only what is not as the server has it is written, and all of it is read back', () => {
  keep('one', { version: 3, documents: [a, changed] }, new Set([a, b]));
  expect(written).toEqual(['vondle draft one/b.yaml', 'vondle draft one']);
  expect(readKept('one', [a, b])).toEqual({ version: 3, documents: [a, changed] });
  keep('one', { version: 3, documents: [a, changed] }, new Set([a, b]));
  expect(written.filter((key) => key.endsWith('b.yaml'))).toHaveLength(1);
});

test('documents made and removed are kept too, and where the server is not known, all are', () => {
  keep('two', { version: 1, documents: [changed] }, new Set([a, b]));
  expect(readKept('two', [a, b])?.documents).toEqual([changed]);
  keep('three', { version: 1, documents: [a, b] }, undefined);
  expect(readKept('three', [])?.documents).toEqual([a, b]);
});

test('what was saved is not put back, and leaves nothing behind at the next visit', () => {
  keep('four', { version: 1, documents: [changed] }, new Set([b]));
  forget('four');
  expect(readKept('four', [b])).toBeUndefined();
  expect([...storage.keys()]).toEqual([]);
});

test('a full storage keeps nothing rather than half', () => {
  keep('five', { version: 1, documents: [changed] }, new Set([b]));
  full = true;
  keep('five', { version: 1, documents: [{ ...changed, text: '# more\n' }] }, new Set([b]));
  full = false;
  expect(readKept('five', [b])).toBeUndefined();
});

test('a save on its way is told again from its names and texts', () => {
  const sending = sendingOf([a, changed], [changed]);
  keep('six', { version: 3, documents: [a, b], sending }, new Set([a]));
  expect(readKept('six', [a])).toEqual({ version: 3, documents: [a, b], sending });
  expect(isSaved(sending, [a, changed])).toBe(true);
  expect(isSaved(sending, [a, b])).toBe(false);
  expect(isSaved(sending, [changed, a])).toBe(false);
  expect(isSaved(sending, [a])).toBe(false);
});

import { givenOf, signOf } from './given.ts';

const none = new Set<string>();
const list = (text: string) => [...text];

test('the last of ours that waits says how many were given', () => {
  expect(givenOf(list('abc'), list('cdef'), new Set('ab'))).toBe(1);
  expect(givenOf(list('abcd'), list('abcdef'), none)).toBe(4);
  // takers have taken the oldest
  expect(givenOf(list('d'), list('abcdef'), none)).toBe(4);
  expect(givenOf(list('abcdef'), list('abcdef'), none)).toBe(6);
});

test('where it cannot be told none counts: rather twice than never', () => {
  // all were taken, or none came
  expect(givenOf([], list('abc'), none)).toBe(0);
  // none of them came
  expect(givenOf(list('xy'), list('abc'), new Set('xy'))).toBe(0);
  // another says the same
  expect(givenOf(list('ab'), list('abcb'), none)).toBe(0);
  expect(givenOf(list('xa'), list('abc'), new Set('xa'))).toBe(0);
  // their order is another: somebody put them back
  expect(givenOf(list('acb'), list('abcd'), none)).toBe(0);
});

test('messages that say the same have one sign, and others another', () => {
  const message = (key: string, content: string, properties: object = {}) =>
    ({ fields: { routingKey: key }, content: Buffer.from(content), properties }) as never;
  const one = signOf(message('k', 'text', { headers: { a: 1 }, messageId: '1' }));
  expect(signOf(message('k', 'text', { headers: { a: 1 }, messageId: '1' }))).toBe(one);
  for (const other of [
    message('l', 'text', { headers: { a: 1 }, messageId: '1' }),
    message('k', 'texts', { headers: { a: 1 }, messageId: '1' }),
    message('k', 'text', { headers: { a: 2 }, messageId: '1' }),
    message('k', 'text', { headers: { a: 1 }, messageId: '2' }),
  ])
    expect(signOf(other)).not.toBe(one);
  expect(signOf(message('k', '', { headers: {} }))).toBe(signOf(message('k', '')));
});

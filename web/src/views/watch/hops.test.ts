import type { Passed } from '../../api.ts';
import { bodyOf, hopRows, messageOf } from './hops.ts';

const copy = (place: string, seconds: number, more: Partial<Passed> = {}): Passed => ({
  id: seconds,
  place,
  at: new Date(1_000_000 + seconds * 1000).toISOString(),
  same: 'id 1',
  key: 'a.b',
  messageId: '1',
  correlationId: null,
  who: null,
  type: 'note',
  died: null,
  size: 3,
  headers: null,
  body: null,
  hidden: false,
  until: new Date(2_000_000).toISOString(),
  ...more,
});

test('places come as they were passed, beside what the trace says; where it was not seen is last', () => {
  const rows = hopRows(
    [copy('queue:m/b', 3), copy('exchange:m/a', 1), copy('queue:m/b', 2)],
    ['exchange:m/a', 'queue:m/b', 'queue:m/c', 'queue:m/d'],
    { 'exchange:m/a': 1, 'queue:m/c': 2 },
  );
  expect(rows.map(({ place, seen, predicted, after }) => [place, seen.length, predicted, after])).toEqual([
    ['exchange:m/a', 1, true, 0],
    ['queue:m/b', 2, false, 1000],
    ['queue:m/c', 0, true, undefined],
  ]);
});

test('what was not traced is told as it was seen', () => {
  expect(hopRows([copy('queue:m/b', 1)], ['queue:m/c'], undefined)).toMatchObject([
    { place: 'queue:m/b', predicted: undefined },
  ]);
});

test('a message is put together of what its copies tell', () => {
  expect(
    messageOf([
      copy('a', 1, { key: '' }),
      copy('b', 2, { headers: { place: 'north' }, body: '{"x":1}', correlationId: 'c' }),
    ]),
  ).toEqual({
    type: 'note',
    key: 'a.b',
    headers: { place: 'north' },
    properties: { correlationId: 'c' },
    body: { x: 1 },
  });
  expect(messageOf([copy('a', 1, { type: null })])).toBeUndefined();
  expect(messageOf([copy('a', 1)])!.properties).toEqual({});
  expect([bodyOf('{"a":'), bodyOf('3')]).toEqual(['{"a":', 3]);
});

import type { LookSeen } from '../../api.ts';
import { countsById, flowsOn, inFewWords, widthOf } from './in-picture.ts';

const store = (id: string | null, more: object) => ({
  broker: 'm',
  name: 'x',
  id,
  waiting: 0,
  inHand: 0,
  delayed: 0,
  takers: [],
  comes: null,
  goes: null,
  oldestAt: null,
  node: null,
  ...more,
});
const look = (more: object): LookSeen =>
  ({
    at: '',
    brokers: [],
    stores: [],
    entries: [],
    links: [],
    said: [],
    more: 0,
    drift: null,
    ...more,
  }) as LookSeen;

test('the queues of instances count together; what nothing declares is not drawn', () => {
  const counts = countsById(
    look({
      stores: [
        store('queue:m/own', { waiting: 3, delayed: 1, comes: 2 }),
        store('queue:m/own', { inHand: 4, comes: 0.5, goes: 1 }),
        store(null, { waiting: 9 }),
      ],
      entries: [{ broker: 'm', name: 'in', id: 'exchange:m/in', comes: 7, goes: 7 }],
      said: [
        { kind: 'grows', about: 'queue:m/own' },
        { kind: 'stalls', about: 'queue:m/own' },
        { kind: 'grows', about: 'queue:m/own' },
      ],
    }),
  );
  expect([...counts.keys()]).toEqual(['queue:m/own', 'exchange:m/in']);
  expect(counts.get('queue:m/own')).toEqual({
    waiting: 4,
    inHand: 4,
    takers: 0,
    comes: 2.5,
    goes: 1,
    tone: 'error',
  });
  expect([...counts.values()].map(inFewWords)).toEqual(['4 wait · 4 in hand · 2.5/s', '7.0/s']);
});

test('nothing is said where nothing is', () => {
  expect(inFewWords({ waiting: 0, inHand: 0, takers: 2, comes: 0.01, goes: 0, tone: '' })).toBe('');
  expect(inFewWords({ waiting: 1200, inHand: 0, takers: 2, comes: 1234, goes: 0, tone: '' })).toBe(
    '1,200 wait · 1,234/s',
  );
});

test('flow is drawn only on lines of which it is known', () => {
  const edge = (id: string, from: string, to: string, kind = 'binding') => ({ id, from, to, kind });
  const counted = { waiting: 0, inHand: 0, takers: 1, comes: 5, goes: 3, tone: '' as const };
  const flows = flowsOn(
    [
      edge('a', 'e', 'one'),
      edge('b', 'e', 'two'),
      edge('c', 'f', 'two'),
      edge('t', 'one', 'app', 'take'),
      edge('d', 'one', 'dead', 'deadLetter'),
    ],
    new Map([
      ['one', counted],
      ['two', counted],
    ]),
  );
  expect([...flows]).toEqual([
    ['a', 5],
    ['t', 3],
  ]);
  expect([widthOf(0), widthOf(9), widthOf(1e9)]).toEqual([1.5, 3, 6]);
});

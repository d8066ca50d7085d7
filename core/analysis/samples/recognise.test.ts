import { message } from '../../conditions/message.ts';
import { readTopology } from '../../topology/read.ts';
import { recognise } from './recognise.ts';

const { messages } = readTopology([
  {
    name: 'a.yaml',
    text: `
labels: { personal: { guarded: true } }
messages:
  note: {}
  fare: { key: "fare.{route}", headers: { route: { enum: [north, south] }, count: { type: integer } }, required: [route], labels: [personal] }
  late: { headers: { minutes: { type: integer, minimum: 1 } }, required: [minutes], body: { type: object, required: [why] } }
`,
  },
]);
const types = [...messages.values()];
const of = (parts: Parameters<typeof message>[0]) => recognise(types, message(parts));

test('the most particular type that a message is of comes first', () => {
  expect(of({ key: 'fare.north', headers: { route: 'north' } })).toEqual([
    { type: 'fare', remarks: [], labels: ['personal'] },
    { type: 'note', remarks: [], labels: [] },
  ]);
  expect(of({ key: 'anything' }).map(({ type }) => type)).toEqual(['note']);
});

test('where it is of none, the nearest are told with what keeps it from them', () => {
  const asking = types.filter(({ id }) => id !== 'note');
  const found = recognise(asking, message({ key: 'fare.west', headers: { route: 'west' } }));
  expect(found[0]).toEqual({
    type: 'fare',
    remarks: [expect.stringMatching(/`route` is "west"/)],
    labels: ['personal'],
  });
  expect(found[1]!.remarks).toEqual(['`minutes` is missing, which every late has']);
  // a body counts
  expect(recognise(asking, message({ headers: { minutes: 4 }, body: {} }))[0]).toMatchObject({
    type: 'late',
    remarks: [expect.stringMatching(/^the body: /)],
  });
});

test('what may be where it was found is nearer', () => {
  const asking = types.filter(({ id }) => id !== 'note');
  expect(recognise(asking, message({ key: 'x' }), new Set(['late']))[0]!.type).toBe('late');
  expect(recognise([], message({ key: 'x' }))).toEqual([]);
});

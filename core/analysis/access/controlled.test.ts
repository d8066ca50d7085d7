import { applyEdits } from '../../base/edits.ts';
import { readTopology } from '../../topology/read.ts';
import { review } from '../checks/review.ts';
import { ifControlled, isOpen } from './controlled.ts';

const text = `messages: { note: {} }
apps:
  desk: { publishes: [{ message: note, to: m/in }] }
  log: { consumes: [{ from: m/q }] }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: fanout } }
    queues: { q: {} }
    bindings: [{ from: in, to: q }]
access:
  - { allow: [consume], who: app:log, on: m/q }
`;
const read = (of: string) => readTopology([{ name: 'a.yaml', text: of }]);

test('an open broker says what it would need if it were controlled, and what it has already', () => {
  const topology = read(text);
  expect(isOpen(topology, 'm')).toBe(true);
  const { missing, edited } = ifControlled(topology, 'm');
  expect(missing).toEqual(['desk publishes to m/in']);
  if (!edited.ok) throw new Error(edited.message);
  const after = read(applyEdits(topology.documents, edited.edits)[0]!.text);
  expect(isOpen(after, 'm')).toBe(false);
  expect(review(after).findings.filter(({ check }) => check.startsWith('access/'))).toEqual([]);
});

test('one that has all it needs is only controlled; one that is not there is refused', () => {
  const { missing, edited } = ifControlled(
    read(
      text.replace('who: app:log, on: m/q', 'who: any, on: m/*').replace('[consume]', '[consume, publish]'),
    ),
    'm',
  );
  expect(missing).toEqual([]);
  expect(edited).toMatchObject({ ok: true, edits: [{ text: 'controlled' }] });
  expect(isOpen(read(text), 'elsewhere')).toBe(false);
});

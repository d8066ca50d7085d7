import { symbolAt, usesOf } from './symbols.ts';
import { thing } from '../language/thing.ts';
import { type Place, writtenAt } from '../syntax/place.ts';
import { declarationOf } from '../topology/declarations.ts';
import { readTopology } from '../topology/read.ts';

const TEXT = `messages: { sailing: {} }
apps:
  console: { publishes: [ { message: sailing, to: m/e } ] }
  board: { consumes: [ { from: m/boards } ] }
brokers:
  m:
    kind: amqp
    exchanges: { e: { type: fanout } }
    queues: { boards: {}, boards-2: { deadLetter: { to: boards } } }
    bindings: [ { from: e, to: boards } ]
access:
  - { allow: [consume], who: app:board, on: m/boards }
`;
const topology = readTopology([{ name: 'a.yaml', text: TEXT }]);
const textAt = (place: Place) => writtenAt(topology, place);
const at = (words: string, into = 0) => symbolAt(topology, 'a.yaml', TEXT.indexOf(words) + into);

test('a name stands for a thing, where it is declared and where it is used', () => {
  expect(at('boards: {}')).toMatchObject({ thing: { id: 'queue:m/boards' }, declares: true });
  expect(at('m/boards', 3)).toMatchObject({ thing: { id: 'queue:m/boards' }, declares: false });
  expect(at('to: boards }', 5)).toMatchObject({ thing: { id: 'queue:m/boards' } });
  expect(at('sailing, to', 2)).toMatchObject({ thing: { id: 'message:sailing' } });
  expect(at('app:board', 5)).toMatchObject({ thing: { id: 'app:board' } });
  expect(at('kind: amqp')).toBeUndefined();
  expect(symbolAt(topology, 'b.yaml', 3)).toBeUndefined();
});

test('from a thing to its declaration and its uses', () => {
  const boards = thing('queue', 'boards', 'm');
  expect(textAt(declarationOf(topology, boards)!)).toBe('boards');
  expect(usesOf(topology, boards).map(textAt)).toEqual(['m/boards', 'boards', 'boards', 'm/boards']);
  expect(usesOf(topology, thing('app', 'board')).map(textAt)).toEqual(['app:board']);
  expect(declarationOf(topology, thing('queue', 'none', 'm'))).toBeUndefined();
});

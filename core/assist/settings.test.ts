import { changeSetting, settingsOf } from './settings.ts';
import { applyEdits } from '../base/edits.ts';
import { thing } from '../language/thing.ts';
import { readTopology } from '../topology/read.ts';

const TEXT = `parameters: { wait: { default: 5m } }
brokers:
  m: # the core
    kind: amqp
    queues:
      boards: { ttl: "\${wait}", deadLetter: { to: desk } } # six
      desk:
        durable: false # for now
    exchanges: { e: { type: topic } }
apps:
  board: { instances: 2 }
`;
const topology = readTopology([{ name: 'a.yaml', text: TEXT }]);
const boards = thing('queue', 'boards', 'm');
const desk = thing('queue', 'desk', 'm');
const after = (of: typeof boards, name: string, written: string) => {
  const edited = changeSetting(topology, of, name, written);
  if (!edited.ok) throw new Error(edited.message);
  const documents = applyEdits(topology.documents, edited.edits);
  expect(
    readTopology(documents).findings.filter(({ check }) => check !== 'language/unknown-reference'),
  ).toEqual([]);
  return documents[0]!.text;
};

test('a thing’s settings, stated or not, as they are written', () => {
  const found = settingsOf(topology, boards);
  const stated = Object.fromEntries(
    found.flatMap(({ name, written }) => (written === undefined ? [] : [[name, written]])),
  );
  expect(stated).toEqual({ ttl: '${wait}', 'deadLetter.to': 'desk' });
  expect(found.find(({ name }) => name === 'ttl')!.from).toEqual(['wait']);
  expect(found.find(({ name }) => name === 'overflow')!.values).toEqual(['drop-oldest', 'refuse-new']);
  expect(found.find(({ name }) => name === 'perInstanceOf')!.names).toBe('an app');
  expect(settingsOf(topology, thing('queue', 'none', 'm'))).toEqual([]);
  expect(settingsOf(topology, thing('app', 'board')).map(({ name }) => name)).toEqual([
    'tenant',
    'home',
    'instances',
    'note',
  ]);
});

test('a change of a setting is a change of its words alone', () => {
  expect(after(boards, 'ttl', '10m')).toBe(TEXT.replace('${wait}', '10m'));
  expect(after(desk, 'durable', 'true')).toBe(TEXT.replace('durable: false', 'durable: true'));
  expect(after(desk, 'maxLength', '100')).toBe(
    TEXT.replace('# for now\n', '# for now\n        maxLength: 100\n'),
  );
  expect(after(boards, 'deadLetter.key', 'a.b')).toBe(TEXT.replace('{ to: desk }', '{ to: desk, key: a.b }'));
});

test('a setting taken away takes its map along when it was the last one', () => {
  expect(after(boards, 'deadLetter.to', '')).toBe(TEXT.replace(', deadLetter: { to: desk }', ''));
  expect(after(boards, 'ttl', ' ')).toBe(TEXT.replace('ttl: "${wait}", ', ''));
});

import { zipSync, strToU8 } from 'fflate';
import { readZip, writeZip } from './zip.ts';

test('what is written is read back', () => {
  const documents = [
    { name: 'apps.yaml', text: 'apps: {}\n' },
    { name: 'teams/Möwe.yaml', text: 'vondle: 1\n' },
  ];
  expect(readZip(writeZip(documents))).toEqual({ ok: true, documents });
});

test('a folder round everything goes, and other files stay out', () => {
  const zip = zipSync({
    'ferries/a.yaml': strToU8('a'),
    'ferries/b.json': strToU8('{}'),
    'ferries/read-me.txt': strToU8('x'),
    '__MACOSX/ferries/._a.yaml': strToU8('x'),
  });
  const read = readZip(zip);
  expect(read.ok && read.documents.map(({ name }) => name)).toEqual(['a.yaml', 'b.json']);
});

test('what is no zip, or holds nothing, says so', () => {
  expect(readZip(strToU8('no zip'))).toMatchObject({ ok: false });
  expect(readZip(zipSync({ 'x.txt': strToU8('x') }))).toMatchObject({ ok: false });
});

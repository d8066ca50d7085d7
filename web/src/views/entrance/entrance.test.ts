import { ago } from './ago.ts';
import { readFolder } from './folder.ts';

const NOW = Date.parse('2026-05-10T12:00:00Z');

test.each([
  ['2026-05-10T11:59:30Z', 'just now'],
  ['2026-05-10T12:03:00Z', 'just now'],
  ['2026-05-10T11:56:00Z', '4 minutes ago'],
  ['2026-05-10T09:00:00Z', '3 hours ago'],
  ['2026-05-09T11:00:00Z', 'yesterday'],
  ['2026-04-01T12:00:00Z', 'last month'],
  ['2024-04-01T12:00:00Z', '2 years ago'],
])('%s was %s', (when, words) => expect(ago(when, NOW)).toBe(words));

const file = (path: string, content: string | Uint8Array = 'vondle: 1\n') =>
  Object.assign(new Blob([content as BlobPart]), {
    name: path.slice(path.lastIndexOf('/') + 1),
    webkitRelativePath: path,
  });

test('a folder gives its documents by their paths in it, and leaves alone what is none', async () => {
  const files = [
    'line/b.yaml',
    'line/a/x.json',
    'line/readme.md',
    'line/.git/c.yaml',
    'line/node_modules/p/d.json',
  ];
  const read = await readFolder(files.map((path) => file(path)));
  expect(read).toEqual({
    name: 'line',
    documents: [
      { name: 'a/x.json', text: 'vondle: 1\n' },
      { name: 'b.yaml', text: 'vondle: 1\n' },
    ],
  });
});

test.each([
  [[file('line/readme.md')], 'no .yaml'],
  [[file('line/a.yaml', new Uint8Array([0xff, 0xfe, 0x00]))], 'no text in UTF-8'],
  [Array.from({ length: 1001 }, (_, i) => file(`line/${i}.yaml`)), 'at most 1000'],
  [[Object.defineProperty(file('line/a.yaml'), 'size', { value: 33 * 1024 * 1024 })], '32 MiB'],
])('what cannot be taken in is said', async (files, words) => {
  await expect(readFolder(files)).rejects.toThrow(words);
});

import { zipSync, strToU8 } from 'fflate';
import { readZip, writeZip } from './index.ts';

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

describe('a zip that means harm', () => {
  /** A zip of one file whose headers say another size. */
  function lying(size: number, said: number): Uint8Array {
    const bytes = writeZip([{ name: 'a.yaml', text: 'x'.repeat(size) }]);
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    for (let at = 0; at + 4 < bytes.byteLength; at++) {
      const mark = view.getUint32(at, true);
      if (mark === 0x04034b50) view.setUint32(at + 22, said, true);
      if (mark === 0x02014b50) view.setUint32(at + 24, said, true);
    }
    return bytes;
  }

  test.each([
    ['says less than there is', lying(100_000, 10), 'says less of a.yaml than there is'],
    ['says more than there is', lying(10, 100_000), 'says more of a.yaml than there is'],
    ['unfolds without end', lying(40 * 1024 * 1024, 40 * 1024 * 1024), 'larger than 32 MiB'],
    ['unfolds without end and denies it', lying(40 * 1024 * 1024, 100), 'larger than 32 MiB'],
    ['climbs', writeZip([{ name: '../../x.yaml', text: '' }]), 'leads elsewhere'],
    ['begins at the root', writeZip([{ name: '/etc/x.yaml', text: '' }]), 'leads elsewhere'],
    [
      'has a thousand documents and one',
      writeZip(Array.from({ length: 1001 }, (_, i) => ({ name: `${i}.yaml`, text: '' }))),
      'more than 1000',
    ],
  ])('that %s is refused', (_, bytes, says) => {
    expect(readZip(bytes)).toEqual({ ok: false, message: expect.stringContaining(says) });
  });

  test('that is cut off is no zip', () => {
    const bytes = writeZip([{ name: 'a.yaml', text: 'x'.repeat(1000) }]);
    expect(readZip(bytes.subarray(0, 45)).ok).toBe(false);
  });
});

import { spawnSync } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

let base: string;
beforeEach(() => (base = mkdtempSync(join(tmpdir(), 'vondle-places-'))));
afterEach(() => rmSync(base, { recursive: true, force: true }));

/** Calls a function of places.mjs in a process of its own. @returns '' or what it refused with */
function call(name: string, ...args: unknown[]): string {
  const script = `import(${JSON.stringify(`file://${join(__dirname, 'places.mjs')}`)}).then((m) => m[${JSON.stringify(name)}](...${JSON.stringify(args)})).catch((error) => { process.stdout.write(error.message); })`;
  return spawnSync(process.execPath, ['-e', script], { encoding: 'utf8' }).stdout;
}

describe('a folder where everybody may make folders', () => {
  test('is made for us alone to write in, and taken again', () => {
    const path = join(base, 'home');
    expect(call('sharedFolder', path)).toBe('');
    expect(lstatSync(path).mode & 0o777).toBe(0o755);
    expect(call('sharedFolder', path)).toBe('');
  });

  test('that somebody else prepared is refused', () => {
    const path = join(base, 'home');
    mkdirSync(path);
    chmodSync(path, 0o777);
    expect(call('sharedFolder', path)).toContain('can be written in by others');
    rmSync(path, { recursive: true });
    mkdirSync(join(base, 'elsewhere'));
    symlinkSync(join(base, 'elsewhere'), path);
    expect(call('sharedFolder', path)).toContain('is a link');
    rmSync(path);
    writeFileSync(path, '');
    expect(call('sharedFolder', path)).toContain('is no folder');
  });
});

test('no link is followed where a folder or file is made', () => {
  const victim = join(base, 'victim');
  mkdirSync(victim, { mode: 0o755 });
  symlinkSync(victim, join(base, 'data'));
  expect(call('ownFolder', join(base, 'data'))).toContain('is no folder, or a link');
  expect(lstatSync(victim).mode & 0o777).toBe(0o755);
  const kept = join(base, 'kept');
  writeFileSync(kept, 'theirs');
  symlinkSync(kept, join(base, 'state.json.new'));
  expect(call('writePrivate', join(base, 'state.json'), 'ours')).toBe('');
  expect(readFileSync(kept, 'utf8')).toBe('theirs');
  expect(readFileSync(join(base, 'state.json'), 'utf8')).toBe('ours');
  expect(lstatSync(join(base, 'state.json')).mode & 0o777).toBe(0o600);
  expect(existsSync(join(base, 'state.json.new'))).toBe(false);
});

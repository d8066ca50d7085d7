/** The tutorial, step by step as it is written: its texts are put into files, its commands run, and their answers must be those that stand there. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';

const ROOT = join(__dirname, '..');
const page = readFileSync(join(ROOT, 'docs/tutorial.md'), 'utf8');
const steps = [...page.matchAll(/^```(yaml|sh) ?(\S*)\n([^]*?)^```$/gm)].map(([, kind, name, text]) => ({
  kind: kind!,
  name: name!,
  text: text!,
}));

let folder: string;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'vondle-tutorial-'))));
afterAll(() => rmSync(folder, { recursive: true }));

/** Runs a line of a shell, where `npx vondle` is this checkout's command. */
function run(line: string): string {
  const vondle = `${process.execPath} ${join(ROOT, 'cli/bin/vondle.mjs')}`;
  const { stdout } = spawnSync('bash', ['-c', line.replaceAll('npx vondle', vondle)], {
    cwd: folder,
    encoding: 'utf8',
  });
  return stdout;
}

test('there is something in it to try', () => {
  expect(steps.filter(({ kind }) => kind === 'sh').length).toBeGreaterThan(5);
  expect(steps.filter(({ kind }) => kind === 'yaml').length).toBeGreaterThan(2);
});

test.each(steps.map((step, i) => [i + 1, step] as const))('step %i answers as it is written', (_, step) => {
  if (step.kind === 'yaml') {
    const path = join(folder, step.name);
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, step.text);
    return;
  }
  const parts = step.text.split(/^\$ /m).slice(1);
  for (const part of parts) {
    const [line, ...answer] = part.split('\n');
    expect([line, run(line!)]).toEqual([line, answer.join('\n')]);
  }
});

/** `vondle new`: begins a topology from an example, in a folder of its own. */
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { CouldNotRun, ROOT } from './files.ts';

interface Example {
  readonly id: string;
  readonly title: string;
  readonly words: string;
  readonly files: readonly string[];
}

/** What there is to begin with, and what it is called. */
export function examples(): Example[] {
  const folder = join(ROOT, 'examples');
  return readdirSync(folder)
    .sort()
    .map((id) => {
      const { title, words } = JSON.parse(readFileSync(join(folder, id, 'guide.json'), 'utf8')) as Example;
      // the largest is kept with its history
      const from = id === 'auklet-ferries' ? join(ROOT, 'demo/draft') : join(folder, id);
      const files = readdirSync(from)
        .filter((name) => /\.ya?ml$/.test(name))
        .map((name) => join(from, name));
      return { id, title, words, files };
    });
}

const EMPTY = `# A topology: what travels, who sends and takes it, and the brokers between.
# \`npx vondle check\` says what is wrong with it; docs/tutorial.md begins here.

vondle: 1
topology: NAME
`;

/** Writes an example's documents, or with no example lists them; nothing that is there already is written over. */
export function begin(example: string | undefined, folder: string | undefined): void {
  const all = examples();
  if (example === undefined) {
    const lines = all.map(({ id, title }) => `  ${id.padEnd(18)} ${title}`);
    process.stdout.write(`  ${'empty'.padEnd(18)} Nothing but a beginning\n${lines.join('\n')}\n`);
    return;
  }
  const chosen = all.find(({ id }) => id === example);
  if (!chosen && example !== 'empty')
    throw new CouldNotRun(
      `there is no example ${example}; there are empty, ${all.map(({ id }) => id).join(', ')}`,
    );
  const into = folder ?? example;
  const made: { readonly path: string; readonly text: string }[] = chosen
    ? chosen.files.map((file) => ({
        path: join(into, file.slice(file.lastIndexOf('/') + 1)),
        text: readFileSync(file, 'utf8'),
      }))
    : [{ path: join(into, 'topology.yaml'), text: EMPTY.replace('NAME', idOf(into)) }];
  const there = made.find(({ path }) => existsSync(path));
  if (there) throw new CouldNotRun(`${there.path} is there already, and is not written over`);
  try {
    mkdirSync(into, { recursive: true });
    for (const { path, text } of made) writeFileSync(path, text, { flag: 'wx' });
  } catch (error) {
    throw new CouldNotRun(`cannot write ${into}: ${(error as Error).message}`);
  }
  process.stdout.write(`${made.map(({ path }) => path).join('\n')}\n`);
  process.stderr.write(`next: npx vondle check ${into}\n      npx vondle serve ${into}\n`);
}

const idOf = (folder: string): string =>
  folder
    .slice(folder.lastIndexOf('/') + 1)
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '') || 'topology';

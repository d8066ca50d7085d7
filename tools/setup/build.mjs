/** Builds server and interface, when their sources are not those of the last build. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { ROOT } from './places.mjs';
import { run, say } from './say.mjs';

function* filesBelow(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist' || entry.name.endsWith('.test.ts')) continue;
    const path = join(folder, entry.name);
    if (entry.isDirectory()) yield* filesBelow(path);
    else yield path;
  }
}

function fingerprint(...folders) {
  const hash = createHash('sha256').update(readFileSync(join(ROOT, 'package-lock.json')));
  for (const folder of folders) {
    for (const path of filesBelow(join(ROOT, folder)))
      hash.update(path.slice(ROOT.length)).update(readFileSync(path));
  }
  return hash.digest('hex');
}

async function unlessBuilt(what, output, folders, build) {
  const stamp = join(ROOT, output, '.built');
  const wanted = fingerprint(...folders);
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return;
  say(`building ${what} …`);
  await build();
  mkdirSync(dirname(stamp), { recursive: true });
  writeFileSync(stamp, wanted);
}

/** Bundles programs for Node, each file of its own; what npm installs stays outside. */
async function bundle(folder, entryPoints) {
  const esbuild = await import('esbuild');
  await esbuild.build({
    entryPoints: Object.fromEntries(
      Object.entries(entryPoints).map(([name, file]) => [name, join(ROOT, folder, file)]),
    ),
    outdir: join(ROOT, folder, 'dist'),
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    packages: 'external',
    alias: { '@vondle/core': join(ROOT, 'core'), '@vondle/api': join(ROOT, 'api') },
    sourcemap: true,
    logLevel: 'warning',
  });
}

/** Builds the server where it is out of date. */
export function buildServer() {
  return unlessBuilt('the server', 'server/dist', ['core', 'api', 'server'], () =>
    bundle('server', {
      main: 'main.ts',
      thread: 'work/thread.ts',
      rotate: 'rotate.ts',
      forward: 'links/forward.ts',
      apps: 'demo/apps-process.ts',
      local: 'local/main.ts',
    }),
  );
}

/** Builds the stand-in where it is out of date. */
export function buildStandin() {
  return unlessBuilt('the stand-in', 'standin/dist', ['core', 'api', 'standin'], () =>
    bundle('standin', { main: 'main.ts' }),
  );
}

/** Builds what is out of date. */
export async function build() {
  await buildServer();
  await buildStandin();
  await unlessBuilt('the interface', 'web/dist', ['core', 'api', 'web', 'examples', 'demo'], async () => {
    const vite = await import('vite');
    await vite.build({ root: join(ROOT, 'web'), logLevel: 'warn' });
  });
}

// as a process of its own: what building takes of memory ends with it
if (process.argv[1] === fileURLToPath(import.meta.url)) await run(build);

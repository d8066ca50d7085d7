#!/usr/bin/env node
/** Runs the command from its bundle, making the bundle first where there is none or a source is newer. */
import { existsSync, readdirSync, realpathSync, renameSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const cli = resolve(dirname(realpathSync(fileURLToPath(import.meta.url))), '..');
const root = resolve(cli, '..');
const bundle = join(cli, 'dist/vondle.mjs');

function newest(folder) {
  let latest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist') continue;
    const path = join(folder, entry.name);
    if (entry.isDirectory()) latest = Math.max(latest, newest(path));
    else if (entry.name.endsWith('.ts') && !entry.name.endsWith('.test.ts'))
      latest = Math.max(latest, statSync(path).mtimeMs);
  }
  return latest;
}

if (!existsSync(bundle) || statSync(bundle).mtimeMs < Math.max(newest(join(root, 'core')), newest(cli))) {
  const { build } = await import('esbuild');
  // made aside and moved, so that two commands at once never run half a bundle
  const draft = join(cli, `dist/vondle.${process.pid}.mjs`);
  await build({
    entryPoints: [join(cli, 'main.ts')],
    outfile: draft,
    bundle: true,
    minify: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    alias: { '@vondle/core': join(root, 'core') },
    banner: {
      js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);",
    },
    logLevel: 'error',
  });
  renameSync(draft, bundle);
}
await import(pathToFileURL(bundle).href);

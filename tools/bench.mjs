/** Bundles the benchmarks and runs them. */
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { build } from 'esbuild';
import { buildServer } from './setup/build.mjs';
import { homeFor, ROOT } from './setup/places.mjs';

// what is measured is what stands here now
await buildServer();
const outfile = join(homeFor('bench'), 'bench.mjs');
await build({
  entryPoints: [join(ROOT, 'bench/main.ts')],
  outfile,
  bundle: true,
  platform: 'node',
  format: 'esm',
  external: ['autocannon', 'pg'],
  alias: { '@vondle/core': join(ROOT, 'core'), '@vondle/api': join(ROOT, 'api') },
  banner: {
    js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);",
  },
});
process.exit(
  spawnSync(process.execPath, ['--expose-gc', outfile, ...process.argv.slice(2)], {
    stdio: 'inherit',
    cwd: ROOT,
  }).status ?? 1,
);

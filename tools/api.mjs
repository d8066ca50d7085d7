/** Writes the page of all routes, docs/api.md. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { build } from 'esbuild';
import { ROOT } from './setup/places.mjs';

const { outputFiles } = await build({
  entryPoints: [join(ROOT, 'api/reference.ts')],
  bundle: true,
  write: false,
  format: 'esm',
  platform: 'node',
});
const { apiReference } = await import(
  `data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString('base64')}`
);
writeFileSync(join(ROOT, 'docs/api.md'), apiReference());

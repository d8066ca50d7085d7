/** Writes the published JSON Schema of the language to docs/schema. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { build } from 'esbuild';
import { ROOT } from './setup/places.mjs';

const { outputFiles } = await build({
  entryPoints: [join(ROOT, 'core/topology/schema.ts')],
  bundle: true,
  write: false,
  format: 'esm',
  platform: 'neutral',
});
const { languageSchema } = await import(
  `data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString('base64')}`
);
writeFileSync(join(ROOT, 'docs/schema/topology-1.json'), `${JSON.stringify(languageSchema(), null, 2)}\n`);

/** Writes the page of all checks, docs/checks.md. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { build } from 'esbuild';
import { ROOT } from './setup/places.mjs';

const { outputFiles } = await build({
  entryPoints: [join(ROOT, 'core/analysis/checks/reference.ts')],
  bundle: true,
  write: false,
  format: 'esm',
  platform: 'node',
  banner: { js: "import { createRequire } from 'node:module'; const require = createRequire('file:///');" },
});
const { checksReference } = await import(
  `data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString('base64')}`
);
writeFileSync(join(ROOT, 'docs/checks.md'), checksReference());

/** Writes what is published of the language's own description: its JSON Schema, the tables of docs/language.md, and docs/glossary.md. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { build } from 'esbuild';
import { ROOT } from './setup/places.mjs';

async function load(entry) {
  const { outputFiles } = await build({
    entryPoints: [join(ROOT, entry)],
    bundle: true,
    write: false,
    format: 'esm',
    platform: 'neutral',
  });
  return import(`data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString('base64')}`);
}

const { languageSchema } = await load('core/topology/schema.ts');
writeFileSync(join(ROOT, 'docs/schema/topology-1.json'), `${JSON.stringify(languageSchema(), null, 2)}\n`);

const { withSettings } = await load('core/topology/reference.ts');
const page = join(ROOT, 'docs/language.md');
writeFileSync(page, withSettings(readFileSync(page, 'utf8')));

const { glossaryPage } = await load('core/assist/glossary.ts');
writeFileSync(join(ROOT, 'docs/glossary.md'), glossaryPage());

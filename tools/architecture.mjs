/** Draws core's layers and what they import of each other, from the code: docs/architecture.svg. */
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { importsIn, LAYERS } from './lint/layers.mjs';
import { ROOT } from './setup/places.mjs';

const CORE = join(ROOT, 'core');

function* sourcesIn(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory() && entry.name !== 'node_modules') yield* sourcesIn(path);
    else if (entry.name.endsWith('.ts') && !entry.name.endsWith('.test.ts') && entry.name !== 'index.ts')
      yield path;
  }
}

/** @returns of each layer how many files and lines it has, and how many files of each other it imports */
export function layersNow() {
  const found = new Map(LAYERS.map((name) => [name, { files: 0, lines: 0, uses: new Map() }]));
  for (const path of sourcesIn(CORE)) {
    const own = relative(CORE, path).split(sep)[0];
    const layer = found.get(own);
    if (!layer) continue;
    const text = readFileSync(path, 'utf8');
    layer.files++;
    layer.lines += text.split('\n').length - 1;
    for (const target of importsIn(path, text)) {
      const other = relative(CORE, target).split(sep)[0];
      if (other !== own) layer.uses.set(other, (layer.uses.get(other) ?? 0) + 1);
    }
  }
  return found;
}

const WIDTH = 540;
const ROW = 40;
const BOX = { x: 230, width: 190, height: 28 };

/** @returns the picture: lowest layer at the bottom, a line from each to every one it imports, thicker for more */
export function architectureSvg() {
  const layers = layersNow();
  const names = [...LAYERS].reverse();
  const y = (name) => 16 + names.indexOf(name) * ROW;
  const middle = (name) => y(name) + BOX.height / 2;
  const height = 16 + names.length * ROW;
  const lines = [];
  for (const [name, { uses }] of layers)
    for (const [other, count] of [...uses].sort((a, b) => LAYERS.indexOf(b[0]) - LAYERS.indexOf(a[0]))) {
      const apart = Math.abs(names.indexOf(other) - names.indexOf(name));
      // near ones on the right, far ones on the left, so that neither covers the other
      const left = apart > 3;
      const x = left ? BOX.x : BOX.x + BOX.width;
      const bow = (left ? -1 : 1) * (14 + apart * (left ? 18 : 22));
      lines.push(
        `<path d="M ${x} ${middle(name)} C ${x + bow} ${middle(name)}, ${x + bow} ${middle(other)}, ${x} ${middle(other)}" stroke-width="${(0.6 + Math.log2(1 + count) / 2).toFixed(1)}" marker-end="url(#${left ? 'l' : 'r'})"><title>${name} imports ${other} ${count} times</title></path>`,
      );
    }
  const boxes = names.map((name) => {
    const { files } = layers.get(name);
    return `<g><rect x="${BOX.x}" y="${y(name)}" width="${BOX.width}" height="${BOX.height}" rx="3"/><text x="${BOX.x + 12}" y="${middle(name) + 5}">${name}/</text><text class="soft" x="${BOX.x + BOX.width - 12}" y="${middle(name) + 5}" text-anchor="end">${files} files</text></g>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${height}" role="img" aria-label="the layers of core, and what each imports">
<style>
  text { font: 14px system-ui, sans-serif; fill: #1c2b33; }
  .soft { font-size: 12px; fill: #5d6c74; }
  rect { fill: #f4f1ea; stroke: #8a9aa3; }
  path { fill: none; stroke: #2f6f7e; stroke-opacity: 0.45; }
  marker path { fill: #2f6f7e; fill-opacity: 0.7; stroke: none; }
  rect.page { fill: #ffffff; stroke: none; }
</style>
<defs>
  <marker id="r" viewBox="0 0 8 8" refX="1" refY="4" markerWidth="7" markerHeight="7" markerUnits="userSpaceOnUse" orient="auto"><path d="M 8 0 L 0 4 L 8 8 z" transform="rotate(180 4 4)"/></marker>
  <marker id="l" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" markerUnits="userSpaceOnUse" orient="auto"><path d="M 0 0 L 8 4 L 0 8 z"/></marker>
</defs>
<rect class="page" width="${WIDTH}" height="${height}"/>
${lines.join('\n')}
${boxes.join('\n')}
</svg>
`;
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  writeFileSync(join(ROOT, 'docs/architecture.svg'), architectureSvg());

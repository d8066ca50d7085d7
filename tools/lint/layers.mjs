/** Lint rules that hold the order of core's folders: what may import what, and no circles of files. */
import { readFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';

/** Core's folders, lowest first; each may import from itself and from those before it, types included. */
export const LAYERS = [
  'base',
  'incremental',
  'syntax',
  'conditions',
  'language',
  'brokers',
  'topology',
  'routing',
  'analysis',
  'change',
  'assist',
  'formats',
  'testing',
];

const IMPORT = /^(?:import|export)\b[^;]*?\bfrom '(\.[^']+)'/gms;

/** @returns the files that a file's text imports by a relative path */
export function importsIn(file, text) {
  return [...text.matchAll(IMPORT)].map(([, path]) => join(dirname(file), path));
}

/** @returns why a file may not import another, both relative to core; undefined where it may */
export function trespass(from, to) {
  const [a, b] = [from, to].map((path) => path.split(sep)[0]);
  const [mine, other] = [a, b].map((folder) => LAYERS.indexOf(folder));
  if (other < 0) return `core/${to} is in no layer`;
  if (mine >= 0 && other > mine) return `${a} is below ${b}: core/${from} may not import core/${to}`;
  return undefined;
}

/**
 * @param read gives a file's text, or undefined where there is none
 * @returns the files, from the first back to it, by which a file imports itself; undefined where it does not
 */
export function circleThrough(file, read) {
  const before = new Map([[file, undefined]]);
  const open = [file];
  for (let at = open.shift(); at !== undefined; at = open.shift()) {
    const text = read(at);
    if (text === undefined) continue;
    for (const next of importsIn(at, text)) {
      if (next === file) {
        const way = [];
        for (let each = at; each !== undefined; each = before.get(each)) way.unshift(each);
        return [...way, file];
      }
      if (!before.has(next)) {
        before.set(next, at);
        open.push(next);
      }
    }
  }
  return undefined;
}

const texts = new Map();
/** Read once in a run of the linter: it looks at every file, and each may be on the way of many. */
function textOf(path) {
  if (!texts.has(path)) {
    try {
      texts.set(path, readFileSync(path, 'utf8'));
    } catch {
      texts.set(path, undefined);
    }
  }
  return texts.get(path);
}

const each = (look) => ({
  ImportDeclaration: look,
  ExportNamedDeclaration: look,
  ExportAllDeclaration: look,
});

/** @param core the folder of core, absolute */
export const layers = (core) => ({
  rules: {
    order: {
      create: (context) =>
        each((node) => {
          const path = node.source?.value;
          if (!path?.startsWith('.')) return;
          const from = relative(core, context.filename);
          const message = trespass(from, relative(core, join(dirname(context.filename), path)));
          if (message) context.report({ node, message });
        }),
    },
    circles: {
      create: (context) => ({
        Program(node) {
          const circle = circleThrough(context.filename, textOf);
          if (circle)
            context.report({
              node,
              message: `imports itself: ${circle.map((path) => relative(core, path)).join(' → ')}`,
            });
        },
      }),
    },
  },
});

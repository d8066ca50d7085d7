/** What a key of the language says, for who points at it. */
import { termFor } from './glossary.ts';
import { type Node, type Tree, childAt, offsetIn, sizeOf } from '../syntax/tree.ts';
import { settingAt } from '../topology/shape-at.ts';
import type { Topology } from '../topology/topology.ts';

/** A key of the language in the text. */
export interface KeyHere {
  readonly name: string;
  readonly start: number;
  readonly end: number;
  readonly about: string;
  /** What holds where it is not stated, in words. */
  readonly otherwise?: string;
  /** The values there are to choose from. */
  readonly values?: readonly string[];
}

/** @returns the key of the language that an offset of a document stands in or at the end of */
export function keyAt(topology: Topology, doc: string, offset: number): KeyHere | undefined {
  const tree = topology.trees.get(doc);
  const found = tree && keyIn(tree, offset);
  const setting = found && settingAt(topology, found.path);
  if (!setting) return undefined;
  const { about, otherwise, shape } = setting;
  const values = shape.values ?? shape.items?.values;
  return {
    name: found.path.at(-1)!,
    start: found.start,
    end: found.end,
    about,
    ...(otherwise ? { otherwise } : {}),
    ...(values ? { values } : {}),
  };
}

/** @returns what a key says in a line or two, in Markdown: what it is, what may stand there, what holds without it */
export function keyInWords({ name, about, otherwise, values }: KeyHere): string {
  const choices = values ? `; ${values.map((value) => `\`${value}\``).join(', ')}` : '';
  const term = termFor(name);
  return [
    `${about}${choices}.`,
    ...(term ? [term.words] : []),
    ...(otherwise ? [`Without it: ${otherwise}.`] : []),
  ].join(' ');
}

/** The key an offset stands in, with the keys from the root to it; `#` for an item of a list. */
function keyIn(
  { root }: Tree,
  offset: number,
): { readonly path: string[]; readonly start: number; readonly end: number } | undefined {
  const path: string[] = [];
  let at: Node | undefined = root;
  let start = root?.offset ?? 0;
  while (at && at.kind !== 'scalar' && !at.alias) {
    const around: Exclude<Node, { kind: 'scalar' }> = at;
    const base = start;
    at = undefined;
    for (let i = 0; i < sizeOf(around); i++) {
      if (around.kind === 'map') {
        const { name, key } = around.entries[i]!;
        const from = base + offsetIn(around, i, key);
        if (from > offset) return undefined;
        if (offset <= from + key.length)
          return { path: [...path, name], start: from, end: from + key.length };
      }
      const child = childAt(around, i);
      const from = base + offsetIn(around, i, child);
      if (from <= offset && offset <= from + child.length) {
        path.push(around.kind === 'map' ? around.entries[i]!.name : '#');
        at = child;
        start = from;
        break;
      }
    }
  }
  return undefined;
}

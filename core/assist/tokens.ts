/** What the words of a document are, so that an editor can tell them apart. */
import { spanOf } from '../syntax/place.ts';
import { type Node, type ScalarNode, type Tree, childAt, offsetIn, sizeOf } from '../syntax/tree.ts';
import { declarationsIn } from '../topology/declarations.ts';
import type { Topology } from '../topology/topology.ts';
import { meantBy, usesIn } from '../topology/uses.ts';

/** The kinds of tokens there are, by the names the Language Server Protocol 3.17 has for them. */
export const TOKEN_TYPES = [
  'property',
  'string',
  'number',
  'keyword',
  'comment',
  'parameter',
  'variable',
  'class',
] as const;

export interface Token {
  readonly start: number;
  readonly end: number;
  readonly type: (typeof TOKEN_TYPES)[number];
}

/** @returns the tokens of a document in the order of its text, none inside another, none over a line break */
export function tokensIn(topology: Topology, doc: string): Token[] {
  const tree = topology.trees.get(doc);
  if (!tree) return [];
  const names = namesIn(topology, doc);
  const found: Token[] = [];
  const add = (node: ScalarNode, start: number, type: Token['type']) => {
    if (node.length === 0) return;
    const named = names.get(start) ?? type;
    const end = start + node.length;
    // a comment may stand behind the sign that begins a block text
    const comment = /^[|>][^\r\n#]*?\s(#[^\r\n]*)/.exec(tree.text.slice(start, end));
    if (!comment) found.push(...pieces(tree.text, start, end, named));
    else {
      const behind = start + comment[0].length;
      const from = behind - comment[1]!.length;
      found.push(
        ...pieces(tree.text, start, from, named),
        { start: from, end: behind, type: 'comment' },
        ...pieces(tree.text, behind, end, named),
      );
    }
  };
  const visit = (node: Node, start: number): void => {
    if (node.alias) return;
    if (node.kind === 'scalar') return add(node, start, kindOf(node));
    for (let i = 0; i < sizeOf(node); i++) {
      if (node.kind === 'map') {
        const { key } = node.entries[i]!;
        add(key, start + offsetIn(node, i, key), 'property');
      }
      const child = childAt(node, i);
      visit(child, start + offsetIn(node, i, child));
    }
  };
  if (tree.root) visit(tree.root, tree.root.offset);
  found.sort((a, b) => a.start - b.start);
  return [...found, ...commentsIn(tree, found)].sort((a, b) => a.start - b.start);
}

function kindOf({ quoted, value }: ScalarNode): Token['type'] {
  if (quoted || typeof value === 'string') return 'string';
  return typeof value === 'number' ? 'number' : 'keyword';
}

/** Where names of things begin: declared ones are classes, uses of them variables. */
function namesIn(topology: Topology, doc: string): ReadonlyMap<number, Token['type']> {
  const found = new Map<number, Token['type']>();
  for (const use of usesIn(topology.declared)) {
    const { place } = use.value;
    if (place.doc === doc && meantBy(topology.names, use))
      found.set(spanOf(topology, place).start, 'variable');
  }
  for (const { place } of declarationsIn(topology))
    if (place.doc === doc) found.set(spanOf(topology, place).start, 'class');
  return found;
}

/** A stretch line by line, the parameters in it apart. */
function pieces(text: string, start: number, end: number, type: Token['type']): Token[] {
  const found: Token[] = [];
  for (const match of text
    .slice(start, end)
    .matchAll(/(?<!\$)\$\{[^}\n]*\}|(?:(?!(?<!\$)\$\{[^}\n]*\})[^\r\n])+/g)) {
    const at = start + match.index;
    if (match[0].trim() !== '')
      found.push({
        start: at,
        end: at + match[0].length,
        type: match[0].startsWith('${') ? 'parameter' : type,
      });
  }
  return found;
}

/** The comments: what begins with `#` at a line's start or behind a space, and is no part of anything else. */
function commentsIn({ text }: Tree, others: readonly Token[]): Token[] {
  const found: Token[] = [];
  let next = 0;
  for (let at = text.indexOf('#'); at >= 0; at = text.indexOf('#', at + 1)) {
    while (next < others.length && others[next]!.end <= at) next++;
    const inside = next < others.length && others[next]!.start <= at;
    if (inside || !/\s/.test(text[at - 1] ?? ' ')) continue;
    const end = text.slice(at).search(/\r?\n/);
    const until = end < 0 ? text.length : at + end;
    found.push({ start: at, end: until, type: 'comment' });
    at = until;
  }
  return found;
}

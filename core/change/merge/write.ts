/** A text made to say what it is to say, with the least changed. */
import { type ChangeSet, applyTo } from '../../base/edits.ts';
import { addItem, removeAt, setAt, writeScalar } from '../../syntax/edit/edit.ts';
import type { Proved } from '../../syntax/edit/proved.ts';
import type { Path } from '../../syntax/edit/source.ts';
import { parseAgain } from '../../syntax/parse-again.ts';
import { parseDocument } from '../../syntax/parse.ts';
import { placeOf } from '../../syntax/place.ts';
import { type ListNode, type Node, type Tree, entryOf } from '../../syntax/tree.ts';
import { type Data, type Scalar, alike, dataOf, distance, jsonOf } from './data.ts';

/** No more edits than this are made of one text. */
const MOST_EDITS = 5000;

/**
 * Changes a text so that it says what is wanted: value by value, what is right already stays as it is written.
 * @returns the text, or undefined where it cannot be written so
 */
export function written(text: string, wanted: Data): string | undefined {
  let tree = parseDocument(text);
  const tried = new Set<string>();
  for (let made = 0; made < MOST_EDITS; made++) {
    if (tree.problems.length) return undefined;
    const now = dataOf(tree.root);
    if (now === undefined) return undefined;
    if (alike(now, wanted)) return tree.text;
    const next = nextEdit(tree, tree.root!, now, wanted, [], tried);
    if (!next) return undefined;
    tree = next;
  }
  return undefined;
}

/** Makes the first edit that leads nearer to what is wanted. @returns undefined where none can be made */
function nextEdit(
  tree: Tree,
  node: Node,
  now: Data,
  wanted: Data,
  path: Path,
  tried: Set<string>,
): Tree | undefined {
  const placed = { trees: new Map([['', tree]]) };
  const attempt = (id: string, edited: () => Proved): Tree | undefined => {
    const whole = `${id} ${JSON.stringify(path)}`;
    // each but once: what did not make it right the first time will not the second
    if (tried.has(whole)) return undefined;
    tried.add(whole);
    const made = edited();
    return made.ok && made.edits.length ? after(tree, made.edits) : undefined;
  };
  const set = () =>
    wanted.kind === 'scalar' && now.kind === 'scalar'
      ? (attempt('scalar', () => writeScalar(placed, placeOf('', node), wordOf(wanted))) ??
        attempt('set', () => setAt(placed, path, jsonOf(wanted), { withParameters: true })))
      : path.length
        ? attempt('set', () => setAt(placed, path, jsonOf(wanted), { withParameters: true }))
        : undefined;
  if (now.kind === 'map' && wanted.kind === 'map' && node.kind === 'map') {
    for (const [name, value] of wanted.entries) {
      const before = now.entries.get(name);
      const inner = [...path, name];
      const step = before
        ? alike(before, value)
          ? undefined
          : nextEdit(tree, entryOf(node, name)!.value, before, value, inner, tried)
        : attempt(`enter ${name}`, () =>
            setAt(placed, inner, jsonOf(value), { withParameters: true, asBlock: value.kind === 'map' }),
          );
      if (step) return step;
    }
    for (const name of now.entries.keys())
      if (!wanted.entries.has(name)) {
        const step = attempt(`remove ${name}`, () => removeAt(placed, [...path, name]));
        if (step) return step;
      }
    return set();
  }
  if (now.kind === 'list' && wanted.kind === 'list' && node.kind === 'list') {
    if (wanted.mixed) {
      const step = nextItem(tree, node, now.items, wanted.items, path, tried, attempt);
      if (step) return step;
    } else if (now.items.length === wanted.items.length)
      for (const [i, item] of now.items.entries()) {
        const other = wanted.items[i]!;
        if (alike(item, other)) continue;
        const step = nextEdit(tree, node.items[i]!, item, other, [...path, i], tried);
        if (step) return step;
      }
    return set();
  }
  return set();
}

/** Makes an item that is not wanted one that is, takes it away, or adds one. */
function nextItem(
  tree: Tree,
  node: ListNode,
  now: readonly Data[],
  wanted: readonly Data[],
  path: Path,
  tried: Set<string>,
  attempt: (id: string, edited: () => Proved) => Tree | undefined,
): Tree | undefined {
  const placed = { trees: new Map([['', tree]]) };
  const missing = [...wanted];
  let extra = -1;
  for (const [i, item] of now.entries()) {
    const at = missing.findIndex((each) => alike(each, item));
    if (at >= 0) missing.splice(at, 1);
    else extra = i;
  }
  const item = now[extra];
  const [first] = item
    ? missing
        .map((each) => ({ each, far: distance(item, each) }))
        .sort((a, b) => a.far - b.far)
        .map(({ each }) => each)
    : missing;
  if (item && first) {
    const step = nextEdit(tree, node.items[extra]!, item, first, [...path, extra], tried);
    if (step) return step;
  }
  if (first) {
    const step = attempt(`add ${missing.length}`, () =>
      addItem(placed, path, jsonOf(first), { withParameters: true }),
    );
    if (step) return step;
  }
  return extra < 0
    ? undefined
    : attempt(`take away ${extra} ${node.items.length}`, () => removeAt(placed, [...path, extra]));
}

/** A scalar as it is written: a word where it is one. */
const wordOf = ({ quoted, value, source }: Scalar): string =>
  quoted ? JSON.stringify(String(value)) : value === null ? 'null' : source;

function after(tree: Tree, edits: ChangeSet): Tree {
  // an edit that the incremental reader takes in is read by it, so that many stay quick
  const next = parseAgain(tree, edits);
  return next.text === applyTo(tree.text, edits) ? next : parseDocument(applyTo(tree.text, edits));
}

/** Moving what is declared from one document into another. */
import { remove } from './edit.ts';
import { type Expected, isLike } from './proof.ts';
import { type Proved, intent, proved, refused, repeated, together } from './proved.ts';
import {
  type Path,
  type Reached,
  type Source,
  columnOf,
  extentOf,
  rootStep,
  sourceOf,
  spaces,
  walk,
} from './source.ts';
import { begun, beside } from './ways.ts';
import type { Placed } from '../place.ts';
import { plainOrQuoted } from '../render.ts';
import { type Node, isNothing, sizeOf } from '../tree.ts';

/** Moves what stands at a path into another document, its text as it is written (indented to its new place). */
export function moveTo(placed: Placed, path: Path, to: string): Proved {
  const target = sourceOf(placed, to);
  if (!target) return refused(`There is no document ${to} that can be edited.`);
  for (const doc of placed.trees.keys()) {
    const source = doc === to ? undefined : sourceOf(placed, doc);
    const steps = source && walk(source, path);
    if (!source || steps?.length !== path.length || steps.at(-1)?.parent?.kind !== 'map') continue;
    if (walk(target, path).length === path.length)
      return refused(`${to} declares ${path.join('.')} already.`);
    const gone = remove(source, steps);
    const come = gone.ok ? arrive(target, path, source, steps.at(-1)!) : gone;
    return come.ok ? together(placed, [gone, come]) : come;
  }
  return refused(`There is nothing at ${path.join('.')} to move.`);
}

/** Puts the text of an entry of one document into another. */
function arrive(target: Source, path: Path, source: Source, moved: Reached): Proved {
  const steps = walk(target, path.slice(0, -1));
  const parents = path.slice(steps.length, -1) as string[];
  const { head, end } = extentOf(moved.parent!, moved.parentStart, moved.index);
  const from = columnOf(source.text, head);
  const own = source.text.slice(head, end).replaceAll('\r\n', '\n').replace(/\n$/, '');
  const step = steps.at(-1) ?? rootStep(target);
  const lines = (indent: number) =>
    [
      ...parents.map((parent, i) => `${i ? spaces(indent + 2 * i) : ''}${plainOrQuoted(parent)}:\n`),
      parents.length ? spaces(indent + 2 * parents.length) : '',
      reindent(own, indent + 2 * parents.length - from),
    ].join('');
  const why = repeated(steps, true);
  if (why) return refused(why);
  const [key] = path.slice(steps.length);
  const inner = path.slice(steps.length + 1, path.length).map(String);
  const is: Expected = (node) => {
    const at = inner.reduce<Node | undefined>((each, name) => {
      if (each?.kind !== 'map' || sizeOf(each) !== 1) return undefined;
      return each.entries[0]!.name === name ? each.entries[0]!.value : undefined;
    }, node);
    return at !== undefined && isLike(moved.node)(at);
  };
  const node = step?.node;
  const roomy = !step || (node?.kind === 'map' ? !node.flow && sizeOf(node) > 0 : isNothing(step.node));
  const ways = !roomy
    ? []
    : !step
      ? [
          [
            {
              start: target.text.length,
              end: target.text.length,
              text: `${target.text === '' || target.text.endsWith('\n') ? '' : '\n'}${lines(0)}\n`,
            },
          ],
        ]
      : node?.kind === 'map'
        ? beside(target, step, '', lines)
        : begun(target, step, '', lines, {});
  const made = proved(target, ways, [intent(target, steps, { does: 'enter', key: String(key), is })]);
  return made.ok
    ? made
    : refused(`${target.doc} has no room for ${path.join('.')}: its parent is written on one line there.`);
}

/** Moves all lines but the first by some columns. */
function reindent(text: string, by: number): string {
  if (by === 0) return text;
  return text.replace(/\n( *)(?=\S)/g, (_, before: string) => `\n${spaces(Math.max(0, before.length + by))}`);
}

/**
 * Edits of documents, as minimal changes of their text. What is not changed stays byte for byte: comments,
 * order, quoting, blank lines, the kind of line ends.
 *
 * YAML has many ways to write the same, and not every change of the text means what it looks like. So each
 * edit here is tried before it is handed out: the text with it is read again, and must differ from before in
 * what was meant alone (proof.ts). Where the nearest way to write something does not, the next is tried, and
 * where none does, the edit is refused with the reason.
 */
import { type Meaning, isJson, isLike, isText } from './proof.ts';
import { type Proved, intent, proved, refused, repeated, together } from './proved.ts';
import {
  type Path,
  type Reached,
  type Source,
  childStep,
  columnOf,
  deepest,
  endOf,
  entryIndex,
  itemIn,
  rootStep,
  sourceOf,
  spaces,
  stepsTo,
  walk,
} from './source.ts';
import {
  type Way,
  begun,
  beside,
  entries,
  flowText,
  isJsonStyle,
  isMissing,
  quotedLike,
  removals,
  replacements,
} from './ways.ts';
import { parseDocument } from '../parse.ts';
import type { Place, Placed } from '../place.ts';
import { type Json, literal, plainOrQuoted } from '../render.ts';
import { type MapNode, isNothing, keyText, offsetIn, sizeOf } from '../tree.ts';

/** How a value is written. */
export interface Writing {
  /** A value that is added stands on lines of its own, so that more can be added to it. */
  readonly asBlock?: boolean;
  /** `${…}` in texts names a parameter, as a person writes it; else it stands for itself. */
  readonly withParameters?: boolean;
}

export function setTo(source: Source, steps: readonly Reached[], value: Json): Proved {
  const why = repeated(steps);
  if (why) return refused(why);
  const step = steps.at(-1) ?? rootStep(source)!;
  return proved(source, replacements(source, step, value), [
    intent(source, steps, { does: 'set', is: isJson(value) }),
  ]);
}

export function enter(
  source: Source,
  steps: readonly Reached[],
  path: readonly string[],
  value: Json,
  asBlock: boolean,
): Proved {
  const why = repeated(steps, true);
  if (why) return refused(why);
  const [key, ...inner] = path;
  const whole = inner.reduceRight<Json>((result, name) => ({ [name]: result }), value);
  const step = steps.at(-1) ?? rootStep(source);
  const { node } = step ?? {};
  if (node && node.kind !== 'map' && !isNothing(node) && !(node.kind === 'list' && sizeOf(node) === 0))
    return refused(`There is no map at which \`${key}\` could be added.`);
  const is = isJson(whole);
  const meaning: Meaning =
    node?.kind === 'list' ? { does: 'set', is: isJson({ [key!]: whole }) } : { does: 'enter', key: key!, is };
  return proved(source, entries(source, step, key!, whole, inner.length > 0 || asBlock), [
    intent(source, steps, meaning),
  ]);
}

export function remove(source: Source, steps: readonly Reached[]): Proved {
  const why = repeated(steps);
  if (why) return refused(why);
  const step = steps.at(-1)!;
  // a map or list that is left empty is told as one
  return proved(source, removals(source, step), [intent(source, steps, { does: 'remove' })]);
}

export const meant = (value: Json, { withParameters }: Writing = {}): Json =>
  withParameters ? value : literal(value);

/**
 * Sets a value, replacing what stands at the path or adding it, with the maps on the way, where it
 * leads furthest already.
 * @returns the edits; refused for a list position that is not there, or where it cannot be written
 */
export function setAt(placed: Placed, path: Path, value: Json, how: Writing = {}): Proved {
  const found = deepest(placed, path);
  if (typeof found === 'string') return refused(found);
  const { source, steps } = found;
  const made = meant(value, how);
  if (steps.length === path.length && steps.length > 0) return setTo(source, steps, made);
  const rest = path.slice(steps.length);
  if (rest.some((step) => typeof step === 'number')) return refused('There is no such list item.');
  return enter(source, steps, rest as string[], made, how.asBlock === true);
}

/**
 * Sets a value inside what stands at a place: for what has no name to be found by, such as a binding.
 * @param path keys from there
 */
export function setIn(
  placed: Placed,
  place: Place,
  path: readonly string[],
  value: Json,
  how: Writing = {},
): Proved {
  const found = stepsTo(placed, place);
  if (!found) return refused(`${place.doc} cannot be edited: mend its syntax first.`);
  const { source, steps } = found;
  const made = meant(value, how);
  let left = path;
  for (let at = steps.at(-1); at?.node.kind === 'map' && left.length; left = left.slice(1)) {
    const index = entryIndex(at.node, left[0]!);
    if (index < 0) break;
    at = childStep(at, index);
    steps.push(at);
  }
  if (steps.length === 0) return refused('There is nothing here that could be changed.');
  return left.length ? enter(source, steps, left, made, false) : setTo(source, steps, made);
}

/**
 * Writes other text in the place of a scalar, as it stands: `30s`, `"a.b"`.
 * @param written YAML of one scalar
 */
export function writeScalar(placed: Placed, place: Place, written: string): Proved {
  const found = stepsTo(placed, place);
  const step = found?.steps.at(-1);
  const { root } = parseDocument(written);
  if (!found || !step || root?.kind !== 'scalar')
    return refused('There is no value here that could be changed.');
  const { source, steps } = found;
  const at = place.node && place.node !== step.node ? keyStep(step) : step;
  if (at !== step)
    return at.node.kind === 'scalar'
      ? nameKey(source, steps, keyText(root))
      : refused('There is no value here that could be changed.');
  const why = repeated(steps);
  if (why) return refused(why);
  const { start, node } = step;
  const { text } = source;
  const breaks = text[endOf(step) - 1] === '\n' && node.length > 0 ? '\n' : '';
  const put = isJsonStyle(source) && root.quoted ? JSON.stringify(root.value) : written;
  const ways: Way[] = [
    [{ start, end: endOf(step), text: `${isMissing(node) ? ' ' : ''}${put}${breaks}` }],
    [{ start, end: endOf(step), text: plainOrQuoted(keyText(root)) + breaks }],
  ];
  return proved(source, ways, [intent(source, steps, { does: 'set', is: isText(keyText(root)) })]);
}

/** The key of the entry whose value a step is. */
export function keyStep(step: Reached): Reached {
  const map = step.parent as MapNode;
  const { key } = map.entries[step.index]!;
  return { ...step, node: key, start: step.parentStart + offsetIn(map, step.index, key) };
}

/** Gives the entry at a step another key. */
export function nameKey(source: Source, steps: readonly Reached[], name: string): Proved {
  const step = steps.at(-1)!;
  if (step.parent?.kind !== 'map') return refused('There is no key here.');
  const why = repeated(steps);
  if (why) return refused(why);
  const { node, start } = keyStep(step);
  const end = start + node.length;
  const ways: Way[] = [
    [{ start, end, text: quotedLike(source, source.text.slice(start, end), name) }],
    [{ start, end, text: JSON.stringify(name) }],
  ];
  return proved(source, ways, [intent(source, steps, { does: 'name', is: name })]);
}

/** Gives what stands at a path another key, in every document that has it. */
export function renameKey(placed: Placed, path: Path, name: string): Proved {
  return everywhere(placed, path, (source, steps) => nameKey(source, steps, name));
}

/**
 * Writes another text in the place of a scalar, in the quotes it has.
 * @param place of a value or a key
 * @param text what it is to say, `${` and all
 */
export function writeText(placed: Placed, place: Place, text: string): Proved {
  const found = stepsTo(placed, place);
  const step = found?.steps.at(-1);
  if (!found || !step) return refused('There is no value here that could be changed.');
  if (place.node && place.node !== step.node) return nameKey(found.source, found.steps, text);
  return setTo(found.source, found.steps, text);
}

/**
 * Writes other YAML in the place of a value, whatever it is.
 * @param written YAML of one value, on one line or more; it is written as it is given
 */
export function writeValue(placed: Placed, place: Place, written: string): Proved {
  const found = stepsTo(placed, place);
  const step = found?.steps.at(-1);
  const meant = parseDocument(written);
  if (!found || !step || !meant.root) return refused('There is no value here that could be changed.');
  if (meant.problems[0]) return refused(meant.problems[0].message);
  const { source, steps } = found;
  const why = repeated(steps);
  if (why) return refused(why);
  const end = endOf(step);
  const breaks = source.text[end - 1] === '\n' && step.node.length > 0 ? '\n' : '';
  const way = [{ start: step.start, end, text: written.trim() + breaks }];
  return proved(source, [way], [intent(source, steps, { does: 'set', is: isLike(meant.root) })]);
}

/**
 * Sets a scalar to what a person wrote in a form: a word where that can stand as one (`8.2MB`, `true`, `.inf`),
 * else in quotes. `${…}` in it names a parameter.
 */
export function setText(placed: Placed, path: Path, text: string): Proved {
  const found = deepest(placed, path);
  if (typeof found === 'string') return refused(found);
  const { source, steps } = found;
  const word = wordOf(text);
  if (steps.length === path.length) {
    const { node } = steps.at(-1)!;
    const why = repeated(steps);
    if (why) return refused(why);
    const step = steps.at(-1)!;
    const end = endOf(step);
    const old = node.kind === 'scalar' && !isMissing(node) ? source.text.slice(step.start, end) : '';
    const breaks = source.text[end - 1] === '\n' && node.length > 0 ? '\n' : '';
    const put = word && !/^["']/.test(old) ? word : quotedLike(source, old, text);
    const ways: Way[] = [
      [{ start: step.start, end, text: (isMissing(node) ? ' ' : '') + put + breaks }],
      [{ start: step.start, end, text: (isMissing(node) ? ' ' : '') + JSON.stringify(text) + breaks }],
    ];
    return proved(source, ways, [intent(source, steps, { does: 'set', is: isText(text) })]);
  }
  const value = word === undefined || isJsonStyle(source) ? text : typedWord(word);
  const rest = path.slice(steps.length).map(String);
  return enter(source, steps, rest, value, false);
}

/** A text as the plain word it can stand as; undefined where it cannot. */
export function wordOf(text: string): string | undefined {
  const { root, problems } = parseDocument(text);
  const plain =
    root?.kind === 'scalar' && !root.quoted && root.length === text.length && !/[{}[\],]/.test(text);
  return plain && problems.length === 0 && keyText(root) === text ? text : undefined;
}

/** The value that is written as a word: numbers and truth values are not to be quoted. */
export function typedWord(word: string): Json {
  const { root } = parseDocument(word);
  const value = root?.kind === 'scalar' ? root.value : word;
  return String(value) === word ? value : word;
}

/** Removes a key of the map that stands at a place. */
export function removeIn(placed: Placed, place: Place, key: string): Proved {
  const found = stepsTo(placed, place);
  const last = found?.steps.at(-1);
  const index = last?.node.kind === 'map' ? entryIndex(last.node, key) : -1;
  if (!found || !last || index < 0) return refused(`There is no \`${key}\` here to take away.`);
  return remove(found.source, [...found.steps, childStep(last, index)]);
}

/** Puts other items where the list item stands in which a place is; the first takes its place. */
export function replaceItem(placed: Placed, place: Place, items: readonly Json[]): Proved {
  const found = stepsTo(placed, place);
  const at = found ? itemIn(found.steps) : -1;
  if (!found || at < 0 || items.length === 0) return refused('There is no list item here to replace.');
  const { source } = found;
  const steps = found.steps.slice(0, at + 1);
  const why = repeated(steps);
  if (why) return refused(why);
  const step = steps.at(-1)!;
  const made = items.map((item) => meant(item));
  const { text } = source;
  const indent = spaces(columnOf(text, step.start - step.node.lead));
  const breaks = text[endOf(step) - 1] === '\n' && step.node.length > 0 ? '\n' : '';
  const put = made.map((item) => flowText(source, item)).join(step.parent!.flow ? ', ' : `\n${indent}- `);
  const way = [
    { start: step.start, end: endOf(step), text: `${isMissing(step.node) ? ' ' : ''}${put}${breaks}` },
  ];
  return proved(source, [way], [intent(source, steps, { does: 'divide', into: made.map(isJson) })]);
}

/** Removes the list item in which a place stands; of several, one inside the other, the innermost. */
export function removeItem(placed: Placed, place: Place): Proved {
  const found = stepsTo(placed, place);
  const at = found ? itemIn(found.steps) : -1;
  return found && at >= 0
    ? remove(found.source, found.steps.slice(0, at + 1))
    : refused('There is no list item here to take away.');
}

/** Adds an item at the end of the list at a path, making the list where there is none. */
export function addItem(placed: Placed, path: Path, value: Json, how: Writing = {}): Proved {
  const found = deepest(placed, path);
  if (typeof found === 'string') return refused(found);
  const { source, steps } = found;
  const last = steps.at(-1);
  if (steps.length < path.length || !last) return setAt(placed, path, [value], { ...how, asBlock: true });
  const { node } = last;
  const empty = isNothing(node) || (node.kind !== 'scalar' && sizeOf(node) === 0);
  if (node.kind !== 'list' && !empty) return refused(`There is no list at ${path.join('.')}.`);
  const why = repeated(steps, true);
  if (why) return refused(why);
  const made = meant(value, how);
  const flow = flowText(source, made);
  const lines = () => `- ${flow}`;
  return empty
    ? proved(source, begun(source, last, flow, lines, [made]), [
        intent(source, steps, { does: 'set', is: isJson([made]) }),
      ])
    : proved(source, beside(source, last, flow, lines), [
        intent(source, steps, { does: 'add', is: isJson(made) }),
      ]);
}

/** Removes what stands at a path, wherever it is declared; a map or list left empty becomes `{}` or `[]`. */
export function removeAt(placed: Placed, path: Path): Proved {
  return everywhere(placed, path, remove, `There is nothing at ${path.join('.')}.`);
}

export function everywhere(
  placed: Placed,
  path: Path,
  edit: (source: Source, steps: readonly Reached[]) => Proved,
  none = `There is nothing at ${path.join('.')}.`,
): Proved {
  const made: Proved[] = [];
  for (const doc of placed.trees.keys()) {
    const source = sourceOf(placed, doc);
    const steps = source && walk(source, path);
    if (source && steps?.length === path.length && steps.length > 0) made.push(edit(source, steps));
  }
  return made.length ? together(placed, made) : refused(none);
}

/**
 * Changes of a topology as minimal edits of its text. What is not changed stays byte for byte:
 * comments, order, quoting, blank lines. Every function takes documents and gives edits, or words
 * saying why it cannot; nothing is applied here but by `applyEdits`.
 */
import { addressOf, type Thing } from '../model/address.ts';
import type { TextEdit } from '../model/finding.ts';
import type { Place } from '../model/place.ts';
import { byteLength } from '../model/values.ts';
import { parseDocument } from './parse.ts';
import type { Topology, TopologyDocument } from './read.ts';
import { plainOrQuoted, renderAfterKey, renderFlow, type Json } from './render.ts';
import { ID } from './shape.ts';
import { keyText, type Entry, type ListNode, type MapNode, type Node } from './tree.ts';
import { meantBy, usesIn } from './uses.ts';

/** Keys and list positions from the root of a document: `['brokers', 'mainland', 'queues', 'boards']`. */
export type Path = readonly (string | number)[];

export type Edited =
  | { readonly ok: true; readonly edits: readonly TextEdit[] }
  | { readonly ok: false; readonly message: string };

const no = (message: string): Edited => ({ ok: false, message });
const yes = (...edits: TextEdit[]): Edited => ({ ok: true, edits });

/**
 * Applies edits whose offsets are all those of the given documents.
 * @returns the documents after, those untouched as the same objects
 */
export function applyEdits(
  documents: readonly TopologyDocument[],
  edits: readonly TextEdit[],
): TopologyDocument[] {
  return documents.map((document) => {
    const own = edits
      .filter((edit) => edit.doc === document.name)
      .sort((a, b) => b.start - a.start || b.end - a.end);
    if (own.length === 0) return document;
    const text = own.reduce(
      (result, { start, end, text: put }) => result.slice(0, start) + put + result.slice(end),
      document.text,
    );
    return { name: document.name, text };
  });
}

/** @returns the edits that undo edits, in the offsets of the documents after them. */
export function undoOf(documents: readonly TopologyDocument[], edits: readonly TextEdit[]): TextEdit[] {
  return documents.flatMap(({ name, text }) => {
    let shift = 0;
    return edits
      .filter((edit) => edit.doc === name)
      .sort((a, b) => a.start - b.start || a.end - b.end)
      .map((edit) => {
        const start = edit.start + shift;
        shift += edit.text.length - (edit.end - edit.start);
        return { doc: name, start, end: start + edit.text.length, text: text.slice(edit.start, edit.end) };
      });
  });
}

/** A document read for editing. */
interface Source {
  readonly name: string;
  readonly text: string;
  readonly root: Node | undefined;
}

function sourceOf(document: TopologyDocument): Source | undefined {
  const { root, problems } = parseDocument(document.text);
  return problems.length ? undefined : { ...document, root };
}

type Found =
  | { readonly is: 'entry'; readonly parent: MapNode; readonly entry: Entry; readonly node: Node }
  | { readonly is: 'item'; readonly parent: ListNode; readonly index: number; readonly node: Node };

/** Walks a path as far as it leads. @returns the steps found, outermost first */
function walk(source: Source, path: Path): Found[] {
  const steps: Found[] = [];
  let node = source.root;
  for (const step of path) {
    if (node?.kind === 'map') {
      const entry: Entry | undefined = node.entries.find((each) => keyText(each.key) === String(step));
      if (!entry) break;
      steps.push({ is: 'entry', parent: node, entry, node: entry.value });
      node = entry.value;
    } else if (node?.kind === 'list' && typeof step === 'number' && node.items[step]) {
      steps.push({ is: 'item', parent: node, index: step, node: node.items[step] });
      node = node.items[step];
    } else break;
  }
  return steps;
}

/**
 * The document in which most of a path stands; of several, the one where most of its kind stand already,
 * of those the first.
 */
function deepest(
  documents: readonly TopologyDocument[],
  path: Path,
): { source: Source; steps: Found[] } | string {
  let best: { source: Source; steps: Found[] } | undefined;
  for (const document of documents) {
    const source = sourceOf(document);
    if (!source) continue;
    const steps = walk(source, path);
    const further = steps.length - (best?.steps.length ?? -1);
    if (!best || further > 0 || (further === 0 && sizeAt(steps) > sizeAt(best.steps)))
      best = { source, steps };
  }
  return best ?? 'No document can be edited: mend their syntax first.';
}

function sizeAt(steps: readonly Found[]): number {
  const node = steps.at(-1)?.node;
  return node?.kind === 'map' ? node.entries.length : node?.kind === 'list' ? node.items.length : 0;
}

/**
 * Sets a value, replacing what stands at the path or adding it, with the maps on the way, where it
 * leads furthest already.
 * @param options.asBlock a value that is added stands on lines of its own, so that more can be added to it
 */
export function setAt(
  documents: readonly TopologyDocument[],
  path: Path,
  value: Json,
  options: { asBlock?: boolean } = {},
): Edited {
  const found = deepest(documents, path);
  if (typeof found === 'string') return no(found);
  const { source, steps } = found;
  if (steps.length === path.length && steps.length > 0) return replace(source, steps.at(-1)!, value);
  const rest = path.slice(steps.length);
  if (rest.some((step) => typeof step === 'number')) return no('There is no such list item.');
  return put(source, steps.at(-1), rest as string[], value, options.asBlock === true);
}

function put(
  source: Source,
  at: Found | undefined,
  path: readonly string[],
  value: Json,
  asBlock: boolean,
): Edited {
  const [key, ...inner] = path;
  const whole = inner.reduceRight<Json>((result, name) => ({ [name]: result }), value);
  return addEntry(source, at, key!, whole, inner.length > 0 || asBlock);
}

/** The way to the node that stands at a place, or to the smallest one around it. */
function stepsTo(documents: readonly TopologyDocument[], { doc, start, end }: Place) {
  const document = documents.find(({ name }) => name === doc);
  const source = document && sourceOf(document);
  if (!source) return undefined;
  const steps: Found[] = [];
  const around = (node: { start: number; end: number }) => node.start <= start && node.end >= end;
  for (let node = source.root; node;) {
    const parent: Node = node;
    node = undefined;
    if (parent.kind === 'map') {
      const entry = parent.entries.find(({ key, value }) =>
        around({ start: key.start, end: Math.max(key.end, value.end) }),
      );
      if (entry) steps.push({ is: 'entry', parent, entry, node: (node = entry.value) });
    } else if (parent.kind === 'list') {
      const index = parent.items.findIndex(around);
      if (index >= 0) steps.push({ is: 'item', parent, index, node: (node = parent.items[index]!) });
    }
  }
  return { source, steps };
}

/**
 * Sets a value inside what stands at a place: for what has no name to be found by, such as a binding.
 * @param path keys from there
 */
export function setIn(
  documents: readonly TopologyDocument[],
  place: Place,
  path: readonly string[],
  value: Json,
): Edited {
  const found = stepsTo(documents, place);
  if (!found) return no(`${place.doc} cannot be edited: mend its syntax first.`);
  const { source, steps } = found;
  let at = steps.at(-1);
  let left = path;
  for (; at?.node.kind === 'map' && left.length; left = left.slice(1)) {
    const parent: MapNode = at.node;
    const entry = parent.entries.find(({ key }) => keyText(key) === left[0]);
    if (!entry) break;
    at = { is: 'entry', parent, entry, node: entry.value };
  }
  if (!at) return no('There is nothing here that could be changed.');
  return left.length ? put(source, at, left, value, false) : replace(source, at, value);
}

/** Removes a key of the map that stands at a place. */
export function removeIn(documents: readonly TopologyDocument[], place: Place, key: string): Edited {
  const found = stepsTo(documents, place);
  const parent = found?.steps.at(-1)?.node;
  const entry = parent?.kind === 'map' ? parent.entries.find((each) => keyText(each.key) === key) : undefined;
  if (!found || parent?.kind !== 'map' || !entry) return no(`There is no \`${key}\` here to take away.`);
  return yes(removal(found.source, { is: 'entry', parent, entry, node: entry.value }));
}

/** Puts other items where the list item stands in which a place is; the first takes its place. */
export function replaceItem(
  documents: readonly TopologyDocument[],
  place: Place,
  items: readonly Json[],
): Edited {
  const found = stepsTo(documents, place);
  const item = found?.steps.filter(({ is }) => is === 'item').at(-1);
  if (item?.is !== 'item' || items.length === 0) return no('There is no list item here to replace.');
  const { text, name } = found!.source;
  const { start, end } = item.node;
  const indent = ' '.repeat(columnOf(text, dashBefore(text, start)));
  const put = items.map(renderFlow).join(item.parent.flow ? ', ' : `\n${indent}- `);
  return yes({ doc: name, start, end, text: put });
}

/** Removes the list item in which a place stands; of several, one inside the other, the innermost. */
export function removeItem(documents: readonly TopologyDocument[], place: Place): Edited {
  const found = stepsTo(documents, place);
  const item = found?.steps.filter(({ is }) => is === 'item').at(-1);
  return item ? yes(removal(found!.source, item)) : no('There is no list item here to take away.');
}

/** Adds an item at the end of the list at a path, making the list where there is none. */
export function addItem(documents: readonly TopologyDocument[], path: Path, value: Json): Edited {
  const found = deepest(documents, path);
  if (typeof found === 'string') return no(found);
  const { source, steps } = found;
  const last = steps.at(-1);
  if (steps.length < path.length || !last) return setAt(documents, path, [value], { asBlock: true });
  const { node } = last;
  if (isEmpty(node)) return replace(source, last, [value]);
  if (node.kind !== 'list') return no(`There is no list at ${path.join('.')}.`);
  const { name } = source;
  if (node.flow) {
    const at = node.items.at(-1)!.end;
    return yes({ doc: name, start: at, end: at, text: `, ${renderFlow(value)}` });
  }
  const at = endOfLine(source.text, node.items.at(-1)!.end);
  const indent = columnOf(source.text, dashBefore(source.text, node.items[0]!.start));
  return yes({ doc: name, start: at, end: at, text: `\n${' '.repeat(indent)}- ${renderFlow(value)}` });
}

/** Removes what stands at a path, wherever it is declared; a map or list left empty becomes `{}` or `[]`. */
export function removeAt(documents: readonly TopologyDocument[], path: Path): Edited {
  const edits: TextEdit[] = [];
  for (const document of documents) {
    const source = sourceOf(document);
    if (!source) continue;
    const steps = walk(source, path);
    if (steps.length === path.length && steps.length > 0) edits.push(removal(source, steps.at(-1)!));
  }
  return edits.length ? { ok: true, edits } : no(`There is nothing at ${path.join('.')}.`);
}

/** Moves what stands at a path into another document, its text as it is written (indented to its new place). */
export function moveTo(documents: readonly TopologyDocument[], path: Path, to: string): Edited {
  const target = documents.find((document) => document.name === to);
  const targetSource = target && sourceOf(target);
  if (!targetSource) return no(`There is no document ${to} that can be edited.`);
  for (const document of documents) {
    const source = document.name === to ? undefined : sourceOf(document);
    const last = source && walk(source, path).at(path.length - 1);
    if (!source || !last || last.is !== 'entry') continue;
    if (walk(targetSource, path).length === path.length)
      return no(`${to} declares ${path.join('.')} already.`);
    const value = source.text.slice(last.entry.key.end, last.entry.value.end).replace(/^\s*:/, '');
    const from = columnOf(source.text, last.entry.key.start);
    const steps = walk(targetSource, path.slice(0, -1));
    const parents = path.slice(steps.length, -1) as string[];
    const key = source.text.slice(last.entry.key.start, last.entry.key.end);
    const put = insertRaw(
      targetSource,
      steps.at(-1),
      parents,
      (indent) => `${key}:${reindent(value, indent - from)}`,
    );
    if (!put) return no(`${to} has no room for ${path.join('.')}: its parent is written on one line there.`);
    return yes(removal(source, last), put);
  }
  return no(`There is nothing at ${path.join('.')} to move.`);
}

/**
 * Renames a thing everywhere: its declaration (in every document that adds to it) and every use.
 * @returns the edits, or why not: a name taken, not allowed, or made from a parameter somewhere
 */
export function rename(topology: Topology, of: Thing, name: string): Edited {
  const { documents, declared } = topology;
  const resource = of.broker !== '';
  if (name === of.name) return yes();
  if (!resource && !ID.test(name)) return no('Ids are small letters, digits and hyphens, a letter first.');
  if (name === '' || byteLength(name) > 255) return no('A name has 1 to 255 bytes.');
  const path = pathOf(of);
  const edits: TextEdit[] = [];
  for (const document of documents) {
    const source = sourceOf(document);
    if (!source) return no(`${document.name} cannot be edited: mend its syntax first.`);
    if (walk(source, [...path.slice(0, -1), name]).length === path.length) {
      return no(`There is a ${of.kind} \`${name}\` already.`);
    }
    const last = walk(source, path).at(path.length - 1);
    if (last?.is !== 'entry') continue;
    const { start, end } = last.entry.key;
    edits.push({ doc: document.name, start, end, text: quotedLike(document.text.slice(start, end), name) });
  }
  if (edits.length === 0) return no(`${addressOf(of)} is not declared.`);
  const texts = new Map(documents.map((document) => [document.name, document.text]));
  for (const use of usesIn(declared)) {
    const meant = meantBy(declared, use);
    // a broker is also named by everything on it
    const onIt = of.kind === 'broker' && meant?.broker === of.name && use.value.value.includes(`${of.name}/`);
    if (meant?.id !== of.id && !onIt) continue;
    const { value, place, from } = use.value;
    if (from)
      return no(`A use in ${place.doc} is made from parameter \`${from[0]}\`; change it there by hand.`);
    const old = onIt ? `${of.name}/` : of.name;
    const at = onIt ? value.indexOf(old) : value.lastIndexOf(old);
    const changed = value.slice(0, at) + (onIt ? `${name}/` : name) + value.slice(at + old.length);
    edits.push({ ...place, text: quotedLike(texts.get(place.doc)!.slice(place.start, place.end), changed) });
  }
  // one scalar may be met twice, as when a statement names the same thing in two ways
  const seen = new Set<string>();
  return {
    ok: true,
    edits: edits.filter(({ doc, start }) => !seen.has(`${doc} ${start}`) && seen.add(`${doc} ${start}`)),
  };
}

/** @returns where a thing is declared, from the root of a document. */
export function pathOf(of: Thing): string[] {
  const sections: Record<Thing['kind'], string> = {
    app: 'apps',
    tenant: 'tenants',
    message: 'messages',
    broker: 'brokers',
    exchange: 'exchanges',
    queue: 'queues',
    topic: 'topics',
    subscription: 'subscriptions',
    alias: 'aliases',
    link: 'links',
    spread: 'spreads',
  };
  return of.broker ? ['brokers', of.broker, sections[of.kind], of.name] : [sections[of.kind], of.name];
}

function isEmpty(node: Node): boolean {
  if (node.kind === 'map') return node.entries.length === 0;
  if (node.kind === 'list') return node.items.length === 0;
  return node.value === null && !node.quoted;
}

function replace(source: Source, found: Found, value: Json): Edited {
  const { node } = found;
  const { name, text } = source;
  const block = found.is === 'entry' && !found.parent.flow;
  if (found.is === 'entry' && (node.kind !== 'scalar' || isEmpty(node)) && block) {
    // from right behind the colon, so that a block may become a line and a line a block
    const colon = text.indexOf(':', found.entry.key.end) + 1;
    const indent = columnOf(text, found.entry.key.start);
    const end = Math.max(colon, node.end);
    return yes({
      doc: name,
      start: colon,
      end,
      text: renderAfterKey(value, indent, node.start - found.entry.key.start),
    });
  }
  if (isEmpty(node) && node.start === node.end && found.is === 'entry') {
    const colon = text.indexOf(':', found.entry.key.end) + 1;
    return yes({ doc: name, start: colon, end: colon, text: ` ${renderFlow(value)}` });
  }
  const rendered =
    typeof value === 'string' ? quotedLike(text.slice(node.start, node.end), value) : renderFlow(value);
  return yes({ doc: name, start: node.start, end: node.end, text: rendered });
}

function addEntry(source: Source, at: Found | undefined, key: string, value: Json, nested: boolean): Edited {
  const parent = at ? at.node : source.root;
  const name = plainOrQuoted(key);
  if (parent?.kind === 'map' && parent.flow && parent.entries.length) {
    const end = parent.entries.at(-1)!.value.end || parent.entries.at(-1)!.key.end;
    return yes({ doc: source.name, start: end, end, text: `, ${name}: ${renderFlow(value)}` });
  }
  if (at && isEmpty(at.node) && (at.parent.flow || at.node.kind === 'map'))
    return replace(source, at, { [key]: value });
  const edit = insertRaw(source, at, [], (indent) => {
    return nested
      ? `${name}:${blockAfterKey(value, indent)}`
      : `${name}:${renderAfterKey(value, indent, name.length)}`;
  });
  return edit ? yes(edit) : no(`There is no map at which \`${key}\` could be added.`);
}

/** Maps made on the way to a new value are written as blocks, so that more can be added to them. */
function blockAfterKey(value: Json, indent: number): string {
  if (Array.isArray(value)) {
    return value.map((item: Json) => `\n${' '.repeat(indent + 2)}- ${renderFlow(item)}`).join('');
  }
  const entries =
    typeof value === 'object' && value !== null && !Array.isArray(value) ? Object.entries(value) : [];
  if (entries.length !== 1) return renderAfterKey(value, indent, 0);
  const [key, inner] = entries[0]!;
  const name = plainOrQuoted(key);
  const deeper =
    typeof inner === 'object' && inner !== null && !Array.isArray(inner) && Object.keys(inner).length === 1;
  const after = deeper ? blockAfterKey(inner, indent + 2) : renderAfterKey(inner, indent + 2, name.length);
  return `\n${' '.repeat(indent + 2)}${name}:${after}`;
}

/**
 * Puts lines at the end of a block map (or makes an empty value one), below maps made on the way.
 * @param lines the entry's text for the column it will stand at
 */
function insertRaw(
  source: Source,
  at: Found | undefined,
  parents: readonly string[],
  lines: (indent: number) => string,
): TextEdit | undefined {
  const { name, text } = source;
  const node = at ? at.node : source.root;
  const nest = (indent: number): string =>
    parents
      .map((parent, depth) => `${' '.repeat(indent + 2 * depth)}${plainOrQuoted(parent)}:\n`)
      .join('')
      .concat(' '.repeat(indent + 2 * parents.length), lines(indent + 2 * parents.length));
  if (node?.kind === 'map' && !node.flow && node.entries.length) {
    const indent = columnOf(text, node.entries[0]!.key.start);
    const last = node.entries.at(-1)!;
    const end = endOfLine(text, Math.max(last.value.end, last.key.end));
    return { doc: name, start: end, end, text: `\n${nest(indent)}` };
  }
  if (!at) {
    if (node && !isEmpty(node)) return undefined;
    const start = node?.start ?? text.length;
    const fresh = node && node.end > node.start ? '' : text === '' || text.endsWith('\n') ? '' : '\n';
    return { doc: name, start, end: node?.end ?? start, text: `${fresh}${nest(0)}\n` };
  }
  if (!isEmpty(at.node) || at.is !== 'entry' || at.parent.flow) return undefined;
  const colon = text.indexOf(':', at.entry.key.end) + 1;
  const indent = columnOf(text, at.entry.key.start) + 2;
  return { doc: name, start: colon, end: Math.max(colon, at.node.end), text: `\n${nest(indent)}` };
}

function removal(source: Source, found: Found): TextEdit {
  const { text, name } = source;
  const { parent } = found;
  const siblings: readonly { start: number; end: number }[] =
    parent.kind === 'map'
      ? parent.entries.map(({ key, value }) => ({ start: key.start, end: Math.max(key.end, value.end) }))
      : parent.items;
  const index = found.is === 'item' ? found.index : (parent as MapNode).entries.indexOf(found.entry);
  const own = siblings[index]!;
  if (siblings.length === 1) {
    return { doc: name, start: parent.start, end: parent.end, text: parent.kind === 'map' ? '{}' : '[]' };
  }
  if (parent.flow) {
    const next = siblings[index + 1];
    const before = siblings[index - 1];
    return next
      ? { doc: name, start: own.start, end: next.start, text: '' }
      : { doc: name, start: before!.end, end: own.end, text: '' };
  }
  // a block entry goes with its whole lines; the first on a line shared with a dash keeps the dash
  const head = found.is === 'item' ? dashBefore(text, own.start) : own.start;
  const lineStart = text.lastIndexOf('\n', head - 1) + 1;
  const after = endOfLine(text, own.end);
  if (text.slice(lineStart, head).trim() !== '') {
    return { doc: name, start: head, end: siblings[index + 1]!.start, text: '' };
  }
  if (after < text.length) return { doc: name, start: lineStart, end: after + 1, text: '' };
  return { doc: name, start: Math.max(0, lineStart - 1), end: after, text: '' };
}

/** The offset of the `-` a block list's item stands behind. */
function dashBefore(text: string, start: number): number {
  return text.lastIndexOf('-', start - 1);
}

/** The end of the line an offset is on, a comment there included, its line break not. */
function endOfLine(text: string, offset: number): number {
  const end = text.indexOf('\n', offset);
  if (end < 0) return text.length;
  return text[end - 1] === '\r' ? end - 1 : end;
}

function columnOf(text: string, offset: number): number {
  return offset - (text.lastIndexOf('\n', offset - 1) + 1);
}

/** A text in the quotes the old one had, where it had any. */
function quotedLike(old: string, text: string): string {
  if (old.startsWith('"')) return JSON.stringify(text);
  if (old.startsWith("'") && !/[\p{Cc}]/u.test(text)) return `'${text.replaceAll("'", "''")}'`;
  return plainOrQuoted(text);
}

/** Moves all lines but the first by some columns. */
function reindent(text: string, by: number): string {
  if (by === 0) return text;
  return text.replace(
    /\n( *)(?=\S)/g,
    (_, spaces: string) => `\n${' '.repeat(Math.max(0, spaces.length + by))}`,
  );
}

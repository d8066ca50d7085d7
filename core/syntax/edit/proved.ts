/** Edits that are tried before they are handed out, one by one and together. */
import { type ChangeSet, type Edited, type TextEdit, compose } from '../../base/edits.ts';
import { type Intent, type Meaning, holds } from './proof.ts';
import type { Reached, Source } from './source.ts';
import type { Way } from './ways.ts';
import { parseAgain } from '../parse-again.ts';
import { parseDocument } from '../parse.ts';
import type { Placed, Trees } from '../place.ts';

/** A change set with what it means: others can be made together with it. */
export type Proved =
  | { readonly ok: true; readonly edits: ChangeSet; readonly intents: readonly Intent[] }
  | { readonly ok: false; readonly message: string };

/** @returns whether edits come with what they mean */
export const isProved = (edited: Edited): edited is Proved => !edited.ok || 'intents' in edited;

export const refused = (message: string): Proved => ({ ok: false, message });

export const UNPROVED =
  'This cannot be written here without changing something else; change it in the text itself.';

/** The first way that means what is meant and nothing else. */
export function proved(source: Source, ways: Iterable<Way>, intents: readonly Intent[]): Proved {
  const eol = source.text.includes('\r\n') ? '\r\n' : '\n';
  for (const way of ways) {
    const edits = way.map(({ start, end, text }) => ({
      doc: source.doc,
      start,
      end,
      text: text.replaceAll('\n', eol),
    }));
    if (holds(source.tree, parseAgain(source.tree, edits), intents)) return { ok: true, edits, intents };
  }
  return refused(UNPROVED);
}

export const intent = (source: Source, steps: readonly Reached[], meaning: Meaning): Intent => ({
  ...meaning,
  doc: source.doc,
  at: steps.map(({ index }) => index),
});

/** Why nothing can be changed there; undefined where something can. */
export function repeated(steps: readonly Reached[], itself = false): string | undefined {
  const shared = (itself ? steps : steps.slice(0, -1)).some(({ node }) => node.alias);
  return shared ? 'An alias repeats here what is written elsewhere; change it there.' : undefined;
}

/**
 * Puts edits together that were made of the same documents.
 * @returns one change set, proved as a whole; refused where one was, or where two are in each other's way
 */
export function together({ trees }: Placed, all: readonly Proved[]): Proved {
  const edits: TextEdit[] = [];
  const intents: Intent[] = [];
  for (const each of all) {
    if (!each.ok) return each;
    for (const edit of each.edits) if (!edits.some((other) => sameEdit(other, edit))) edits.push(edit);
    intents.push(...each.intents);
  }
  for (const [doc, tree] of trees) {
    const own = edits.filter((edit) => edit.doc === doc).sort((a, b) => a.start - b.start);
    if (own.length === 0) continue;
    if (own.some((edit, i) => i > 0 && edit.start < own[i - 1]!.end))
      return refused('Two of these changes are in each other’s way; make them one by one.');
    const meant = intents.filter((each) => each.doc === doc);
    if (!holds(tree, parseAgain(tree, own), onceEach(meant))) return refused(UNPROVED);
  }
  return { ok: true, edits, intents };
}

const sameEdit = (a: TextEdit, b: TextEdit) =>
  a.doc === b.doc && a.start === b.start && a.end === b.end && a.end > a.start && a.text === b.text;

/** One scalar may be met twice, as when a statement names the same thing in two ways. */
function onceEach(intents: readonly Intent[]): Intent[] {
  const seen = new Set<string>();
  return intents.filter(({ does, at }) => {
    if (does === 'enter' || does === 'add') return true;
    const id = `${does} ${at.join('.')}`;
    return !seen.has(id) && seen.add(id);
  });
}

/** @returns the documents with edits made, read again */
export function edited({ trees }: Placed, edits: ChangeSet): Placed {
  const now = new Map(trees);
  for (const doc of new Set(edits.map((edit) => edit.doc))) {
    const tree = trees.get(doc);
    if (tree)
      now.set(
        doc,
        parseAgain(
          tree,
          edits.filter((edit) => edit.doc === doc),
        ),
      );
  }
  return { trees: now };
}

/** @returns edits made one after the other, each on the documents the one before left, as one change set */
export function sequence(placed: Placed, steps: readonly ((now: Placed) => Edited)[]): Edited {
  let now = placed;
  let edits: ChangeSet = [];
  for (const step of steps) {
    const made = step(now);
    if (!made.ok) return made;
    edits = edits.length ? compose(edits, made.edits) : made.edits;
    now = edited(now, made.edits);
  }
  const rank = new Map([...placed.trees.keys()].map((doc, i) => [doc, i]));
  return { ok: true, edits: [...edits].sort((a, b) => rank.get(a.doc)! - rank.get(b.doc)!) };
}

/** @returns documents read to be edited */
export const treesOf = (documents: readonly { readonly name: string; readonly text: string }[]): Trees =>
  new Map(documents.map(({ name, text }) => [name, parseDocument(text)]));

/**
 * Unsaved work kept in the browser, so that a crash or a lost connection loses nothing. Only what is not
 * as the server has it is kept, each document in an entry of its own: a key stroke writes one of them,
 * however many there are.
 */
import type { TextDocument } from '@vondle/core/base';

export interface Kept {
  /** The version of the draft that the work is based on. */
  readonly version: number;
  readonly documents: readonly TextDocument[];
  /** What was on its way to the server: its answer may never have come. */
  readonly sending?: Sending | undefined;
}

/** A save that was sent: all names, and of the documents that were sent what tells their texts. */
export interface Sending {
  readonly names: readonly string[];
  readonly texts: readonly (readonly [name: string, sign: string])[];
}

/** @returns what is to be known of a save while it is on its way */
export const sendingOf = (documents: readonly TextDocument[], sent: readonly TextDocument[]): Sending => ({
  names: documents.map(({ name }) => name),
  texts: sent.map(({ name, text }) => [name, signOf(text)]),
});

/** @returns whether a draft is what a save made of the one it was sent to */
export function isSaved({ names, texts }: Sending, draft: readonly TextDocument[]): boolean {
  const there = new Map(draft.map(({ name, text }) => [name, text]));
  return (
    names.length === draft.length &&
    draft.every(({ name }, i) => name === names[i]) &&
    texts.every(([name, sign]) => signOf(there.get(name) ?? '') === sign)
  );
}

/** A text in a few characters: two that differ have the same only by an accident of one in 2⁶⁴. */
function signOf(text: string): string {
  let [a, b] = [0x811c9dc5, 0x01000193];
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    a = Math.imul(a ^ code, 0x01000193);
    b = Math.imul(b + code, 0x85ebca6b) ^ (b >>> 13);
  }
  return `${text.length} ${(a >>> 0).toString(36)} ${(b >>> 0).toString(36)}`;
}

interface Head {
  readonly version: number;
  /** All documents there are to be, in order, and those of them that have an entry. */
  readonly names: readonly string[];
  readonly changed: readonly string[];
  readonly sending?: Sending | undefined;
}

const head = (slug: string) => `vondle draft ${slug}`;
const entry = (slug: string, name: string) => `vondle draft ${slug}/${name}`;

/** What has an entry already, by topology. */
const written = new Map<string, Map<string, TextDocument>>();

/** @param stored the documents that the server has at this version; without it, all are kept */
export function keep(
  slug: string,
  { version, documents, sending }: Kept,
  stored: ReadonlySet<TextDocument> | undefined,
): void {
  const before = written.get(slug) ?? new Map<string, TextDocument>();
  const changed = documents.filter((document) => !stored?.has(document));
  try {
    for (const document of changed) {
      if (before.get(document.name) === document) continue;
      localStorage.setItem(entry(slug, document.name), document.text);
      before.set(document.name, document);
    }
    // the head last: what it names is whole then
    const names = (list: readonly TextDocument[]) => list.map(({ name }) => name);
    const now: Head = { version, names: names(documents), changed: names(changed), sending };
    localStorage.setItem(head(slug), JSON.stringify(now));
    written.set(slug, before);
  } catch {
    // a full or forbidden storage leaves the server's copy as the only one; half of one is none
    forget(slug);
  }
}

/**
 * @param present the documents of the server, for those that were not changed
 * @returns what was kept, or undefined
 */
export function readKept(slug: string, present: readonly TextDocument[]): Kept | undefined {
  try {
    const kept = JSON.parse(localStorage.getItem(head(slug)) ?? 'null') as Head | null;
    if (!kept) return void sweep(slug);
    const changed = new Set(kept.changed);
    const known = new Map(present.map((document) => [document.name, document]));
    const documents = kept.names.flatMap((name): TextDocument[] => {
      const text = changed.has(name) ? localStorage.getItem(entry(slug, name)) : null;
      const document = text === null ? known.get(name) : { name, text };
      return document ? [document] : [];
    });
    const { version, sending } = kept;
    return documents.length ? { version, documents, ...(sending ? { sending } : {}) } : undefined;
  } catch {
    return undefined;
  }
}

/** What is kept is on the server now. Texts stay for the next key stroke to build on; without a head they are nothing. */
export function forget(slug: string): void {
  try {
    localStorage.removeItem(head(slug));
  } catch {
    // a forbidden storage holds nothing
  }
}

function sweep(slug: string): void {
  written.delete(slug);
  const own = Object.keys(localStorage).filter((key) => key.startsWith(entry(slug, '')));
  for (const key of own) localStorage.removeItem(key);
}

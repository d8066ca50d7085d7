/**
 * Unsaved work kept in the browser, so that a crash or a lost connection loses nothing. Each document
 * has an entry of its own: a key stroke writes one of them, however many there are.
 */
import type { TopologyDocument } from '@vondle/core';

export interface Kept {
  /** The version of the draft that the work is based on. */
  readonly version: number;
  readonly documents: readonly TopologyDocument[];
}

const head = (slug: string) => `vondle draft ${slug}`;
const entry = (slug: string, name: string) => `vondle draft ${slug}/${name}`;

/** What is in the storage already, by topology. */
const written = new Map<string, Map<string, TopologyDocument>>();

export function keep(slug: string, { version, documents }: Kept): void {
  const before = written.get(slug) ?? new Map<string, TopologyDocument>();
  try {
    for (const document of documents) {
      if (before.get(document.name) !== document)
        localStorage.setItem(entry(slug, document.name), document.text);
    }
    // the names last: what they name is whole then
    localStorage.setItem(head(slug), JSON.stringify({ version, names: documents.map(({ name }) => name) }));
    const names = new Set(documents.map(({ name }) => name));
    for (const name of before.keys()) if (!names.has(name)) localStorage.removeItem(entry(slug, name));
    written.set(slug, new Map(documents.map((document) => [document.name, document])));
  } catch {
    // a full or forbidden storage leaves the server's copy as the only one; half of one is none
    forget(slug);
    written.delete(slug);
  }
}

export function readKept(slug: string): Kept | undefined {
  try {
    const { version, names } = JSON.parse(localStorage.getItem(head(slug)) ?? '{"names":[]}') as {
      version: number;
      names: string[];
    };
    if (names.length === 0) sweep(slug);
    const documents = names.map((name) => ({ name, text: localStorage.getItem(entry(slug, name))! }));
    const whole = names.length > 0 && documents.every(({ text }) => typeof text === 'string');
    return whole ? { version, documents } : undefined;
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

/** What things of a broker are called in the documents made of it, and how those are written. */
import type { TextDocument } from '../../base/edits.ts';
import { type Json, literal, plainOrQuoted, renderFlow } from '../../syntax/render.ts';

/** What was made of a broker. */
export interface Adopted {
  readonly documents: readonly TextDocument[];
  /** What is there and the language cannot say, a sentence each. */
  readonly unsaid: readonly string[];
}

/** Who takes from a queue now, as they are called. */
export type TakersNow = ReadonlyMap<string, readonly string[]>;

/** What things are called in the documents: as on the broker where that will do. */
export class Ids {
  private readonly ids = new Map<string, string>();

  /** @param taken names that something else has */
  constructor(names: readonly string[], taken = new Set<string>()) {
    for (const name of names) {
      const wanted = idFor(name) || 'unnamed';
      let id = wanted;
      for (let n = 2; taken.has(id); n++) id = `${wanted}-${n}`;
      taken.add(id);
      this.ids.set(name, id);
    }
  }

  of(name: string): string | undefined {
    return this.ids.get(name);
  }

  /** @returns names on the broker, each with what it is called */
  entries(): IterableIterator<[string, string]> {
    return this.ids.entries();
  }

  drop(name: string): void {
    this.ids.delete(name);
  }
}

/** @returns a name without what names of things cannot have; empty where nothing is left */
export const idFor = (name: string): string =>
  name.replace(/[^\p{L}\p{N}._-]+/gu, '-').replace(/^[-.]+|[-.]+$/g, '');

/** @returns an id of small letters, digits and hyphens, a letter first; empty where nothing is left */
export const smallIdFor = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60);

/** @returns what an app is called after a taker or a user: what tells its instances apart is left off */
export const appFor = (taker: string): string => smallIdFor(taker.replace(/[#@].*$/, '')) || 'somebody';

export const wire = (id: string, name: string) => (id === name ? {} : { wireName: name });

/** @returns settings as a flow of YAML, in which every text stands for itself */
export const flow = (settings: object): string => renderFlow(literal(settings as Json));

/** @returns one thing by its name, with its settings */
export const line = (id: string, settings: object): string => `${plainOrQuoted(id)}: ${flow(settings)}`;

/** @returns a section of a broker; nothing where it has no lines */
export const section = (title: string, lines: readonly string[]): string[] =>
  lines.length ? [`    ${title}:`, ...lines.map((each) => `      ${each}`)] : [];

/** What an app does, as it is found out. */
export interface Does {
  readonly consumes: object[];
  readonly publishes: object[];
}

/** @param name as a message says who sent it, '' where it does not @returns the app that is declared to publish it */
export const publisherFor = (name: string): string => (name === '' ? 'unknown-publisher' : appFor(name));

/** What is said where messages do not tell who sent them. */
export const UNKNOWN_PUBLISHER =
  'Who sent some messages is not said in them: it is written as unknown-publisher; name the apps.';

/** Apps by their ids, with what each does. */
export class Apps {
  private readonly apps = new Map<string, Does>();

  of(id: string): Does {
    let found = this.apps.get(id);
    if (!found) this.apps.set(id, (found = { consumes: [], publishes: [] }));
    return found;
  }

  /** @returns the document that declares them; nothing where there are none */
  documents(): TextDocument[] {
    if (this.apps.size === 0) return [];
    const once = (list: readonly object[]) => [
      ...new Map(list.map((each) => [JSON.stringify(each), each])).values(),
    ];
    const lines = [...this.apps].flatMap(([id, { consumes, publishes }]) => [
      ...(consumes.length || publishes.length ? [`  ${plainOrQuoted(id)}:`] : [`  ${plainOrQuoted(id)}: {}`]),
      ...(publishes.length
        ? ['    publishes:', ...once(publishes).map((each) => `      - ${flow(each)}`)]
        : []),
      ...(consumes.length ? ['    consumes:', ...once(consumes).map((each) => `      - ${flow(each)}`)] : []),
    ]);
    return [{ name: 'apps.yaml', text: `${['apps:', ...lines].join('\n')}\n` }];
  }
}

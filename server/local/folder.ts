/** A folder of topology documents as a draft: read whole, written file by file, and watched for who else writes there. */
import { createHash, randomBytes } from 'node:crypto';
import {
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  realpathSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import type { TextDocument } from '@vondle/core/base';
import { LARGEST_DRAFT } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import { MOST_DOCUMENTS } from '@vondle/api';
import { tooLargeADraft } from '../drafts/documents.ts';

const DOCUMENT = /\.(ya?ml|json)$/;
/** Folders are looked through so deep. */
const DEEPEST = 12;

/** What is in the folder now, and the version that this is. */
export interface Held {
  readonly documents: readonly TextDocument[];
  readonly version: number;
}

/** A folder that is being edited. Versions count the states of it that were seen, whoever made them. */
export class Folder {
  private version = 1;
  private sign = '';
  readonly root: string;

  /** @throws Error where there is no such folder */
  constructor(path: string) {
    this.root = realpathSync(path);
    if (!statSync(this.root).isDirectory()) throw new Error(`${path} is no folder`);
  }

  /**
   * Reads the folder.
   * @throws Problem 413 where it holds more than a topology may, 422 where a document is no text in UTF-8
   */
  read(): Held {
    const documents: TextDocument[] = [];
    let size = 0;
    for (const name of this.names()) {
      const bytes = readFileSync(join(this.root, name));
      size += bytes.byteLength;
      if (size > LARGEST_DRAFT) throw tooLargeADraft();
      try {
        documents.push({
          name,
          text: new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes),
        });
      } catch {
        throw new Problem(
          422,
          'No text',
          `${name} is no text in UTF-8. Save it as UTF-8, or put it elsewhere.`,
        );
      }
    }
    const hash = createHash('sha256');
    for (const { name, text } of documents) hash.update(JSON.stringify([name, text]));
    const sign = hash.digest('hex');
    if (this.sign !== '' && sign !== this.sign) this.version++;
    this.sign = sign;
    return { documents, version: this.version };
  }

  /** The documents there are, by their paths in it, in order. */
  private names(): string[] {
    const found: string[] = [];
    const walk = (at: string, depth: number): void => {
      for (const entry of readdirSync(at, { withFileTypes: true })) {
        if (entry.name.startsWith('.') || entry.name === 'node_modules') continue;
        const path = join(at, entry.name);
        // a link may lead out of the folder: what is behind it is left alone
        if (entry.isDirectory() && depth < DEEPEST) walk(path, depth + 1);
        else if (entry.isFile() && DOCUMENT.test(entry.name))
          found.push(relative(this.root, path).split(sep).join('/'));
        if (found.length > MOST_DOCUMENTS)
          throw new Problem(
            413,
            'Too many',
            `A topology has at most ${MOST_DOCUMENTS} documents; this folder has more.`,
          );
      }
    };
    walk(this.root, 0);
    return found.sort();
  }

  /**
   * Makes the folder have exactly these documents: those that changed are written, each whole beside itself and
   * then put in its place, and those that are named no more are taken away.
   * @param names all there are to be
   * @param changed those that are not as they are on the disk
   * @throws Problem 409 where somebody else wrote there since `version`, 422 for a name that leads elsewhere
   */
  write(version: number, names: readonly string[], changed: readonly TextDocument[]): number {
    const now = this.read();
    if (now.version !== version)
      throw new Problem(
        409,
        'The folder has moved',
        'A file was changed on the disk since it was read here.',
        {
          theirs: { version: now.version },
        },
      );
    const known = new Set(now.documents.map(({ name }) => name));
    const missing = names.find((name) => !known.has(name) && !changed.some((each) => each.name === name));
    if (missing !== undefined) throw new Problem(422, 'Not a draft', `${missing} is neither there nor sent.`);
    const places = changed.map(({ name, text }) => ({ path: this.placeOf(name), text }));
    for (const { path, text } of places) {
      mkdirSync(dirname(path), { recursive: true });
      const draft = `${path}.${randomBytes(4).toString('hex')}.part`;
      try {
        writeFileSync(draft, text, existsSync(path) ? { mode: statSync(path).mode } : {});
        renameSync(draft, path);
      } finally {
        rmSync(draft, { force: true });
      }
    }
    const wanted = new Set(names);
    for (const name of known) if (!wanted.has(name)) rmSync(this.placeOf(name), { force: true });
    return this.read().version;
  }

  /** Where a document of a name stands. @throws Problem 422 where that is not in the folder */
  private placeOf(name: string): string {
    const path = join(this.root, name);
    const hidden = name.split('/').some((part) => part.startsWith('.') || part === 'node_modules');
    const outside = new Problem(
      422,
      'Not in the folder',
      `${name} would not be in the folder that is open here.`,
    );
    if (hidden || !path.startsWith(this.root + sep)) throw outside;
    // the nearest folder that is there must not be a way out by a link
    let at = dirname(path);
    while (!existsSync(at)) at = dirname(at);
    const real = realpathSync(at);
    if (real !== this.root && !real.startsWith(this.root + sep)) throw outside;
    if (existsSync(path) && realpathSync(path) !== join(real, relative(at, path))) throw outside;
    return path;
  }
}

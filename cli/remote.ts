/** `vondle pull`, `vondle push`: a topology of a server in a folder, and back; and its revisions by `topology@r3`. */
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import type { TextDocument } from '@vondle/core/base';
import { merge, type Conflict } from '@vondle/core/change';
import { CouldNotRun, documentsIn } from './files.ts';

/** Says, in a folder, where its documents come from: a hidden file, which is no document. */
const MARK = '.vondle.json';
/** A topology has no more documents than this. */
const MOST_DOCUMENTS = 1000;
/** A server that says nothing for so long is not waited for. */
const PATIENCE_MS = 60_000;

interface Mark {
  readonly topology: string;
  /** The revision the folder's documents go on from; 0 for none. */
  readonly base: number;
}

interface Remote {
  readonly base: number;
  readonly documents: readonly TextDocument[];
}

/** Asks the server named by VONDLE_SERVER, with the token of VONDLE_TOKEN. @throws CouldNotRun with its words */
export async function ask<T>(
  method: string,
  path: string,
  data?: unknown,
): Promise<{ status: number; data: T }> {
  const server = process.env['VONDLE_SERVER'] ?? 'http://127.0.0.1:4580';
  const token = process.env['VONDLE_TOKEN'];
  if (!token)
    throw new CouldNotRun('say your token in VONDLE_TOKEN; one is made under your name in the interface');
  let response: Response;
  try {
    response = await fetch(new URL(`/api/topologies/${path}`, server), {
      method,
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      ...(data === undefined ? {} : { body: JSON.stringify(data) }),
      signal: AbortSignal.timeout(PATIENCE_MS),
    });
  } catch (error) {
    throw new CouldNotRun(`${server} cannot be reached: ${(error as Error).message}`);
  }
  const answer = (await response.json().catch(() => ({}))) as T & { detail?: string };
  if (!response.ok && response.status !== 409)
    throw new CouldNotRun(`${server} answered ${response.status}: ${answer.detail ?? 'no more than that'}`);
  return { status: response.status, data: answer };
}

/** A revision of a topology on a server, as it is named on the command line. */
const REVISION = /^([\p{L}\p{M}\p{N}-]{1,100})@r(\d{1,9})$/u;

/** @returns the documents of `topology@r3`, or undefined for what is no such name. @throws CouldNotRun */
export async function revisionNamed(path: string): Promise<TextDocument[] | undefined> {
  const [, slug, number] = REVISION.exec(path) ?? [];
  if (slug === undefined || existsSync(path)) return undefined;
  return revisionOf(slug, Number(number));
}

/** @returns the documents of a revision. @throws CouldNotRun */
export async function revisionOf(slug: string, number: number): Promise<TextDocument[]> {
  if (number === 0) return [];
  const path = `${encodeURIComponent(slug)}/revisions/${number}`;
  return (await ask<{ documents: TextDocument[] }>('GET', path)).data.documents;
}

async function draftOf(slug: string): Promise<Remote> {
  return (await ask<{ draft: Remote }>('GET', encodeURIComponent(slug))).data.draft;
}

/** The documents of a folder, called by their path in it. */
export function inFolder(folder: string): TextDocument[] {
  return documentsIn(folder, MOST_DOCUMENTS + 1).map((path) => ({
    name: relative(folder, path).split(sep).join('/'),
    text: readFileSync(path, 'utf8'),
  }));
}

/** @returns where a folder was pulled from. @throws CouldNotRun where its mark cannot be read */
export function markIn(folder: string): Mark | undefined {
  const path = join(folder, MARK);
  if (!existsSync(path)) return undefined;
  try {
    const { topology, base } = JSON.parse(readFileSync(path, 'utf8')) as Partial<Mark>;
    if (typeof topology === 'string' && Number.isInteger(base)) return { topology, base: base! };
  } catch {
    // told below
  }
  throw new CouldNotRun(`${path} does not say where the folder comes from; remove it, and pull again`);
}

/** Writes documents and the mark; each file whole beside itself first. The names come from a server, and lead nowhere else. */
function write(folder: string, documents: readonly TextDocument[], mark: Mark): void {
  const put = (name: string, text: string) => {
    const path = join(folder, name);
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(`${path}.${process.pid}.part`, text);
    renameSync(`${path}.${process.pid}.part`, path);
  };
  for (const { name } of documents)
    if (name.split('/').some((part) => part === '' || part === '.' || part === '..' || part.includes('\\')))
      throw new CouldNotRun(`the server names a document ${name}, which leads out of the folder`);
  const before = new Map(inFolder(folder).map(({ name, text }) => [name, text]));
  for (const { name, text } of documents) {
    if (before.get(name) === text) continue;
    put(name, text);
    process.stdout.write(`${name}\n`);
  }
  put(MARK, `${JSON.stringify(mark)}\n`);
}

function told(conflicts: readonly Conflict[]): void {
  for (const { doc, way, mine, theirs } of conflicts)
    process.stderr.write(
      `${doc}: ${way.join(' › ') || 'some lines'}: ${mine ?? 'not there'} here, ${theirs ?? 'not there'} there\n`,
    );
  process.exitCode = 1;
}

/**
 * `vondle pull`: brings what a topology's main draft has by now into a folder, put together with what the folder has;
 * exit 1 where both say one value otherwise, and nothing is written then.
 */
export async function pull(slug: string, folder: string): Promise<void> {
  const mark = markIn(folder);
  if (mark && mark.topology !== slug) throw new CouldNotRun(`${folder} comes from ${mark.topology}`);
  const mine = existsSync(folder) ? inFolder(folder) : [];
  if (!mark && mine.length)
    throw new CouldNotRun(`${folder} has documents that come from elsewhere; pull into another folder`);
  const theirs = await draftOf(slug);
  const merged = mark
    ? merge(await revisionOf(slug, mark.base), mine, theirs.documents)
    : { documents: theirs.documents, conflicts: [] };
  if (merged.conflicts.length) return told(merged.conflicts);
  write(folder, merged.documents, { topology: slug, base: theirs.base });
}

/**
 * `vondle push`: puts a folder that was pulled together with what the topology's main draft has by now; exit 1 where
 * both say one value otherwise, and nothing is changed then.
 */
export async function push(folder: string): Promise<void> {
  const mark = markIn(folder);
  if (!mark)
    throw new CouldNotRun(`${folder} was not pulled from a server: \`vondle pull <topology> ${folder}\``);
  const documents = inFolder(folder);
  if (documents.length === 0) throw new CouldNotRun(`there are no documents in ${folder}`);
  if (documents.length > MOST_DOCUMENTS)
    throw new CouldNotRun(`a topology has at most ${MOST_DOCUMENTS} documents`);
  const path = `${encodeURIComponent(mark.topology)}/draft/merge`;
  const answer = await ask<{ changed?: boolean; version?: number; conflicts?: Conflict[]; detail?: string }>(
    'POST',
    path,
    { base: mark.base, documents },
  );
  const { conflicts, changed, version, detail } = answer.data;
  // on the server the draft is what is there, and the folder what comes
  if (conflicts) return told(conflicts.map((each) => ({ ...each, mine: each.theirs, theirs: each.mine })));
  if (answer.status === 409) throw new CouldNotRun(detail ?? 'the server would not take it');
  process.stdout.write(
    changed ? `the draft is at version ${version} now\n` : 'the draft has all of it already\n',
  );
}

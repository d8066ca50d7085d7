import { readdirSync, readFileSync, statSync } from 'node:fs';
import { readZip } from '@vondle/core/formats/zip';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { readTopology, type Topology } from '@vondle/core/topology';
import type { TextDocument } from '@vondle/core/base';
import type { Progress } from './progress.ts';

/** The command could not do its work at all: exit 2, with words. */
export class CouldNotRun extends Error {}

/** The checkout that this command is part of; from its bundle in cli/dist. */
export const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');

const DOCUMENT = /\.(ya?ml|json)$/;

function* filesAt(path: string): Generator<string> {
  let stat;
  try {
    stat = statSync(path);
  } catch {
    throw new CouldNotRun(`there is no file or folder ${path}`);
  }
  if (!stat.isDirectory()) {
    yield path;
    return;
  }
  for (const entry of readdirSync(path, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const inner = join(path, entry.name);
    if (entry.name.startsWith('.') || entry.name === 'node_modules') continue;
    if (entry.isDirectory()) yield* filesAt(inner);
    else if (DOCUMENT.test(entry.name)) yield inner;
  }
}

/** @returns the paths of the documents in a folder, in its order, at most so many; none where it cannot be gone through */
export function documentsIn(folder: string, most: number): string[] {
  const found: string[] = [];
  try {
    for (const path of filesAt(folder)) {
      if (found.length >= most) break;
      found.push(path);
    }
  } catch {
    // a folder that went, or may not be read, has no documents
  }
  return found;
}

const ZIP = /\.zip$/i;
/** A zip file that is larger holds no topology. */
const LARGEST_ZIP = 64 * 1024 * 1024;

/** @returns the documents in a zip file, called by its path and theirs. @throws CouldNotRun */
function zipped(path: string): TextDocument[] {
  let bytes: Uint8Array;
  try {
    if (statSync(path).size > LARGEST_ZIP) throw new Error('it is larger than 64 MiB');
    bytes = readFileSync(path);
  } catch (error) {
    throw new CouldNotRun(`cannot read ${path}: ${(error as Error).message}`);
  }
  const read = readZip(bytes);
  if (!read.ok) throw new CouldNotRun(`${path}: ${read.message}`);
  return read.documents.map(({ name, text }) => ({ name: `${path}/${name}`, text }));
}

/** @throws CouldNotRun where a path is a zip file, which nothing is written into */
export function writable(paths: readonly string[]): void {
  const zip = paths.find((path) => ZIP.test(path));
  if (zip !== undefined) throw new CouldNotRun(`nothing is written into ${zip}: unpack it first`);
}

/**
 * Reads the documents at some paths, folders through and through, and zip files that are named.
 * @throws CouldNotRun when a path is missing, cannot be read, or holds no documents
 */
export function readDocuments(paths: readonly string[]): TextDocument[] {
  const names = [...new Set(paths.flatMap((path) => [...filesAt(path)]))];
  if (names.length === 0)
    throw new CouldNotRun(`there are no .yaml, .yml or .json documents in ${paths.join(', ')}`);
  return names.flatMap((name) => {
    if (ZIP.test(name)) return zipped(name);
    try {
      return [{ name, text: readFileSync(name, 'utf8') }];
    } catch (error) {
      throw new CouldNotRun(`cannot read ${name}: ${(error as Error).message}`);
    }
  });
}

/** @returns the topology of some paths, in an environment. @throws CouldNotRun */
export const topologyAt = (
  paths: readonly string[],
  environment: string | undefined,
  progress?: Progress,
): Topology => topologyOf(readDocuments(paths), environment, progress);

/** @returns the topology of some documents, in an environment. @throws CouldNotRun */
export function topologyOf(
  documents: readonly TextDocument[],
  environment: string | undefined,
  progress?: Progress,
): Topology {
  // what is large is told at once: reading it is one long step
  const size = documents.reduce((sum, { text }) => sum + text.length, 0);
  progress?.say(`reading ${documents.length} documents`, size > 1_000_000);
  const topology = readTopology(documents, environment ? { environment } : {});
  if (environment && !topology.declared.environments?.has(environment)) {
    const known = [...(topology.declared.environments?.keys() ?? [])].join(', ') || 'none';
    throw new CouldNotRun(`there is no environment ${environment}; declared: ${known}`);
  }
  return topology;
}

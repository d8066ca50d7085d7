import { readdirSync, readFileSync, statSync } from 'node:fs';
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

/**
 * Reads the documents at some paths, folders through and through.
 * @throws CouldNotRun when a path is missing, cannot be read, or holds no documents
 */
export function readDocuments(paths: readonly string[]): TextDocument[] {
  const names = [...new Set(paths.flatMap((path) => [...filesAt(path)]))];
  if (names.length === 0)
    throw new CouldNotRun(`there are no .yaml, .yml or .json documents in ${paths.join(', ')}`);
  return names.map((name) => {
    try {
      return { name, text: readFileSync(name, 'utf8') };
    } catch (error) {
      throw new CouldNotRun(`cannot read ${name}: ${(error as Error).message}`);
    }
  });
}

/** @returns the topology of some paths, in an environment. @throws CouldNotRun */
export function topologyAt(
  paths: readonly string[],
  environment: string | undefined,
  progress?: Progress,
): Topology {
  const documents = readDocuments(paths);
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

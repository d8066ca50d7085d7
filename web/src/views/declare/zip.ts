/** A topology's documents as one zip file, and back. */
import type { TopologyDocument } from '@vondle/core';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';

/** More text than this in one zip is no topology. */
const MOST_BYTES = 64 * 1024 * 1024;

export function writeZip(documents: readonly TopologyDocument[]): Uint8Array {
  return zipSync(Object.fromEntries(documents.map(({ name, text }) => [name, strToU8(text)])));
}

export type ReadZip =
  | { readonly ok: true; readonly documents: readonly TopologyDocument[] }
  | { readonly ok: false; readonly message: string };

/** Reads the YAML and JSON files of a zip; a folder that holds all of them is left out of their names. */
export function readZip(bytes: Uint8Array): ReadZip {
  let files: Record<string, Uint8Array>;
  let size = 0;
  try {
    files = unzipSync(bytes, {
      filter: ({ name, originalSize }) => {
        if (!/\.(ya?ml|json)$/i.test(name) || /(^|\/)(\.|__MACOSX)/.test(name)) return false;
        size += originalSize;
        return size <= MOST_BYTES;
      },
    });
  } catch {
    return {
      ok: false,
      message:
        'This is no zip file that can be read. Choose one that was saved here, or made of a folder of documents.',
    };
  }
  if (size > MOST_BYTES)
    return { ok: false, message: 'What this zip holds is larger than 64 MiB. Take it in piece by piece.' };
  const names = Object.keys(files).sort();
  const first = names[0];
  if (first === undefined)
    return { ok: false, message: 'There is no .yaml, .yml or .json file in this zip.' };
  const folder = first.slice(0, first.indexOf('/') + 1);
  const shared = names.every((name) => name.startsWith(folder)) ? folder.length : 0;
  return {
    ok: true,
    documents: names.map((name) => ({ name: name.slice(shared), text: strFromU8(files[name]!) })),
  };
}

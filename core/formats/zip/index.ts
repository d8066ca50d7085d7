/** A topology's documents as one zip file, and back. */
import { strToU8, Unzip, UnzipInflate, zipSync } from 'fflate';
import type { TextDocument } from '../../base/edits.ts';

/** More text, or more documents, than this in one zip is no topology. */
const MOST_BYTES = 32 * 1024 * 1024;
const MOST_DOCUMENTS = 1000;
/** Entries of any kind that are looked at. */
const MOST_ENTRIES = 20_000;

/** @returns a zip file of documents */
export function writeZip(documents: readonly TextDocument[]): Uint8Array {
  return zipSync(Object.fromEntries(documents.map(({ name, text }) => [name, strToU8(text)])));
}

/** What was read of a zip, or in words why nothing was. */
export type ReadZip =
  | { readonly ok: true; readonly documents: readonly TextDocument[] }
  | { readonly ok: false; readonly message: string };

/** What keeps a zip from being taken in, in words. */
class Refused extends Error {}

/**
 * Reads the YAML and JSON files of a zip; a folder that holds all of them is left out of their names.
 * What the zip says of its own sizes is not believed: what comes out is counted as it comes.
 */
export function readZip(bytes: Uint8Array): ReadZip {
  let files: Map<string, Uint8Array>;
  try {
    files = unpacked(bytes);
  } catch (error) {
    return {
      ok: false,
      message:
        error instanceof Refused
          ? error.message
          : 'This is no zip file that can be read. Choose one that was saved here, or made of a folder of documents.',
    };
  }
  const names = [...files.keys()].sort();
  const first = names[0];
  if (first === undefined)
    return { ok: false, message: 'There is no .yaml, .yml or .json file in this zip.' };
  const folder = first.slice(0, first.indexOf('/') + 1);
  const shared = names.every((name) => name.startsWith(folder)) ? folder.length : 0;
  const documents: TextDocument[] = [];
  for (const name of names) {
    try {
      const text = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(files.get(name));
      documents.push({ name: name.slice(shared), text });
    } catch {
      return { ok: false, message: `${name} is no text in UTF-8. Nothing was taken in.` };
    }
  }
  return { ok: true, documents };
}

function unpacked(bytes: Uint8Array): Map<string, Uint8Array> {
  const files = new Map<string, Uint8Array>();
  const open = new Set<string>();
  let size = 0;
  let entries = 0;
  const unzip = new Unzip((file) => {
    const { name } = file;
    if (++entries > MOST_ENTRIES) throw new Refused(`This zip has more than ${MOST_ENTRIES} entries.`);
    if (!/\.(ya?ml|json)$/i.test(name) || /(^|\/)(\.[^./]|__MACOSX)/.test(name)) return;
    if (climbs(name))
      throw new Refused(
        `This zip has a name that leads elsewhere: ${name.slice(0, 80)}. Nothing was taken in.`,
      );
    if (files.has(name) || open.has(name))
      throw new Refused(`This zip has ${name.slice(0, 80)} twice. Nothing was taken in.`);
    if (files.size + open.size >= MOST_DOCUMENTS)
      throw new Refused(`This zip has more than ${MOST_DOCUMENTS} documents.`);
    open.add(name);
    const said = file.originalSize;
    const parts: Uint8Array[] = [];
    let own = 0;
    file.ondata = (error, part, last) => {
      if (error) throw error;
      own += part.byteLength;
      size += part.byteLength;
      if (size > MOST_BYTES)
        throw new Refused('What this zip holds is larger than 32 MiB. Take it in piece by piece.');
      if (said !== undefined && own > said)
        throw new Refused(`This zip says less of ${name.slice(0, 80)} than there is. Nothing was taken in.`);
      parts.push(part);
      if (!last) return;
      if (said !== undefined && own !== said)
        throw new Refused(`This zip says more of ${name.slice(0, 80)} than there is. Nothing was taken in.`);
      open.delete(name);
      files.set(name, joined(parts, own));
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  // in pieces, so that a bomb is met while it unfolds and not after
  const PIECE = 64 * 1024;
  for (let at = 0; at < bytes.byteLength; at += PIECE)
    unzip.push(bytes.subarray(at, at + PIECE), at + PIECE >= bytes.byteLength);
  if (open.size) throw new Error('cut off');
  // without a single entry it may be anything
  if (entries === 0 && !(bytes[0] === 0x50 && bytes[1] === 0x4b)) throw new Error('no zip');
  return files;
}

const climbs = (name: string) =>
  name.startsWith('/') ||
  name.includes('\\') ||
  name.split('/').some((part) => part === '..' || part === '.' || part === '');

function joined(parts: readonly Uint8Array[], size: number): Uint8Array {
  const whole = new Uint8Array(size);
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.byteLength;
  }
  return whole;
}

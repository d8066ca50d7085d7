/** A folder of documents, as a browser hands it over. */
import type { TextDocument } from '@vondle/core/base';

const DOCUMENT = /\.(ya?ml|json)$/i;
const MOST_DOCUMENTS = 1000;
const MOST_BYTES = 32 * 1024 * 1024;

interface PathFile extends Blob {
  readonly name: string;
  readonly webkitRelativePath: string;
}

/**
 * Reads the YAML and JSON files of a folder; what is hidden, and what packages brought, is left where it is.
 * @throws Error with words: nothing in it, too much, or a file that is no text
 */
export async function readFolder(
  files: readonly PathFile[],
): Promise<{ name: string; documents: TextDocument[] }> {
  const [top = ''] = (files[0]?.webkitRelativePath ?? '').split('/');
  const own = files.flatMap((file) => {
    const path = file.webkitRelativePath.split('/').slice(1);
    const hidden = path.some((part) => part.startsWith('.') || part === 'node_modules');
    return DOCUMENT.test(file.name) && !hidden ? [{ file, name: path.join('/') || file.name }] : [];
  });
  if (own.length === 0) throw new Error(`There is no .yaml, .yml or .json file in the folder ${top}.`);
  if (own.length > MOST_DOCUMENTS)
    throw new Error(
      `${own.length} documents are in the folder ${top}; a topology has at most ${MOST_DOCUMENTS}.`,
    );
  if (own.reduce((sum, { file }) => sum + file.size, 0) > MOST_BYTES)
    throw new Error('The documents of a draft have at most 32 MiB of text, all together.');
  const documents: TextDocument[] = [];
  for (const { file, name } of own) {
    try {
      const bytes = new Uint8Array(await file.arrayBuffer());
      documents.push({
        name,
        text: new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes),
      });
    } catch {
      throw new Error(`${name} is no text in UTF-8. Nothing was taken in.`);
    }
  }
  return { name: top || 'taken in', documents: documents.sort((a, b) => (a.name < b.name ? -1 : 1)) };
}

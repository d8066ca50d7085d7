import type { TextEdit, TopologyDocument } from '@vondle/core';

/** The documents after edits whose offsets are all those of the documents before. */
export function applyTo(
  documents: readonly TopologyDocument[],
  edits: readonly TextEdit[],
): readonly TopologyDocument[] {
  return documents.map((document) => {
    const own = edits
      .filter((edit) => edit.doc === document.name)
      .sort((a, b) => b.start - a.start || b.end - a.end);
    if (own.length === 0) return document;
    const cut = (text: string, { start, end, text: put }: TextEdit) =>
      text.slice(0, start) + put + text.slice(end);
    return { name: document.name, text: own.reduce(cut, document.text) };
  });
}

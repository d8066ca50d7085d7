/** Documents, and changes of their text. */

/** One file: its path, and its text. */
export interface TextDocument {
  readonly name: string;
  readonly text: string;
}

/** A minimal change of one document: replace `start..end` by `text`; offsets in UTF-16 code units. */
export interface TextEdit {
  readonly doc: string;
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/**
 * Edits that are made together. All their offsets are those of the documents before; none reaches into
 * another; of several at one offset, the first is written first.
 */
export type ChangeSet = readonly TextEdit[];

/** A change set, or in words why there is none. */
export type Edited =
  { readonly ok: true; readonly edits: ChangeSet } | { readonly ok: false; readonly message: string };

/** @returns the edits of one document in the order of its text, those at one offset as they were given */
function editsOf(edits: ChangeSet, doc: string): TextEdit[] {
  return edits.filter((edit) => edit.doc === doc).sort((a, b) => a.start - b.start || a.end - b.end);
}

/** @returns a text with edits of it made */
export function applyTo(text: string, edits: readonly Pick<TextEdit, 'start' | 'end' | 'text'>[]): string {
  let result = '';
  let done = 0;
  for (const { start, end, text: put } of edits) {
    result += text.slice(done, start) + put;
    done = end;
  }
  return result + text.slice(done);
}

/** @returns the documents after a change set, those untouched as the same objects */
export function applyEdits(documents: readonly TextDocument[], edits: ChangeSet): TextDocument[] {
  return documents.map((document) => {
    const own = editsOf(edits, document.name);
    return own.length === 0 ? document : { name: document.name, text: applyTo(document.text, own) };
  });
}

/** @returns the change set that undoes another, in the offsets of the documents after it */
export function undoOf(documents: readonly TextDocument[], edits: ChangeSet): TextEdit[] {
  return documents.flatMap(({ name, text }) => {
    let shift = 0;
    return editsOf(edits, name).map((edit) => {
      const start = edit.start + shift;
      shift += edit.text.length - (edit.end - edit.start);
      return { doc: name, start, end: start + edit.text.length, text: text.slice(edit.start, edit.end) };
    });
  });
}

/**
 * Edits as they are once others of the same documents were made first. Where both put something in at one place,
 * the others' stands first, or with `before` behind.
 * @returns undefined where one replaces, or stands within, what the other replaces
 */
export function over(edits: ChangeSet, others: ChangeSet, before = false): TextEdit[] | undefined {
  const moved: TextEdit[] = [];
  for (const edit of edits) {
    let shift = 0;
    for (const other of editsOf(others, edit.doc)) {
      const behind =
        other.end <= edit.start && !(before && other.end === edit.start && other.start === other.end);
      if (behind) shift += other.text.length - (other.end - other.start);
      else if (other.start < edit.end) return undefined;
    }
    moved.push({ ...edit, start: edit.start + shift, end: edit.end + shift });
  }
  return moved;
}

/** A piece of a document after a change set: kept from before, or put in. */
type Piece =
  | { readonly kept: true; readonly start: number; readonly end: number }
  | { readonly kept: false; readonly text: string };

const lengthOf = (piece: Piece): number => (piece.kept ? piece.end - piece.start : piece.text.length);

function cut(piece: Piece, from: number, to: number): Piece {
  return piece.kept
    ? { kept: true, start: piece.start + from, end: Math.min(piece.end, piece.start + to) }
    : { kept: false, text: piece.text.slice(from, to) };
}

/** The pieces of a document after edits; the last one reaches on to wherever its text ends. */
function piecesAfter(edits: readonly TextEdit[]): Piece[] {
  const pieces: Piece[] = [];
  let done = 0;
  for (const { start, end, text } of edits) {
    pieces.push({ kept: true, start: done, end: start }, { kept: false, text });
    done = end;
  }
  pieces.push({ kept: true, start: done, end: Infinity });
  return pieces;
}

/** Replaces what stands from `start` to `end` in the joined pieces. */
function replaced(pieces: readonly Piece[], { start, end, text }: TextEdit): Piece[] {
  const result: Piece[] = [];
  let at = 0;
  let put = false;
  for (const piece of pieces) {
    const next = at + lengthOf(piece);
    if (at < start) result.push(cut(piece, 0, Math.min(next, start) - at));
    if (!put && next >= start) {
      result.push({ kept: false, text });
      put = true;
    }
    if (next > end) result.push(cut(piece, Math.max(at, end) - at, Infinity));
    at = next;
  }
  return result;
}

/** @returns one change set that does what two do, the second in the offsets of the documents after the first */
export function compose(first: ChangeSet, second: ChangeSet): TextEdit[] {
  const names = [...new Set([...first, ...second].map(({ doc }) => doc))];
  return names.flatMap((doc): TextEdit[] => {
    let pieces = piecesAfter(editsOf(first, doc));
    // from the end, so that the offsets of those to come stay right
    for (const edit of editsOf(second, doc).reverse()) pieces = replaced(pieces, edit);
    const edits: TextEdit[] = [];
    let [done, text] = [0, ''];
    for (const piece of pieces) {
      if (!piece.kept) text += piece.text;
      else if (piece.end > piece.start) {
        if (piece.start > done || text !== '') edits.push({ doc, start: done, end: piece.start, text });
        [done, text] = [piece.end, ''];
      }
    }
    return edits;
  });
}

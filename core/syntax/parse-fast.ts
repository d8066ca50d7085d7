/**
 * The fast way to read a document: one pass over the everyday part of YAML, straight to the tree.
 *
 * It knows block maps and lists, flow maps and lists, plain and quoted scalars on one line, and
 * comments. Whatever else it meets (anchors, tags, several documents, scalars over several lines,
 * anything that might be wrong) makes it give up, and the full parser reads the
 * document instead: it never has to decide what is an error. What it does read, it reads exactly as
 * the full parser would; a test holds the two together.
 */
import { type Made, PlainEntry, adoptItem, adoptPlain, close, listAt, mapAt, scalar } from './making.ts';
import { DEEPEST } from './parse-full.ts';
import type { Entry, ListNode, MapNode, Node, ScalarNode } from './tree.ts';

/** Thrown to give up; one object, since nobody looks at where it comes from. */
const GIVE_UP = { giveUp: true };

const NEWLINE = 10;
const SPACE = 32;
const HASH = 35;
const QUOTE = 34;
const APOSTROPHE = 39;
const COMMA = 44;
const DASH = 45;
const COLON = 58;
const LIST_OPEN = 91;
const LIST_CLOSE = 93;
const MAP_OPEN = 123;
const MAP_CLOSE = 125;

/** What a plain scalar here may not begin with; `-`, `?` and `:` only before a space. */
const INDICATORS = new Set([...',[]{}#&*!|>\'"%@`'].map((char) => char.charCodeAt(0)));

/** Longer texts are kept as a part of the document's, or come once. */
const LONGEST_WORD = 24;

/** @returns the tree, undefined inside for an empty document; or undefined when the full parser is needed. */
export function parseFast(text: string): { readonly root: Node | undefined } | undefined {
  return unlessGivenUp(text, (plain) => ({ root: new Parser(plain).document() }));
}

/**
 * Reads lines that hold some items of one block map or list, and nothing else.
 * @param column where each item begins
 * @param depth how deep the map or list stands in its document
 */
export function parseItems(text: string, column: number, depth: number): MapNode | ListNode | undefined {
  return unlessGivenUp(text, (plain) => new Parser(plain, depth).items(column));
}

/** Line ends of two characters are read as a space and a line end, which means the same and is as long. */
function unlessGivenUp<T>(text: string, parse: (text: string) => T): T | undefined {
  const plain = text.includes('\r') ? text.replaceAll('\r\n', ' \n') : text;
  if (/[\r\t\0\ufeff\ufffd]/.test(plain)) return undefined;
  try {
    return parse(plain);
  } catch (error) {
    if (error === GIVE_UP) return undefined;
    throw error;
  }
}

class Parser {
  private at = 0;
  private readonly words = new Map<string, string>();
  /** Where the line that `at` is on begins. */
  private line = 0;

  constructor(
    private readonly text: string,
    private depth = 0,
  ) {}

  document(): Node | undefined {
    const column = this.content();
    if (column < 0) return undefined;
    // JSON, and whatever else is one flow from end to end
    const code = this.code();
    const root = code === MAP_OPEN || code === LIST_OPEN ? this.flow(-1) : this.block(column);
    if (root.flow) this.lineEnd();
    if (this.content() >= 0) throw GIVE_UP;
    return root;
  }

  items(column: number): MapNode | ListNode {
    if (this.content() !== column) throw GIVE_UP;
    const node = this.block(column);
    if (this.content() >= 0) throw GIVE_UP;
    return node;
  }

  private code(offset = 0): number {
    // NaN past the end compares unequal to everything
    return this.text.charCodeAt(this.at + offset);
  }

  /**
   * Moves to the next thing written, past blank lines and comments. A line that begins a document, ends
   * one or directs the parser is for the full parser.
   * @returns its column, or -1 at the end
   */
  private content(): number {
    const { text } = this;
    for (;;) {
      while (text.charCodeAt(this.at) === SPACE) this.at++;
      const code = text.charCodeAt(this.at);
      if (code === HASH) {
        // a comment needs a space, or a line of its own, before it
        if (this.at !== this.line && text.charCodeAt(this.at - 1) !== SPACE) throw GIVE_UP;
        const end = text.indexOf('\n', this.at);
        if (end < 0) {
          this.at = text.length;
          return -1;
        }
        this.at = end;
      } else if (Number.isNaN(code)) {
        return -1;
      }
      if (text.charCodeAt(this.at) !== NEWLINE) {
        if (this.at === this.line && /^(?:---|\.\.\.|%)/.test(text.slice(this.at, this.at + 3)))
          throw GIVE_UP;
        return this.at - this.line;
      }
      this.line = ++this.at;
    }
  }

  /** The rest of a line after a value: nothing, or a comment. */
  private lineEnd(): void {
    let spaces = 0;
    while (this.code() === SPACE) {
      this.at++;
      spaces++;
    }
    const code = this.code();
    if (code === NEWLINE || Number.isNaN(code)) return;
    if (code !== HASH || spaces === 0) throw GIVE_UP;
  }

  /** A map or list whose first key or dash stands here, at `column`. */
  private block(column: number): MapNode | ListNode {
    if (++this.depth > DEEPEST) throw GIVE_UP;
    const node = this.isDash() ? this.list(column) : this.map(column);
    this.depth--;
    return node;
  }

  private isDash(): boolean {
    if (this.code() !== DASH) return false;
    const next = this.code(1);
    return next === SPACE || next === NEWLINE || Number.isNaN(next);
  }

  private map(column: number): MapNode {
    const start = this.at;
    const entries: Entry[] = [];
    const map = mapAt(start, false, entries);
    let end: number;
    do {
      if (this.isDash()) throw GIVE_UP;
      const key = this.blockKey();
      const colon = this.at - 1;
      const value = this.afterColon(column);
      end = adoptPlain(map, entries, key, value, colon);
    } while (this.next(column));
    return close(map, end - start);
  }

  private list(column: number): ListNode {
    const start = this.at;
    const items: Node[] = [];
    const list = listAt(start, false, items);
    let end = start;
    do {
      if (!this.isDash()) throw GIVE_UP;
      const dash = this.at++;
      const item = this.item(column);
      end = Math.max(end, adoptItem(list, items, item, dash));
    } while (this.next(column, true));
    return close(list, end - start);
  }

  /** Whether another entry follows in the same column. A deeper line is something this parser does not know. */
  private next(column: number, inList = false): boolean {
    const following = this.content();
    if (following < column) return false;
    if (following > column) throw GIVE_UP;
    // a list may stand in its key's own column; the next key there ends it
    return !inList || this.isDash();
  }

  private item(column: number): Node {
    const dashEnd = this.at;
    while (this.code() === SPACE) this.at++;
    const code = this.code();
    if (code === NEWLINE || Number.isNaN(code) || (code === HASH && this.at > dashEnd)) {
      const inner = this.content();
      if (inner <= column) return nothing(dashEnd);
      return this.block(inner);
    }
    const inner = this.at - this.line;
    if (this.isDash() || this.keyFollows()) return this.block(inner);
    return this.inline(column);
  }

  /** Whether this line goes on as `key: …`. */
  private keyFollows(): boolean {
    const { text } = this;
    const first = this.code();
    if (first === LIST_OPEN || first === MAP_OPEN) return false;
    let at = this.at;
    if (first === QUOTE || first === APOSTROPHE) {
      at = this.closing(at, first) + 1;
      while (text.charCodeAt(at) === SPACE) at++;
      return text.charCodeAt(at) === COLON;
    }
    for (; ; at++) {
      const code = text.charCodeAt(at);
      if (code === NEWLINE || Number.isNaN(code)) return false;
      if (code === HASH && text.charCodeAt(at - 1) === SPACE) return false;
      if (code === COLON && endsKey(text.charCodeAt(at + 1))) return true;
    }
  }

  private blockKey(): PlainEntry {
    const { text } = this;
    const start = this.at;
    const first = this.code();
    let key: PlainEntry;
    if (first === QUOTE || first === APOSTROPHE) {
      key = this.quotedKey(first);
      while (this.code() === SPACE) this.at++;
      if (this.code() !== COLON) throw GIVE_UP;
    } else {
      this.plainStart();
      for (; ; this.at++) {
        const code = this.code();
        if (code === NEWLINE || Number.isNaN(code)) throw GIVE_UP;
        if (code === HASH && text.charCodeAt(this.at - 1) === SPACE) throw GIVE_UP;
        if (code === COLON && endsKey(this.code(1))) break;
      }
      key = this.plainKey(start, this.at);
    }
    this.at++;
    // the full parser counts keys longer than this as a mistake
    if (this.at - start > 1000 || key.name === '<<' || key.name === '') throw GIVE_UP;
    return key;
  }

  /** The value of a key whose map stands in `column`. */
  private afterColon(column: number): Node {
    const colonEnd = this.at;
    while (this.code() === SPACE) this.at++;
    const code = this.code();
    if (code === NEWLINE || Number.isNaN(code) || (code === HASH && this.at > colonEnd)) {
      const inner = this.content();
      if (inner > column || (inner === column && this.isDash())) return this.block(inner);
      return nothing(colonEnd);
    }
    if (this.at === colonEnd) throw GIVE_UP;
    if (this.isDash()) throw GIVE_UP;
    return this.inline(column);
  }

  /** A value on the line of its key or dash. */
  private inline(column: number): Node {
    const code = this.code();
    let node: Node;
    if (code === MAP_OPEN || code === LIST_OPEN) node = this.flow(column);
    else if (code === QUOTE || code === APOSTROPHE) node = this.quoted(code);
    else {
      node = this.blockPlain();
      this.lineEnd();
      // a deeper line would go on with this scalar
      if (this.content() > column) throw GIVE_UP;
      return node;
    }
    this.lineEnd();
    return node;
  }

  private blockPlain(): ScalarNode {
    const { text } = this;
    const start = this.at;
    this.plainStart();
    let end = text.indexOf('\n', start);
    if (end < 0) end = text.length;
    // in its own line alone: looking on in the text would look through all of it at each line
    const comment = text.slice(start, end).indexOf(' #');
    if (comment >= 0) end = start + comment;
    while (text.charCodeAt(end - 1) === SPACE) end--;
    // a second colon would make it a map, which cannot stand here
    for (let at = start; at < end; at++) {
      if (text.charCodeAt(at) !== COLON) continue;
      if (endsKey(text.charCodeAt(at + 1)) || at + 1 === end) throw GIVE_UP;
    }
    this.at = end;
    return this.plain(start, end);
  }

  /** Refuses what a plain scalar cannot begin with. */
  private plainStart(): void {
    const code = this.code();
    if (INDICATORS.has(code)) throw GIVE_UP;
    if (code === DASH || code === COLON || code === 63) {
      const next = this.code(1);
      if (next === SPACE || next === NEWLINE || Number.isNaN(next)) throw GIVE_UP;
    }
  }

  private plain(start: number, end: number): ScalarNode {
    const source = this.written(start, this.trimmed(start, end));
    return scalar(resolve(source), source, false, start, start + source.length);
  }

  private plainKey(start: number, end: number): PlainEntry {
    const name = this.written(start, this.trimmed(start, end));
    return new PlainEntry(name, false, start, name.length);
  }

  private quotedKey(quote: number): PlainEntry {
    const start = this.at;
    return new PlainEntry(this.quotedText(quote), true, start, this.at - start);
  }

  private trimmed(start: number, end: number): number {
    while (end > start && this.text.charCodeAt(end - 1) === SPACE) end--;
    return end;
  }

  /** What is written there: one string for all places where the same is, since most words come often. */
  private written(start: number, end: number): string {
    const found = this.text.slice(start, end);
    if (end - start > LONGEST_WORD) return found;
    const known = this.words.get(found);
    if (known !== undefined) return known;
    this.words.set(found, found);
    return found;
  }

  /** The offset of the quote that closes the one at `at`. */
  private closing(at: number, quote: number): number {
    const { text } = this;
    for (at++; ; at++) {
      const code = text.charCodeAt(at);
      if (Number.isNaN(code) || code === NEWLINE) throw GIVE_UP;
      if (code === 92 && quote === QUOTE) at++;
      else if (code === quote) {
        if (quote === QUOTE || text.charCodeAt(at + 1) !== APOSTROPHE) return at;
        at++;
      }
    }
  }

  private quoted(quote: number): ScalarNode {
    const start = this.at;
    const value = this.quotedText(quote);
    return scalar(value, value, true, start, this.at);
  }

  private quotedText(quote: number): string {
    const close = this.closing(this.at, quote);
    const raw = this.written(this.at + 1, close);
    this.at = close + 1;
    if (quote === APOSTROPHE) return raw.replaceAll("''", "'");
    if (raw.includes('\\')) {
      // JSON's escapes are YAML's too; what JSON does not know is left to the full parser
      // eslint-disable-next-line no-control-regex -- raw control characters are what it must refuse
      if (!/^(?:[^\\\u0000-\u001f]|\\["\\/bfnrt]|\\u[0-9a-fA-F]{4})*$/.test(raw)) throw GIVE_UP;
      return JSON.parse(`"${raw}"`) as string;
    }
    return raw;
  }

  private flow(column: number): MapNode | ListNode {
    if (++this.depth > DEEPEST) throw GIVE_UP;
    const start = this.at++;
    const around =
      this.text.charCodeAt(start) === MAP_OPEN ? this.flowMap(start, column) : this.flowList(start, column);
    this.depth--;
    return close<MapNode | ListNode>(around, ++this.at - start);
  }

  private flowMap(start: number, column: number): Made<MapNode> {
    const entries: Entry[] = [];
    const map = mapAt(start, true, entries);
    for (;;) {
      this.flowSpace(column);
      if (this.code() === MAP_CLOSE) return map;
      this.flowEntry(column, map, entries);
      this.flowComma(column, MAP_CLOSE);
    }
  }

  private flowList(start: number, column: number): Made<ListNode> {
    const items: Node[] = [];
    const list = listAt(start, true, items);
    for (;;) {
      this.flowSpace(column);
      if (this.code() === LIST_CLOSE) return list;
      const item = this.flowValue(column);
      adoptItem(list, items, item, item.offset);
      this.flowSpace(column);
      if (this.code() === COLON) throw GIVE_UP;
      this.flowComma(column, LIST_CLOSE);
    }
  }

  private flowComma(column: number, close: number): void {
    this.flowSpace(column);
    if (this.code() === COMMA) this.at++;
    else if (this.code() !== close) throw GIVE_UP;
  }

  private flowEntry(column: number, map: MapNode, entries: Entry[]): void {
    const first = this.code();
    const start = this.at;
    const key =
      first === QUOTE || first === APOSTROPHE
        ? this.quotedKey(first)
        : this.plainKey(start, this.flowPlainEnd());
    const keyLine = this.line;
    this.flowSpace(column);
    // a key without a colon, or one over lines or too long, is for the full parser
    if (this.code() !== COLON || this.line !== keyLine || this.at - start > 1000) throw GIVE_UP;
    if (key.name === '<<' || (key.name === '' && !key.quoted)) throw GIVE_UP;
    const colonEnd = ++this.at;
    if (!key.quoted && !endsFlowKey(this.code())) throw GIVE_UP;
    this.flowSpace(column);
    const code = this.code();
    const value = code === COMMA || code === MAP_CLOSE ? nothing(colonEnd) : this.flowValue(column);
    adoptPlain(map, entries, key, value, colonEnd - 1);
  }

  private flowValue(column: number): Node {
    const code = this.code();
    if (code === MAP_OPEN || code === LIST_OPEN) return this.flow(column);
    if (code === QUOTE || code === APOSTROPHE) return this.quoted(code);
    const start = this.at;
    return this.plain(start, this.flowPlainEnd());
  }

  /** Goes past a plain scalar. @returns where it ends, spaces behind it included */
  private flowPlainEnd(): number {
    const { text } = this;
    const first = this.code();
    if (INDICATORS.has(first) || Number.isNaN(first)) throw GIVE_UP;
    if (first === DASH || first === COLON || first === 63) {
      // before a space or what ends a value these mean something else here
      const next = this.code(1);
      if (
        !(next > SPACE) ||
        next === COMMA ||
        next === LIST_CLOSE ||
        next === MAP_CLOSE ||
        next === LIST_OPEN ||
        next === MAP_OPEN
      ) {
        throw GIVE_UP;
      }
    }
    for (; ; this.at++) {
      const code = this.code();
      if (Number.isNaN(code)) throw GIVE_UP;
      if (code === COMMA || code === MAP_CLOSE || code === LIST_CLOSE || code === NEWLINE) break;
      if (code === MAP_OPEN || code === LIST_OPEN) throw GIVE_UP;
      if (code === HASH && text.charCodeAt(this.at - 1) === SPACE) break;
      if (code === COLON && endsFlowKey(this.code(1))) break;
    }
    return this.at;
  }

  /** Spaces, line breaks and comments between the parts of a flow. */
  private flowSpace(column: number): void {
    const lineBefore = this.line;
    const before = this.at;
    while (this.code() === SPACE) this.at++;
    const code = this.code();
    if (code === HASH && this.at === before && this.at !== this.line) throw GIVE_UP;
    if (code !== HASH && code !== NEWLINE) return;
    const inner = this.content();
    // lines of a flow stand deeper than the block they are in
    if (this.line !== lineBefore && inner <= column) throw GIVE_UP;
  }
}

const endsKey = (code: number) => code === SPACE || code === NEWLINE || Number.isNaN(code);
const endsFlowKey = (code: number) =>
  endsKey(code) ||
  code === COMMA ||
  code === MAP_CLOSE ||
  code === LIST_CLOSE ||
  code === LIST_OPEN ||
  code === MAP_OPEN;

const nothing = (at: number): ScalarNode => scalar(null, '', false, at, at);

/** The value of a plain scalar under YAML 1.2's core schema (§10.3.2). */
function resolve(source: string): string | number | boolean | null {
  const first = source.charCodeAt(0);
  // letters first: most scalars are words, and only a few words mean something
  if (first >= 97 && first <= 122) {
    return source === 'true' ? true : source === 'false' ? false : source === 'null' ? null : source;
  }
  if (first >= 65 && first <= 90) {
    if (source === 'True' || source === 'TRUE') return true;
    if (source === 'False' || source === 'FALSE') return false;
    return source === 'Null' || source === 'NULL' ? null : source;
  }
  if (source === '~' || source === '') return null;
  if (/^[-+]?[0-9]+$/.test(source)) return Number(source);
  if (/^[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?$/.test(source)) return Number(source);
  if (/^0o[0-7]+$/.test(source) || /^0x[0-9a-fA-F]+$/.test(source)) return Number(source);
  if (/^[-+]?\.(?:inf|Inf|INF)$|^\.(?:nan|NaN|NAN)$/.test(source)) throw GIVE_UP;
  return source;
}

/**
 * Data written as YAML in every way a person, an editor or a program might: every quoting, block texts with
 * every indicator, flow and block in each other, anchors and aliases, comments that look like anything else,
 * keys without values, both kinds of line ends, and JSON.
 *
 * What it cannot write: tags other than `!!str`, directives, several documents in one, tabs for indentation,
 * merge keys, and values that are broken. The first four are refused or left to the parser's own tests.
 */
import { type Json, plainOrQuoted } from '../syntax/render.ts';

/** Picks from what is given, as a seed tells it. */
export type Pick = <T>(...from: readonly T[]) => T;

/** @returns a picker, the same for the same seed */
export function pickerOf(seed: number): Pick {
  let state = seed >>> 0 || 1;
  return (...from) => {
    // xorshift: small, and the same everywhere
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    return from[(state >>> 0) % from.length]!;
  };
}

/** What is to be left out, where a test needs that. */
export interface UglyOptions {
  readonly anchors?: boolean;
  readonly json?: boolean;
}

/** @returns data as a document, the same for the same seed; every comment in it is one of a kind */
export function uglyYaml(data: Json, seed: number, options: UglyOptions = {}): string {
  return new Writer(pickerOf(seed), options).document(data);
}

const spaces = (count: number) => ' '.repeat(count);
const isObject = (value: Json): value is { readonly [key: string]: Json } =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

class Writer {
  private comments = 0;
  private anchors = 0;
  /** Whether what was written last is a block text. */
  private endsInBlock = false;
  /** Whether a block text was written last whose line breaks all count. */
  private keeps = false;
  /** What was anchored so far, by what it says. */
  private readonly anchored = new Map<string, string>();

  constructor(
    private readonly pick: Pick,
    private readonly options: UglyOptions,
  ) {}

  document(data: Json): string {
    const { pick } = this;
    if (this.options.json !== false && pick(true, ...Array<false>(9).fill(false)))
      return `${JSON.stringify(data, null, pick(0, 2, 4))}${pick('\n', '')}`;
    const root =
      isObject(data) && Object.keys(data).length
        ? `${this.between(0)}${this.map(data, 0)}`
        : `${this.flow(data, 0, false)}\n`;
    const text = `${pick('', '', '---\n')}${root}${this.between(0)}`;
    // a block text at the end needs its line break
    const ended = this.endsInBlock || pick(true, true, false) ? text : text.replace(/\n+$/, '');
    return pick(true, false, false) ? ended.replaceAll('\n', '\r\n') : ended;
  }

  /** One time in so many. */
  private rarely(of: number): boolean {
    return this.pick(true, ...Array<false>(of - 1).fill(false));
  }

  private comment(): string {
    const words = this.pick('', ' - a: b', ' # {x}', ': |', ' "it\'s', ' [1, 2', ' *no &no', ' ${x}');
    return `# c${++this.comments};${words}`;
  }

  /** What may stand behind a value on its line. */
  private tail(): string {
    return this.rarely(4) ? ` ${this.comment()}` : this.pick('', '', '', ' ');
  }

  /** Lines that may stand between entries: blank ones, and comments in any column. */
  private between(indent: number): string {
    const { pick } = this;
    if (this.keeps) {
      this.keeps = false;
      return '';
    }
    return pick(
      '',
      '',
      '',
      '\n',
      `${spaces(indent)}${this.comment()}\n`,
      `${spaces(this.endsInBlock ? indent : pick(0, indent, indent + 3))}${this.comment()}\n\n`,
    );
  }

  /** The entries of a map, each on lines of its own, in a column. */
  private map(data: { readonly [key: string]: Json }, column: number): string {
    return Object.entries(data)
      .map(([key, value], i) => {
        const head = i ? `${this.between(column)}${spaces(column)}` : spaces(column);
        return head + this.entry(key, value, column);
      })
      .join('');
  }

  /** An entry without the space before it. */
  private entry(key: string, value: Json, column: number): string {
    const name = this.key(key);
    // an explicit key, rarely written by anybody
    if (this.rarely(25)) return `? ${name}\n${spaces(column)}:${this.afterMark(value, column, false)}`;
    return `${name}${this.pick('', '', '', ' ')}:${this.afterMark(value, column, true)}`;
  }

  /** The items of a list, in a column. */
  private list(items: readonly Json[], column: number): string {
    return items
      .map((item, i) => {
        const head = i ? `${this.between(column)}${spaces(column)}` : spaces(column);
        return `${head}-${this.afterDash(item, column)}`;
      })
      .join('');
  }

  private afterDash(item: Json, column: number): string {
    const { pick } = this;
    const isMap = isObject(item) && Object.keys(item).length > 0;
    if (isMap && !this.rarely(3)) {
      const gap = pick(1, 1, 2, 3);
      if (this.rarely(4)) return ` ${this.comment()}\n${this.map(item, column + 1 + gap)}`;
      return spaces(gap) + this.map(item, column + 1 + gap).slice(column + 1 + gap);
    }
    if (Array.isArray(item) && item.length && this.rarely(2))
      return ` ${this.list(item, column + 2).slice(column + 2)}`;
    return this.afterMark(item, column, false);
  }

  /** A value behind a colon or dash, with the line break that ends it. */
  private afterMark(value: Json, column: number, isEntry: boolean): string {
    const { pick } = this;
    this.endsInBlock = false;
    this.keeps = false;
    const sign = JSON.stringify(value);
    const known = this.anchored.get(sign);
    if (known && this.rarely(2)) return ` *${known}${this.tail()}\n`;
    const mayAnchor = this.options.anchors !== false && sign.length > 4 && value !== null;
    const anchor = mayAnchor && this.rarely(9) ? ` &${this.anchor(sign)}` : '';
    if (value === null) return `${pick('', '', ' ~', ' null')}${this.tail()}\n`;
    if (typeof value === 'string') return `${anchor}${this.text(value, column)}`;
    if (typeof value !== 'object') return `${anchor} ${this.scalar(value)}${this.tail()}\n`;
    const empty = Array.isArray(value) ? value.length === 0 : Object.keys(value).length === 0;
    if (empty || this.rarely(2)) return `${anchor} ${this.flow(value, column + 1, true)}${this.tail()}\n`;
    const deeper = column + pick(1, 2, 2, 2, 4);
    const tail = `${anchor}${this.tail()}\n${this.between(deeper)}`;
    if (!Array.isArray(value)) return tail + this.map(value as { readonly [key: string]: Json }, deeper);
    // a list may stand in its key's own column
    return tail + this.list(value as Json[], isEntry && this.rarely(3) ? column : deeper);
  }

  private anchor(sign: string): string {
    const name = `a${++this.anchors}`;
    this.anchored.set(sign, name);
    return name;
  }

  private scalar(value: number | boolean): string {
    if (value === true) return this.pick('true', 'True', 'TRUE');
    return String(value);
  }

  private key(key: string): string {
    return this.quoted(key, this.pick('plain', 'plain', 'single', 'double'));
  }

  private quoted(text: string, how: 'plain' | 'single' | 'double'): string {
    if (how === 'plain') return plainOrQuoted(text);
    const simple = /^[\x20-\x7e\u00a1-\ud7ff\ue000-\ufefe]*$/.test(text);
    return how === 'single' && simple ? `'${text.replaceAll("'", "''")}'` : JSON.stringify(text);
  }

  /** A text behind a colon or dash, with what ends it. */
  private text(text: string, column: number): string {
    const { pick } = this;
    const printable = /^[\x20-\x7e\n\u00a1-\u2027\u2030-\ud7ff\ue000-\ufefe]*$/.test(text);
    if (printable && text.trim() !== '' && (text.includes('\n') || this.rarely(6))) {
      const lines = text.replace(/\n+$/, '').split('\n');
      const indent = pick(1, 2, 2, 4);
      const ends = /\n*$/.exec(text)![0].length;
      const chomp = ends === 0 ? '-' : ends === 1 ? pick('', '+') : '+';
      const needsIndent = /^\s/.test(text) || this.rarely(5);
      const sign =
        needsIndent && pick(true, false) ? `${indent}${chomp}` : `${chomp}${needsIndent ? indent : ''}`;
      const fold = lines.length === 1 && !/^\s|\s\s|\s$/.test(text) && pick(true, false);
      const body = fold ? text.replace(/\n+$/, '').split(pick(' ', '\u0001')) : lines;
      const written = body.map((line) => (line === '' ? '' : spaces(column + indent) + line)).join('\n');
      const comment = this.rarely(4) ? ` ${this.comment()}` : '';
      this.endsInBlock = true;
      this.keeps = chomp === '+';
      return ` ${fold ? '>' : '|'}${sign}${comment}\n${written}\n${'\n'.repeat(Math.max(0, ends - 1))}`;
    }
    const tag = this.options.anchors !== false && this.rarely(20) ? ' !!str' : '';
    // words over several lines
    const words = text.split(' ');
    if (words.length > 1 && words.every((word) => /^\w+$/.test(word)) && this.rarely(3))
      return ` ${pick('"', "'", '').replace(/^(.?)$/, (quote) => `${quote}${words.join(`\n${spaces(column + 2)}`)}${quote}`)}${this.tail()}\n`.replace(
        /^ (\d)/,
        ' "$1',
      );
    return `${tag} ${this.quoted(text, pick('plain', 'plain', 'single', 'double'))}${this.tail()}\n`;
  }

  /** A value in braces or brackets, or a scalar; over several lines only deeper than a column. */
  private flow(value: Json, column: number, mayBreak: boolean): string {
    const { pick } = this;
    if (value === null) return pick('~', 'null');
    if (typeof value === 'string') return this.quoted(value, pick('plain', 'single', 'double'));
    if (typeof value !== 'object') return this.scalar(value);
    const breaks = mayBreak && this.rarely(4);
    const gap = () =>
      breaks
        ? `${this.rarely(3) ? ` ${this.comment()}` : ''}\n${spaces(column + pick(1, 2, 5))}`
        : pick('', ' ', ' ');
    const parts = Array.isArray(value)
      ? value.map((item: Json) => this.flow(item, column, mayBreak))
      : Object.entries(value).map(([key, item]) => this.flowEntry(key, item as Json, column, mayBreak));
    const [open, close] = Array.isArray(value) ? ['[', ']'] : ['{', '}'];
    const inner = parts.map((part, i) => `${gap()}${part}${i + 1 < parts.length ? ',' : ''}`).join('');
    return `${open}${inner}${parts.length && this.rarely(6) ? ',' : ''}${gap()}${close}`;
  }

  private flowEntry(key: string, value: Json, column: number, mayBreak: boolean): string {
    const name = this.key(key);
    // a key alone
    if (value === null && this.rarely(2)) return `${name}${this.pick('', ':', ': ')}`;
    return `${name}: ${this.flow(value, column, mayBreak)}`;
  }
}

/**
 * The message selector language of Jakarta Messaging 3.1 (§3.8.1.1): the SQL-92 conditional
 * expression syntax over properties, with three-valued logic.
 */
import { applyTo } from '../base/edits.ts';
import type { Attribute, LikePart, Predicate, Relation, SelectorNumber, Term } from './predicate.ts';

/** Why a selector cannot be read; offsets inside its text. */
export interface SelectorProblem {
  readonly message: string;
  readonly start: number;
  readonly end: number;
}

export type SelectorResult =
  | { readonly ok: true; readonly predicate: Predicate }
  | { readonly ok: false; readonly problem: SelectorProblem };

type Token = { readonly start: number; readonly end: number } & (
  | { readonly is: 'word'; readonly text: string; readonly keyword: string | undefined }
  | { readonly is: 'string'; readonly value: string }
  | SelectorNumber
  | { readonly is: 'sign'; readonly text: string }
  | { readonly is: 'end' }
);

const KEYWORDS = new Set([
  'NOT',
  'AND',
  'OR',
  'BETWEEN',
  'LIKE',
  'IN',
  'IS',
  'ESCAPE',
  'NULL',
  'TRUE',
  'FALSE',
]);
/** Java's identifier characters (JLS §3.8), which selectors use. */
const START = /[\p{L}\p{Nl}\p{Sc}\p{Pc}]/u;
const PART = /[\p{L}\p{Nl}\p{Sc}\p{Pc}\p{Mn}\p{Mc}\p{Nd}]/u;
const FLOAT =
  /(?:\d[\d_]*\.[\d_]*(?:[eE][+-]?\d+)?|\.\d[\d_]*(?:[eE][+-]?\d+)?|\d[\d_]*[eE][+-]?\d+)[fFdD]?|\d[\d_]*[fFdD]/y;
const WHOLE = /(?:0[xX][\da-fA-F_]+|0[bB][01_]+|\d[\d_]*)[lL]?/y;

/** The header fields a selector may name, as properties of ours; every other identifier is a header. */
const FIELDS: Record<string, string> = {
  JMSPriority: 'priority',
  JMSType: 'type',
  JMSCorrelationID: 'correlationId',
  JMSMessageID: 'messageId',
  JMSTimestamp: 'timestamp',
  JMSDeliveryMode: 'deliveryMode',
};

/**
 * Writes another name wherever a selector has an identifier; texts and keywords that look like it stay.
 * @returns the selector after; undefined where it has no such identifier, or cannot be read
 */
export function renameInSelector(text: string, name: string, other: string): string | undefined {
  if (!parseSelector(text).ok) return undefined;
  const words = tokens(text).filter((each) => each.is === 'word' && !each.keyword && each.text === name);
  if (words.length === 0) return undefined;
  return applyTo(
    text,
    words.map(({ start, end }) => ({ start, end, text: other })),
  );
}

/** Brackets and NOTs nested deeper than this are refused, so that every walk may be recursive. */
const DEEPEST = 200;

class Misread extends Error {
  constructor(
    message: string,
    readonly start: number,
    readonly end: number,
  ) {
    super(message);
  }
}

/**
 * Reads a selector. An empty or blank one admits everything (§3.8.1.1).
 * @returns the predicate, or the first problem with its place in the text.
 */
export function parseSelector(text: string): SelectorResult {
  try {
    if (/^[ \t\f\r\n]*$/.test(text)) return { ok: true, predicate: { op: 'always' } };
    return { ok: true, predicate: new Reader(tokens(text)).whole() };
  } catch (error) {
    if (!(error instanceof Misread)) throw error;
    return { ok: false, problem: { message: error.message, start: error.start, end: error.end } };
  }
}

function tokens(text: string): Token[] {
  const result: Token[] = [];
  let at = 0;
  while (at < text.length) {
    const char = String.fromCodePoint(text.codePointAt(at)!);
    // white space is what it is in Java (JLS §3.6)
    if (/[ \t\f\r\n]/.test(char)) {
      at++;
      continue;
    }
    const start = at;
    if (char === "'") {
      let value = '';
      for (at++; ; at++) {
        if (at >= text.length)
          throw new Misread("This text is not closed; it ends with a single '.", start, at);
        if (text[at] === "'") {
          if (text[at + 1] !== "'") break;
          at++;
        }
        value += text[at];
      }
      result.push({ is: 'string', value, start, end: ++at });
      continue;
    }
    if (/\d/.test(char) || (char === '.' && /\d/.test(text[at + 1] ?? ''))) {
      const token = number(text, at);
      at = token.end;
      const next = text[at] ?? '';
      if (PART.test(next)) throw new Misread(`\`${text.slice(start, at + 1)}\` is no number.`, start, at + 1);
      result.push(token);
      continue;
    }
    if (START.test(char)) {
      at += char.length;
      while (at < text.length) {
        const next = String.fromCodePoint(text.codePointAt(at)!);
        if (!PART.test(next)) break;
        at += next.length;
      }
      const word = text.slice(start, at);
      const upper = word.toUpperCase();
      result.push({
        is: 'word',
        text: word,
        keyword: KEYWORDS.has(upper) ? upper : undefined,
        start,
        end: at,
      });
      continue;
    }
    const two = text.slice(at, at + 2);
    const sign = ['<>', '<=', '>='].includes(two) ? two : '=<>+-*/(),'.includes(char) ? char : undefined;
    if (!sign) {
      const hint =
        char === '"'
          ? " Text stands in single quotes: 'like this'."
          : char === '!'
            ? ' Not equal is `<>`.'
            : '';
      throw new Misread(`\`${char}\` has no meaning here.${hint}`, start, start + char.length);
    }
    at += sign.length;
    result.push({ is: 'sign', text: sign, start, end: at });
  }
  result.push({ is: 'end', start: text.length, end: text.length });
  return result;
}

function number(text: string, start: number): Token {
  FLOAT.lastIndex = start;
  const float = FLOAT.exec(text)?.[0];
  if (float) {
    const value = Number(float.replace(/[_fFdD]/g, ''));
    const single = /[fF]$/.test(float);
    const end = start + float.length;
    return { is: 'number', ...(single ? { value: Math.fround(value), single } : { value }), start, end };
  }
  WHOLE.lastIndex = start;
  const whole = WHOLE.exec(text)![0];
  let digits = whole.replace(/[_lL]/g, '');
  if (/^0\d/.test(digits)) {
    if (/[89]/.test(digits))
      throw new Misread(`\`${whole}\` begins like an octal number.`, start, start + whole.length);
    digits = `0o${digits.slice(1)}`;
  }
  const value = BigInt(digits);
  if (value > 9223372036854775808n)
    throw new Misread('This number is too large.', start, start + whole.length);
  return { is: 'number', value, start, end: start + whole.length };
}

/** Either a condition or a value: which one an expression is shows only after it is read. */
type Part = { readonly start: number; readonly end: number } & (
  { readonly term: Term } | { readonly condition: Predicate }
);

class Reader {
  private at = 0;
  private depth = 0;
  /** A minus stands right before. */
  private negative = false;

  constructor(private readonly tokens: readonly Token[]) {}

  whole(): Predicate {
    const part = this.either();
    const rest = this.peek();
    if (rest.is !== 'end')
      throw new Misread(`\`${this.shown(rest)}\` follows a complete condition.`, rest.start, rest.end);
    return this.condition(part);
  }

  private peek(): Token {
    return this.tokens[this.at]!;
  }

  private keyword(word: string): boolean {
    const token = this.peek();
    if (token.is !== 'word' || token.keyword !== word) return false;
    this.at++;
    return true;
  }

  private sign(text: string): boolean {
    const token = this.peek();
    if (token.is !== 'sign' || token.text !== text) return false;
    this.at++;
    return true;
  }

  private shown(token: Token): string {
    if (token.is === 'word' || token.is === 'sign') return token.text;
    if (token.is === 'string') return `'${token.value}'`;
    return token.is === 'number' ? String(token.value) : 'the end';
  }

  private expected(what: string): never {
    const token = this.peek();
    const found = token.is === 'end' ? 'the selector ends' : `found \`${this.shown(token)}\``;
    throw new Misread(`Expected ${what}, but ${found}.`, token.start, Math.max(token.end, token.start + 1));
  }

  private either(): Part {
    if (++this.depth > DEEPEST) throw new Misread('Nested too deeply.', this.peek().start, this.peek().end);
    let left = this.both();
    const parts: Predicate[] = [];
    while (this.keyword('OR')) {
      if (parts.length === 0) parts.push(this.condition(left));
      const right = this.both();
      parts.push(this.condition(right));
      left = { condition: { op: 'any', of: parts }, start: left.start, end: right.end };
    }
    this.depth--;
    return left;
  }

  private both(): Part {
    let left = this.negated();
    const parts: Predicate[] = [];
    while (this.keyword('AND')) {
      if (parts.length === 0) parts.push(this.condition(left));
      const right = this.negated();
      parts.push(this.condition(right));
      left = { condition: { op: 'all', of: parts }, start: left.start, end: right.end };
    }
    return left;
  }

  private negated(): Part {
    const { start } = this.peek();
    let nots = 0;
    while (this.keyword('NOT')) nots++;
    const part = this.comparison();
    if (nots === 0) return part;
    const inner = this.condition(part);
    // two NOTs cancel in three-valued logic too: unknown stays unknown
    const condition: Predicate = nots % 2 ? { op: 'not', of: inner } : inner;
    return { condition, start, end: part.end };
  }

  private comparison(): Part {
    const left = this.sum();
    const token = this.peek();
    if (token.is === 'sign' && ['=', '<>', '<', '<=', '>', '>='].includes(token.text)) {
      this.at++;
      const right = this.sum();
      const relation = token.text as Relation;
      const [a, b] = [this.term(left), this.term(right)];
      const textual = [a, b].find((term) => term.is === 'constant');
      if (textual && relation !== '=' && relation !== '<>') {
        throw new Misread(
          `Text and truth values know only \`=\` and \`<>\`, not \`${relation}\`.`,
          token.start,
          token.end,
        );
      }
      return { condition: { op: 'compare', relation, left: a, right: b }, start: left.start, end: right.end };
    }
    if (this.keyword('IS')) {
      const not = this.keyword('NOT');
      if (!this.keyword('NULL')) this.expected('`NULL` after `IS`');
      const condition: Predicate = { op: 'null', of: this.identifier(left, 'IS NULL') };
      return this.maybeNot(condition, not, left.start);
    }
    const before = this.at;
    const not = this.keyword('NOT');
    if (this.keyword('BETWEEN')) {
      const low = this.term(this.sum());
      if (!this.keyword('AND')) this.expected('`AND` and the upper bound');
      const high = this.term(this.sum());
      for (const term of [this.term(left), low, high]) {
        if (term.is === 'constant')
          throw new Misread('`BETWEEN` compares numbers.', left.start, this.before());
      }
      return this.maybeNot({ op: 'between', term: this.term(left), low, high }, not, left.start);
    }
    if (this.keyword('IN')) {
      const of = this.identifier(left, 'IN');
      if (!this.sign('(')) this.expected('`(` after `IN`');
      const values: string[] = [];
      do {
        const value = this.peek();
        if (value.is !== 'string') this.expected("a text in single quotes, as in ('north', 'south')");
        values.push((value as { value: string }).value);
        this.at++;
      } while (this.sign(','));
      if (!this.sign(')')) this.expected('`,` or `)`');
      return this.maybeNot({ op: 'in', of, values }, not, left.start);
    }
    if (this.keyword('LIKE')) {
      const of = this.identifier(left, 'LIKE');
      const pattern = this.peek();
      if (pattern.is !== 'string') this.expected('a pattern in single quotes');
      this.at++;
      let escape: string | undefined;
      if (this.keyword('ESCAPE')) {
        const token = this.peek();
        if (token.is !== 'string' || [...token.value].length !== 1)
          this.expected('one character in single quotes');
        escape = (token as { value: string }).value;
        this.at++;
      }
      const text = (pattern as { value: string }).value;
      const parts = likeParts(text, escape, pattern.start, pattern.end);
      return this.maybeNot({ op: 'like', of, pattern: parts, text }, not, left.start);
    }
    if (not) {
      this.at = before + 1;
      this.expected('`BETWEEN`, `IN` or `LIKE` after `NOT`');
    }
    return left;
  }

  private maybeNot(condition: Predicate, not: boolean, start: number): Part {
    return { condition: not ? { op: 'not', of: condition } : condition, start, end: this.before() };
  }

  private before(): number {
    return this.tokens[this.at - 1]!.end;
  }

  private sum(): Part {
    let left = this.product();
    for (;;) {
      const op = this.sign('+') ? '+' : this.sign('-') ? '-' : undefined;
      if (!op) return left;
      left = this.arithmetic(op, left, this.product());
    }
  }

  private product(): Part {
    let left = this.unary();
    for (;;) {
      const op = this.sign('*') ? '*' : this.sign('/') ? '/' : undefined;
      if (!op) return left;
      left = this.arithmetic(op, left, this.unary());
    }
  }

  private arithmetic(op: '+' | '-' | '*' | '/', left: Part, right: Part): Part {
    for (const part of [left, right]) {
      if (this.term(part).is === 'constant') {
        throw new Misread(`\`${op}\` works on numbers only.`, part.start, part.end);
      }
    }
    const term: Term = { is: 'arithmetic', op, left: this.term(left), right: this.term(right) };
    return { term, start: left.start, end: right.end };
  }

  private unary(): Part {
    const { start } = this.peek();
    let negative = false;
    let signs = 0;
    for (; ; signs++) {
      if (this.sign('-')) negative = !negative;
      else if (!this.sign('+')) break;
    }
    this.negative = negative;
    const part = this.primary();
    this.negative = false;
    if (signs === 0) return part;
    const term = this.term(part);
    if (term.is === 'constant') throw new Misread('A sign stands before numbers only.', start, part.end);
    if (!negative) return { term, start, end: part.end };
    const folded: Term =
      term.is === 'number'
        ? {
            ...term,
            value: typeof term.value === 'bigint' ? BigInt.asIntN(64, -term.value) : -term.value,
          }
        : { is: 'negate', of: term };
    return { term: folded, start, end: part.end };
  }

  private primary(): Part {
    const token = this.peek();
    const { start, end } = token;
    if (token.is === 'sign' && token.text === '(') {
      this.at++;
      this.negative = false;
      const inner = this.either();
      if (!this.sign(')')) this.expected('`)`');
      return { ...inner, start, end: this.before() };
    }
    if (token.is === 'string') {
      this.at++;
      return { term: { is: 'constant', value: token.value }, start, end };
    }
    if (token.is === 'number') {
      this.at++;
      const { value, single } = token;
      // only with its sign is the least integer one of 64 bits
      if (value === 9223372036854775808n && !this.negative)
        throw new Misread('This number is too large.', start, end);
      return { term: { is: 'number', value, ...(single ? { single } : {}) }, start, end };
    }
    if (token.is === 'word') {
      if (token.keyword === 'TRUE' || token.keyword === 'FALSE') {
        this.at++;
        return { term: { is: 'constant', value: token.keyword === 'TRUE' }, start, end };
      }
      if (token.keyword === 'NULL') {
        throw new Misread('`NULL` stands only in `IS NULL` and `IS NOT NULL`.', start, end);
      }
      if (!token.keyword) {
        this.at++;
        return { term: { is: 'attribute', of: fieldOrHeader(token.text) }, start, end };
      }
    }
    return this.expected('a name, a number, a text or `(`');
  }

  private term(part: Part): Term {
    if ('term' in part) return part.term;
    throw new Misread('A condition stands where a value is needed.', part.start, part.end);
  }

  private identifier(part: Part, of: string): Attribute {
    const term = this.term(part);
    if (term.is === 'attribute') return term.of;
    throw new Misread(`\`${of}\` asks about a property; put its name before it.`, part.start, part.end);
  }

  private condition(part: Part): Predicate {
    if ('condition' in part) return part.condition;
    const { term } = part;
    if (term.is === 'attribute' || (term.is === 'constant' && typeof term.value === 'boolean')) {
      return { op: 'holds', of: term };
    }
    throw new Misread('A value alone is no condition; compare it with something.', part.start, part.end);
  }
}

function fieldOrHeader(name: string): Attribute {
  const field = FIELDS[name];
  if (field !== undefined && Object.hasOwn(FIELDS, name)) return { in: 'property', name: field };
  return { in: 'header', name };
}

function likeParts(text: string, escape: string | undefined, start: number, end: number): LikePart[] {
  const parts: LikePart[] = [];
  const literal = (char: string) => {
    const last = parts.at(-1);
    if (typeof last === 'string') parts[parts.length - 1] = last + char;
    else parts.push(char);
  };
  const chars = [...text];
  for (let i = 0; i < chars.length; i++) {
    const char = chars[i]!;
    if (char === escape) {
      const next = chars[++i];
      if (next === undefined)
        throw new Misread('The escape character stands last, before nothing.', start, end);
      literal(next);
    } else if (char === '%') parts.push({ any: 'many' });
    else if (char === '_') parts.push({ any: 'one' });
    else literal(char);
  }
  return parts;
}

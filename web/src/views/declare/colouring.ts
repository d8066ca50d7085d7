/**
 * Colours the text line by line as it is typed. What it means is the worker's to say; here a line needs
 * no more than its own words to be told apart, so that colouring a long document never holds up a key.
 */
import { indentService, StreamLanguage, type StreamParser } from '@codemirror/language';

interface Line {
  /** How far the text that a `|` or `>` begins must be indented at least; none outside of one. */
  block: number | undefined;
  /** The quote that the line before left open. */
  quote: string;
  /** How many brackets are open: inside them, a comma ends a word. */
  brackets: number;
}

const parser: StreamParser<Line> = {
  name: 'topology',
  startState: () => ({ block: undefined, quote: '', brackets: 0 }),
  copyState: (line) => ({ ...line }),
  languageData: { commentTokens: { line: '#' }, closeBrackets: { brackets: ['(', '[', '{', "'", '"'] } },
  token(stream, line) {
    if (stream.sol() && line.block !== undefined) {
      if (stream.indentation() >= line.block || /^\s*$/.test(stream.string)) {
        stream.skipToEnd();
        return 'string';
      }
      line.block = undefined;
    }
    if (line.quote) return quoted(stream, line);
    if (stream.eatSpace()) return null;
    if (stream.peek() === '#' && (stream.pos === 0 || /\s/.test(stream.string[stream.pos - 1]!))) {
      stream.skipToEnd();
      return 'comment';
    }
    if (stream.match(/^[|>][-+\d]*(?=\s*(?:#.*)?$)/)) {
      line.block = stream.indentation() + 1;
      return 'punctuation';
    }
    if (stream.match(/^[[{]/)) {
      line.brackets++;
      return 'punctuation';
    }
    if (stream.match(/^[\]}]/)) {
      line.brackets = Math.max(0, line.brackets - 1);
      return 'punctuation';
    }
    if (stream.match(/^(?:-(?=\s|$)|,|:(?=[\s,\]}]|$))/)) return 'punctuation';
    if (stream.match(/^[&*!][^\s,\]}]+/)) return 'meta';
    // a key, quoted or not, is what a colon follows
    if (stream.match(/^(?:"(?:[^"\\]|\\.)*"|'(?:[^']|'')*')(?=\s*:(?:\s|$))/)) return 'propertyName';
    if (stream.match(/^["']/)) {
      line.quote = stream.current();
      return quoted(stream, line);
    }
    if (stream.match(/^\$\{[^}]*\}/)) return 'labelName';
    if (stream.match(line.brackets ? IN_BRACKETS_KEY : KEY)) return 'propertyName';
    if (!stream.match(line.brackets ? IN_BRACKETS_WORD : WORD)) stream.next();
    return 'string';
  },
};

const KEY = /^(?:[^\s#:]|:(?!\s|$)|#|[^\S\n]+(?![\s#:]))+?(?=\s*:(?:\s|$))/;
const IN_BRACKETS_KEY = /^[^\s,[\]{}:#][^,[\]{}:]*?(?=\s*:(?:[\s,\]}]|$))/;
const WORD = /^(?:(?!\$\{)(?:\S|[^\S\n]+(?=[^\s#])))+/;
const IN_BRACKETS_WORD = /^(?:(?!\$\{)[^\s,[\]{}])+/;

function quoted(stream: Parameters<NonNullable<StreamParser<Line>['token']>>[0], line: Line): string {
  if (stream.match(/^\$\{[^}]*\}/)) return 'labelName';
  while (!stream.eol()) {
    const next = stream.next();
    if (next === '\\' && line.quote === '"') stream.next();
    else if (next === line.quote) {
      line.quote = '';
      break;
    }
    if (stream.match(/^\$\{[^}]*\}/, false)) break;
  }
  return 'string';
}

/** A new line stands under the one before it, or further in where that one begins something. */
const indentation = indentService.of((context, at) => {
  // a line that is there stays where it was put: how far in it stands is what it means
  if (context.simulatedBreak === null) return undefined;
  const line = context.lineAt(at, -1);
  const text = line.text.slice(0, at - line.from);
  const depth = /^ */.exec(text)![0].length;
  if (!/[^\s#].*:\s*(?:#.*)?$/.test(text)) return depth;
  // what a list item begins stands two further in than its dash already
  return depth + (/^ *- /.test(text) ? 4 : 2);
});

/** The language of topology documents, as an editor needs to know it. */
export const topologyText = [StreamLanguage.define(parser), indentation];

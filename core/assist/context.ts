/**
 * Where in a document the cursor is: the keys around it, and whether a key or a value is being written.
 * Works on text that is only half written, so from indentation and brackets, not from a tree.
 */

export interface Context {
  /** The keys from the root of the document to here; `#` for an item of a list. */
  readonly path: readonly string[];
  /** What is being written. After `- ` it may be either; then it is a key. */
  readonly writing: 'key' | 'value';
  /** Where what is being written begins. */
  readonly from: number;
  /** What is written of it so far. */
  readonly written: string;
  /** Whether it stands inside brackets, where a value must not hold them. */
  readonly flow: boolean;
  /** Keys that stand beside it already. */
  readonly beside: readonly string[];
}

/** The furthest a flow is looked for above the cursor, in lines. */
const MOST_FLOW_LINES = 60;

/** @returns where an offset stands; undefined inside a comment. */
export function contextAt(text: string, offset: number): Context | undefined {
  const lines = text.slice(0, offset).split('\n');
  const last = lines.length - 1;
  if (inComment(lines[last]!)) return undefined;
  for (let first = last; first >= 0 && first > last - MOST_FLOW_LINES; first--) {
    const block = blockLine(lines[first]!);
    const value = block.value;
    if (value === undefined || !/^[[{]/.test(value.text)) {
      // a line that is no flow's beginning ends the search unless a flow may go on over it
      if (first < last && block.value && !/^\s*[\]},]?/.test(lines[first]!)) break;
      continue;
    }
    const inside = [value.text, ...lines.slice(first + 1)].join('\n');
    const found = flowContext(inside);
    if (!found) break;
    const path = [...ancestors(lines, first), ...block.path, ...found.path];
    return { ...found, path, from: offset - found.written.length, flow: true };
  }
  const block = blockLine(lines[last]!);
  const path = [...ancestors(lines, last), ...block.path];
  if (block.value)
    return {
      path,
      writing: 'value',
      from: offset - block.value.text.length,
      written: block.value.text,
      flow: false,
      beside: [],
    };
  return {
    path,
    writing: 'key',
    from: offset - block.rest.length,
    written: block.rest,
    flow: false,
    beside: siblings(text, lines, last),
  };
}

function inComment(line: string): boolean {
  let quote = '';
  for (let i = 0; i < line.length; i++) {
    const char = line[i]!;
    if (quote) quote = char === quote ? '' : quote;
    else if ((char === '"' || char === "'") && /[\s:,[{(-]/.test(line[i - 1] ?? ' ')) quote = char;
    else if (char === '#' && /^\s?$/.test(line[i - 1] ?? '')) return true;
  }
  return false;
}

interface BlockLine {
  /** The dashes and the key on the line. */
  readonly path: readonly string[];
  /** What follows the key's colon or the last dash. */
  readonly value?: { readonly text: string };
  /** What is written where a key may stand, without a colon yet. */
  readonly rest: string;
  /** The columns of the dashes, and of what follows them. */
  readonly dashes: readonly number[];
  readonly column: number;
}

const KEY = /^((?:"(?:[^"\\]|\\.)*"|'(?:[^']|'')*'|[^\s#"'[{][^#]*?))\s*:(?:\s+|$)/;

function blockLine(line: string): BlockLine {
  const path: string[] = [];
  const dashes: number[] = [];
  let at = /^ */.exec(line)![0].length;
  let rest = line.slice(at);
  while (/^-(?: |$)/.test(rest)) {
    dashes.push(at);
    path.push('#');
    const skip = /^-\s*/.exec(rest)![0].length;
    at += skip;
    rest = rest.slice(skip);
  }
  const key = KEY.exec(rest);
  if (key) {
    path.push(unquote(key[1]!));
    return { path, value: { text: rest.slice(key[0].length) }, rest: '', dashes, column: at };
  }
  if (dashes.length && /^[[{"']/.test(rest)) return { path, value: { text: rest }, rest, dashes, column: at };
  return { path, rest, dashes, column: at };
}

/** The keys of the lines a line stands under. */
function ancestors(lines: readonly string[], index: number): string[] {
  const own = blockLine(lines[index]!);
  const path: string[] = [];
  let limit = own.dashes[0] ?? own.column;
  let dashed = own.dashes.length > 0;
  for (let i = index - 1; i >= 0 && limit >= 0; i--) {
    const line = lines[i]!;
    if (/^\s*(?:#|$)/.test(line)) continue;
    const { dashes, column, path: keys, value } = blockLine(line);
    const key = value && keys.at(-1) !== '#' ? keys.at(-1) : undefined;
    // a list may stand in its key's own column
    if (key !== undefined && (column < limit || (dashed && column === limit && dashes.length === 0))) {
      path.unshift(key);
      limit = column;
      dashed = false;
    }
    for (const dash of [...dashes].reverse()) {
      if (dash >= limit) continue;
      path.unshift('#');
      limit = dash;
      dashed = true;
    }
  }
  return path;
}

/** The keys in the same column, above and below, up to a line that stands less deep. */
function siblings(text: string, above: readonly string[], index: number): string[] {
  const { column } = blockLine(above[index]!);
  const below = text.split('\n').slice(index + 1);
  const found: string[] = [];
  const see = (line: string): boolean => {
    if (/^\s*(?:#|$)/.test(line)) return true;
    const block = blockLine(line);
    if (block.column < column) return false;
    const key = block.path.at(-1);
    if (block.column === column && key !== undefined && key !== '#') found.push(key);
    return !(block.column === column && block.dashes.length > 0);
  };
  if (!blockLine(above[index]!).dashes.length) for (let i = index - 1; i >= 0 && see(above[i]!); i--);
  for (const line of below) {
    if (blockLine(line).dashes.length && blockLine(line).column === column) break;
    if (!see(line)) break;
  }
  return found;
}

/** Where the end of a text stands inside the brackets it opens; undefined when they are closed. */
function flowContext(text: string): Pick<Context, 'path' | 'writing' | 'written' | 'beside'> | undefined {
  const open: { map: boolean; key: string | undefined; keys: string[] }[] = [];
  let begin = 0;
  for (let i = 0; i < text.length; i++) {
    const char = text[i]!;
    const top = open.at(-1);
    // a quote inside a plain word is an apostrophe
    if ((char === '"' || char === "'") && /^[\s:,[{]?$/.test(text[i - 1] ?? '')) {
      const close = text.indexOf(char, i + 1);
      if (close < 0) break;
      i = close;
    } else if (char === '{' || char === '[') {
      open.push({ map: char === '{', key: undefined, keys: [] });
      begin = i + 1;
    } else if (char === '}' || char === ']') {
      open.pop();
      begin = i + 1;
      if (open.length === 0) return undefined;
    } else if (char === ',' && top) {
      top.key = undefined;
      begin = i + 1;
    } else if (char === ':' && top?.map && top.key === undefined && /[\s,[{}"']|^$/.test(text[i + 1] ?? '')) {
      top.key = unquote(text.slice(begin, i).trim());
      top.keys.push(top.key);
      begin = i + 1;
    }
  }
  const top = open.at(-1);
  if (!top) return undefined;
  const path = open.flatMap(({ map, key }) => (map ? (key === undefined ? [] : [key]) : ['#']));
  const written = text.slice(begin).trimStart();
  const writing = top.map && top.key === undefined ? 'key' : 'value';
  return { path, writing, written, beside: top.keys };
}

function unquote(text: string): string {
  const quoted = /^(["'])(.*)\1$/s.exec(text);
  return quoted ? quoted[2]! : text;
}

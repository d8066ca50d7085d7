import {
  isAlias,
  isMap,
  isScalar,
  isSeq,
  LineCounter,
  parseAllDocuments,
  type Document,
  type Pair,
  type ParsedNode,
  type Scalar,
  type YAMLMap,
  type YAMLSeq,
} from 'yaml';
import { type Made, adoptEntry, adoptItem, close, listAt, mapAt, scalar as makeScalar } from './making.ts';
import type { Entry, ListNode, MapNode, Node, ScalarNode, SyntaxProblem, Tree } from './tree.ts';

/** An alias may repeat a part of the text; past this many nodes made from aliases it is an attack, not a topology. */
const MOST_ALIASED_NODES = 20_000;

/** Documents nested deeper than this are refused: every walk over the tree may then be recursive. */
export const DEEPEST = 200;

/**
 * Reads one YAML 1.2 document with every construct of the language, at the price of time.
 * Never throws: what cannot be read is a problem with its place. Time and memory are bounded by
 * the text's length and the limits above.
 */
export function parseFull(text: string): Tree {
  try {
    return parse(text);
  } catch {
    // the package's own recursion is bounded by the stack alone; a text that exhausts it is refused whole
    return treeOf(text, undefined, [{ message: 'Nested too deeply to read.', start: 0, end: 1 }]);
  }
}

const treeOf = (text: string, root: Node | undefined, problems: readonly SyntaxProblem[]): Tree => ({
  text,
  root,
  problems,
  everyday: false,
  now: new Map(),
});

function parse(text: string): Tree {
  const problems: SyntaxProblem[] = [];
  const documents = parseAllDocuments(text, {
    lineCounter: new LineCounter(),
    keepSourceTokens: true,
    uniqueKeys: false,
    strict: true,
    prettyErrors: false,
    logLevel: 'silent',
    version: '1.2',
  });
  if (!Array.isArray(documents)) return treeOf(text, undefined, problems);
  // one mistake makes the parser stumble again and again behind it: the first is the one to mend
  const errors = documents.flatMap((document) => document.errors).sort((a, b) => a.pos[0] - b.pos[0]);
  if (errors[0]) problems.push(plainProblem(errors[0].message, errors[0].pos, text));
  const [first, second] = documents;
  if (second?.range) {
    problems.push({
      message: 'A file holds one document; put what follows `---` in a file of its own.',
      start: second.range[0],
      end: second.range[0] + 3,
    });
  }
  if (!first?.contents) return treeOf(text, undefined, problems);
  const broken = text.search(BROKEN);
  if (broken >= 0)
    problems.push({
      message:
        text[broken] === '\0'
          ? 'This is a NUL character, which no text holds; take it away.'
          : 'Here stood bytes that are no UTF-8 (they were read as U+FFFD); save the document as UTF-8.',
      start: broken,
      end: broken + 1,
    });
  const converter = new Converter(first, text, problems);
  const root = converter.convert(first.contents as ParsedNode, 0, 0, false);
  // what is read of such a document would be a part that nobody chose
  if (converter.bomb) return treeOf(text, undefined, [converter.bomb]);
  return treeOf(text, root, problems);
}

/** What no text in UTF-8 holds. */
const BROKEN = /[\0\ufffd]/;

/** Turns the package's nodes into ours: their offsets are the text's until they are put into a map or list. */
class Converter {
  private aliased = 0;
  /** Set when aliases stand for more than anybody writes. */
  bomb: SyntaxProblem | undefined;

  constructor(
    private readonly document: Document,
    private readonly text: string,
    private readonly problems: SyntaxProblem[],
  ) {}

  /** @param within where a node stands that has no place of its own */
  convert(node: ParsedNode | null, within: number, depth: number, inAlias: boolean): Node {
    if (!node) return empty(within);
    const [start, end] = node.range ?? [within, within];
    if (inAlias && ++this.aliased > MOST_ALIASED_NODES) {
      this.bomb ??= {
        message: `Aliases in this document stand for more than ${MOST_ALIASED_NODES.toLocaleString('en')} values, by far more than is written; nothing of it is read. Write out what is meant.`,
        start: within,
        end: within + 1,
      };
    }
    if (this.bomb) return empty(within);
    if (depth > DEEPEST) {
      this.problems.push({ message: `Nested deeper than ${DEEPEST} levels.`, start, end: start + 1 });
      return empty(start);
    }
    if (isAlias(node)) {
      const target = node.resolve(this.document) as ParsedNode | undefined;
      if (target) return at(this.convert(target, start, depth + 1, true), start, end);
      this.problems.push({ message: `No anchor before it is called \`${node.source}\`.`, start, end });
      return empty(start);
    }
    const made = isScalar(node)
      ? scalar(node as Scalar, start, end, this.text)
      : isSeq(node)
        ? this.list(node as YAMLSeq.Parsed, start, end, depth, inAlias)
        : isMap(node)
          ? this.map(node as YAMLMap.Parsed, start, end, depth, inAlias)
          : empty(start);
    if (node.tag) (made as Made<Node>).tag = node.tag;
    return made;
  }

  private list(node: YAMLSeq.Parsed, start: number, end: number, depth: number, inAlias: boolean): ListNode {
    const flow = node.flow === true;
    const items: Node[] = [];
    const list = listAt(start, flow, items);
    const dashes = flow ? [] : dashesOf(node);
    let last = start;
    node.items.forEach((item, i) => {
      const dash = dashes[i];
      const child = this.convert(
        item as ParsedNode | null,
        dash === undefined ? start : dash + 1,
        depth + 1,
        inAlias,
      );
      // an empty item stands right behind its dash, wherever the parser looked for it
      const placed = dash !== undefined && isMissing(child) ? empty(dash + 1) : child;
      last = Math.max(last, adoptItem(list, items, placed, dash ?? placed.offset));
    });
    return close(list, (flow || items.length === 0 ? end : last) - start);
  }

  private map(node: YAMLMap.Parsed, start: number, end: number, depth: number, inAlias: boolean): MapNode {
    const flow = node.flow === true;
    const entries: Entry[] = [];
    const map = mapAt(start, flow, entries);
    let last: number | undefined;
    for (const pair of node.items) {
      const keyNode = pair.key as ParsedNode | null;
      const tokens = (pair as Pair).srcToken;
      const colon = tokens?.sep?.find(({ type }) => type === 'map-value-ind')?.offset;
      const key = keyNode ? this.convert(keyNode, start, depth + 1, inAlias) : empty(colon ?? start);
      if (key.kind !== 'scalar') {
        this.problems.push({
          message: 'A key must be a plain word, not a list or map.',
          start: key.offset,
          end: key.offset + key.length,
        });
        continue;
      }
      if (key.value === '<<' && !key.quoted) {
        this.problems.push({
          message:
            'Merge keys (`<<`) are not part of YAML 1.2, and nothing is merged by them; write out what is meant.',
          start: key.offset,
          end: key.offset + key.length,
        });
        continue;
      }
      const keyEnd = key.offset + key.length;
      const value = this.convert(pair.value as ParsedNode | null, keyEnd, depth + 1, inAlias);
      // a value that is not there stands right behind its colon, wherever the parser looked for it
      const placed = isMissing(value) ? empty(colon === undefined ? keyEnd : colon + 1) : value;
      const question = tokens?.start?.find(({ type }) => type === 'explicit-key-ind')?.offset;
      const keyStart = key.offset;
      last = adoptEntry(map, entries, key, placed, colon ?? -1);
      if (question !== undefined) (key as Made<ScalarNode>).lead = keyStart - question;
    }
    // a block ends where its last value does, not with the line breaks behind it
    return close(map, (flow ? end : (last ?? end)) - start);
  }
}

/** Where the dashes of a block list stand, one for each item. */
function dashesOf(node: YAMLSeq.Parsed): number[] {
  const token = node.srcToken;
  if (token?.type !== 'block-seq') return [];
  return token.items.flatMap(({ start }) => {
    const dash = start.find(({ type }) => type === 'seq-item-ind');
    return dash ? [dash.offset] : [];
  });
}

/** What an alias stands for, standing where the alias is written: what is inside it stays where it is written. */
function at(node: Node, start: number, end: number): Node {
  const by = node.offset - start;
  const moved = { ...node, offset: start, length: end - start, alias: true as const };
  const inner =
    moved.kind === 'map'
      ? moved.entries.flatMap(({ key, value }) => [key, value])
      : moved.kind === 'list'
        ? moved.items
        : [];
  for (const each of inner as Made<Node>[]) {
    each.offset += by;
    each.within = moved as MapNode;
  }
  return moved;
}

const isMissing = (node: Node) =>
  node.kind === 'scalar' && node.length === 0 && node.source === '' && !node.quoted && !node.alias;

/** The null that an absent value is, standing at `offset`. */
export const empty = (offset: number): ScalarNode => makeScalar(null, '', false, offset, offset);

function scalar(node: Scalar, start: number, end: number, text: string): ScalarNode {
  const quoted = node.type !== undefined && node.type !== 'PLAIN';
  const raw = node.value;
  const value =
    typeof raw === 'string' || typeof raw === 'number' || typeof raw === 'boolean' || raw === null
      ? raw
      : String(node.source ?? '');
  const source = quoted ? String(value) : (node.source ?? text.slice(start, end));
  return makeScalar(value, source, quoted, start, end);
}

function plainProblem(message: string, [start, end]: readonly [number, number], text: string): SyntaxProblem {
  const first = message.split('\n')[0]!.trim();
  const sentence = first.endsWith('.') ? first : `${first}.`;
  // `{ ttl: ${x} }`: the brace of the parameter opens a map inside a flow map
  const line = text.slice(text.lastIndexOf('\n', start - 1) + 1, end);
  const hint = /[{[].*[^"']\$\{/.test(line) ? ' Inside { } or [ ], put "${…}" in quotes.' : '';
  return { message: sentence + hint, start, end };
}

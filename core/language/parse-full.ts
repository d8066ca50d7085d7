import {
  isAlias,
  isMap,
  isScalar,
  isSeq,
  LineCounter,
  parseAllDocuments,
  type ParsedNode,
  type Scalar,
} from 'yaml';
import type { Entry, Node, Parsed, ScalarNode, SyntaxProblem } from './tree.ts';

/** An alias may repeat a part of the text; past this many nodes made from aliases it is an attack, not a topology. */
const MOST_ALIASED_NODES = 20_000;

/** Documents nested deeper than this are refused: every walk over the tree may then be recursive. */
export const DEEPEST = 200;

/**
 * Reads one YAML 1.2 document with every construct of the language, at the price of time.
 * Never throws: what cannot be read is a problem with its place. Time and memory are bounded by
 * the text's length and the limits above.
 */
export function parseFull(text: string): Parsed {
  try {
    return parse(text);
  } catch {
    // the package's own recursion is bounded by the stack alone; a text that exhausts it is refused whole
    return {
      root: undefined,
      everyday: false,
      problems: [{ message: 'Nested too deeply to read.', start: 0, end: 1 }],
    };
  }
}

function parse(text: string): Parsed {
  const problems: SyntaxProblem[] = [];
  const documents = parseAllDocuments(text, {
    lineCounter: new LineCounter(),
    keepSourceTokens: false,
    uniqueKeys: false,
    strict: true,
    prettyErrors: false,
    logLevel: 'silent',
    version: '1.2',
  });
  if (!Array.isArray(documents)) return { root: undefined, everyday: false, problems };
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
  if (!first?.contents) return { root: undefined, everyday: false, problems };

  let aliased = 0;
  let tooMany = false;
  const convert = (node: ParsedNode | null, within: number, depth: number, inAlias: boolean): Node => {
    if (!node) return empty(within);
    const [start, end] = node.range ?? [within, within];
    if (inAlias && ++aliased > MOST_ALIASED_NODES) {
      if (!tooMany)
        problems.push({ message: 'Aliases repeat too much text here.', start: within, end: within + 1 });
      tooMany = true;
    }
    if (tooMany) return empty(within);
    if (depth > DEEPEST) {
      problems.push({ message: `Nested deeper than ${DEEPEST} levels.`, start, end: start + 1 });
      return empty(start);
    }
    if (isAlias(node)) {
      const target = node.resolve(first) as ParsedNode | undefined;
      if (!target) return empty(start);
      return at(convert(target, start, depth + 1, true), start, end);
    }
    if (isScalar(node)) return scalar(node as Scalar, start, end, text);
    if (isSeq(node)) {
      const items = node.items.map((item) => {
        const made = convert(item as ParsedNode | null, start, depth + 1, inAlias);
        return isMissing(made) ? empty(text.lastIndexOf('-', made.start) + 1) : made;
      });
      const flow = node.flow === true;
      return { kind: 'list', items, flow, start, end: flow ? end : (items.at(-1)?.end ?? end) };
    }
    if (isMap(node)) {
      const entries: Entry[] = [];
      for (const pair of node.items) {
        const keyNode = pair.key as ParsedNode | null;
        const key = keyNode ? convert(keyNode, start, depth + 1, inAlias) : empty(start);
        if (key.kind !== 'scalar') {
          problems.push({
            message: 'A key must be a plain word, not a list or map.',
            start: key.start,
            end: key.end,
          });
          continue;
        }
        const value = convert(pair.value as ParsedNode | null, key.end, depth + 1, inAlias);
        const colon = text.indexOf(':', key.end);
        // a value that is not there stands right behind its colon, wherever the parser looked for it
        entries.push({ key, value: isMissing(value) && colon >= 0 ? empty(colon + 1) : value });
      }
      const flow = node.flow === true;
      const last = entries.at(-1);
      // a block ends where its last value does, not with the line breaks behind it
      return {
        kind: 'map',
        entries,
        flow,
        start,
        end: flow || !last ? end : Math.max(last.key.end, last.value.end),
      };
    }
    return empty(start);
  };
  return { root: convert(first.contents as ParsedNode, 0, 0, false), problems, everyday: false };
}

/** The node with another place: what an alias stands for, standing where the alias is written. */
function at(node: Node, start: number, end: number): Node {
  return { ...node, start, end };
}

const isMissing = (node: Node) =>
  node.kind === 'scalar' && node.start === node.end && node.source === '' && !node.quoted;

/** The null that an absent value is, standing at `offset`. */
export function empty(offset: number): ScalarNode {
  return { kind: 'scalar', value: null, source: '', quoted: false, start: offset, end: offset };
}

function scalar(node: Scalar, start: number, end: number, text: string): ScalarNode {
  const quoted = node.type !== undefined && node.type !== 'PLAIN';
  const raw = node.value;
  const value =
    typeof raw === 'string' || typeof raw === 'number' || typeof raw === 'boolean' || raw === null
      ? raw
      : String(node.source ?? '');
  const source = quoted ? String(value) : (node.source ?? text.slice(start, end));
  return { kind: 'scalar', value, source, quoted, start, end };
}

function plainProblem(message: string, [start, end]: readonly [number, number], text: string): SyntaxProblem {
  const first = message.split('\n')[0]!.trim();
  const sentence = first.endsWith('.') ? first : `${first}.`;
  // `{ ttl: ${x} }`: the brace of the parameter opens a map inside a flow map
  const line = text.slice(text.lastIndexOf('\n', start - 1) + 1, end);
  const hint = /[{[].*[^"']\$\{/.test(line) ? ' Inside { } or [ ], put "${…}" in quotes.' : '';
  return { message: sentence + hint, start, end };
}

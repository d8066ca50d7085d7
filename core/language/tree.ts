/**
 * What a document says, before anything is known about topologies: maps, lists and scalars, each
 * with its stretch of the text. Both parsers (the fast one and the full one) end here.
 */
export interface ScalarNode {
  readonly kind: 'scalar';
  readonly value: string | number | boolean | null;
  /** The text as written for a plain scalar (`007`, `1e3`), so that a name keeps its spelling. */
  readonly source: string;
  readonly quoted: boolean;
  readonly start: number;
  readonly end: number;
}

export interface Entry {
  readonly key: ScalarNode;
  readonly value: Node;
}

export interface MapNode {
  readonly kind: 'map';
  readonly entries: readonly Entry[];
  readonly flow: boolean;
  readonly start: number;
  readonly end: number;
}

export interface ListNode {
  readonly kind: 'list';
  readonly items: readonly Node[];
  readonly flow: boolean;
  readonly start: number;
  readonly end: number;
}

export type Node = ScalarNode | MapNode | ListNode;

/** A problem of the YAML itself; `end` exclusive. */
export interface SyntaxProblem {
  readonly message: string;
  readonly start: number;
  readonly end: number;
}

export interface Parsed {
  readonly root: Node | undefined;
  readonly problems: readonly SyntaxProblem[];
}

/** @returns the value of the first entry with that key, or undefined. */
export function entryOf(node: Node | undefined, key: string): Entry | undefined {
  if (node?.kind !== 'map') return undefined;
  return node.entries.find((entry) => keyText(entry.key) === key);
}

/** @returns a key as the name it stands for: `007` stays `007`, `true` stays `true`. */
export function keyText(key: ScalarNode): string {
  return key.quoted ? String(key.value) : key.source;
}

/** @returns the node as plain JSON data; later keys of a repeated name are ignored. */
export function toJson(node: Node, scalar: (node: ScalarNode) => unknown = (n) => n.value): unknown {
  if (node.kind === 'scalar') return scalar(node);
  if (node.kind === 'list') return node.items.map((item) => toJson(item, scalar));
  const result: Record<string, unknown> = {};
  for (const { key, value } of node.entries) {
    const name = keyText(key);
    if (!Object.hasOwn(result, name)) {
      // defineProperty, so that a key named __proto__ is data like any other
      Object.defineProperty(result, name, {
        value: toJson(value, scalar),
        enumerable: true,
        configurable: true,
        writable: true,
      });
    }
  }
  return result;
}

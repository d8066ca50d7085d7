import { type Complaint, check } from '../check.ts';
import { covered, tokensOf } from '../../../conditions/word-sets.ts';
import { wordsOf } from '../../../conditions/words.ts';
import { addressOf } from '../../../language/thing.ts';
import { KeyTrie } from '../../../routing/key-trie.ts';
import type { Edge } from '../../../brokers/terms.ts';
import { removeItem } from '../../../syntax/edit/edit.ts';

/** Of two bindings between the same two, one matches all that the other matches. */
export const swallowed = check({
  id: 'match/swallowed',
  severity: 'advice',
  finds: 'A binding whose messages another one between the same two brings anyway.',
  why: 'It changes nothing, so it misleads: whoever takes it away believes that messages will stop, and they do not.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'exchange') return [];
    const byTarget = new Map<string, Edge[]>();
    for (const edge of context.out(node.id)) {
      if (edge.kind !== 'binding' || !edge.binding) continue;
      const list = byTarget.get(edge.to);
      if (list) list.push(edge);
      else byTarget.set(edge.to, [edge]);
    }
    const found: Complaint[] = [];
    for (const [target, edges] of byTarget) {
      if (edges.length < 2) continue;
      const address = () => addressOf(context.node(target)!.thing);
      for (const [edge, by] of pairs(node.decl.type?.value ?? 'direct', edges)) {
        const same = edge.label === by.label;
        found.push({
          message: same
            ? `${addressOf(node.thing)} is bound to ${address()} twice in the same way${edge.key ? `: \`${edge.key}\`` : ''}.`
            : `\`${by.key}\` matches everything that \`${edge.key}\` does: the binding to ${address()} changes nothing.`,
          place: edge.place,
          about: target,
          also: [node.id],
          related: [{ place: by.place, message: 'the one that brings it anyway' }],
          mends: [
            {
              title: 'Take the needless binding away',
              edit: (topology) => removeItem(topology, edge.place),
            },
          ],
        });
      }
    }
    return found;
  },
});

/** Each binding that another one swallows, with that one. */
function* pairs(type: string, edges: readonly Edge[]): Generator<readonly [Edge, Edge]> {
  if (type !== 'topic') {
    const first = new Map<string, Edge>();
    for (const edge of edges) {
      // a fanout ignores the key; headers conditions are alike when they read alike
      const sign =
        type === 'fanout'
          ? ''
          : type === 'headers'
            ? JSON.stringify(edge.condition, without)
            : (edge.key ?? '');
      const before = first.get(sign);
      if (before) yield [edge, before];
      else first.set(sign, edge);
    }
    return;
  }
  const near = edges.length > FEW ? trieOf(edges) : undefined;
  for (const [i, edge] of edges.entries()) {
    const words = wordsOf(edge.key ?? '');
    // whatever swallows a pattern matches what the pattern looks like itself, for a word that nobody writes
    const sign = words.map((word) => (word === '*' || word === '#' ? '\u0000' : word)).join('.');
    const by = (near?.match(sign).sort((a, b) => a - b) ?? edges.map((_, j) => j)).find((j) => {
      if (j === i) return false;
      const other = edges[j]!;
      if (!covered(tokensOf(words), wordsOf(other.key ?? ''))) return false;
      // of two that say the same, the later one is needless
      return j < i || !covered(tokensOf(wordsOf(other.key ?? '')), words);
    });
    if (by !== undefined) yield [edge, edges[by]!];
  }
}

/** So few are compared one with each other. */
const FEW = 8;

function trieOf(edges: readonly Edge[]): KeyTrie<number> {
  const trie = new KeyTrie<number>();
  edges.forEach((edge, i) => trie.add(edge.key ?? '', i));
  return trie;
}

const without = (key: string, value: unknown): unknown => (key === 'place' ? undefined : value);

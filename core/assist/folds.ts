/** What of a document can be folded away. */
import { type Node, type Tree, childAt, offsetIn, sizeOf } from '../syntax/tree.ts';

/** A stretch that folds to the line it begins on; offsets in the text. */
export interface Fold {
  readonly start: number;
  readonly end: number;
}

/** @returns the values that stand on more lines than one, outermost first */
export function foldsIn({ root, text }: Tree): Fold[] {
  const folds: Fold[] = [];
  const visit = (node: Node, start: number, head: number): void => {
    const end = start + node.length;
    if (text.slice(head, end).trimEnd().includes('\n')) folds.push({ start: head, end });
    if (node.kind === 'scalar' || node.alias) return;
    for (let i = 0; i < sizeOf(node); i++) {
      const child = childAt(node, i);
      const key = node.kind === 'map' ? node.entries[i]!.key : child;
      const at = start + offsetIn(node, i, child);
      visit(child, at, node.kind === 'map' ? start + offsetIn(node, i, key) : at - child.lead);
    }
  };
  if (root) visit(root, root.offset, root.offset);
  return folds;
}

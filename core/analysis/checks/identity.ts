/** Which findings of two states of a topology are the same trouble, though their words or places may differ. */
import type { Placed } from '../../syntax/place.ts';
import { remembered } from '../../incremental/memory.ts';
import { type Node, type Tree, keyText, stepsIn } from '../../syntax/tree.ts';
import type { Finding } from '../../topology/topology.ts';

/** What tells an item of a list from its siblings: its name where it has one, else which one it is. */
function itemSign(item: Node, index: number): string {
  if (item.kind !== 'map') return `${index}`;
  const name = item.entries.find(({ name, value }) => name === 'name' && value.kind === 'scalar')?.value;
  return name?.kind === 'scalar' ? `(${keyText(name)})` : `${index}`;
}

/** @returns the keys that lead to a finding's place; undefined for one that is no part of a document */
function pathSign({ trees }: Placed, { place }: Finding): string | undefined {
  const tree = trees.get(place.doc);
  const steps = tree && place.node ? stepsIn(tree, place.node) : undefined;
  return steps
    ?.map(({ parent, index, node }) =>
      parent.kind === 'map' ? parent.entries[index]!.name : itemSign(node, index),
    )
    .join('/');
}

/** @returns what a finding is known by in one state of a topology, whatever its words and its offsets are */
export const idOf = (topology: Placed, finding: Finding): string =>
  signed(finding, topology.trees.get(finding.place.doc), topology).id;

// it stands where it stood while its document stays
const signed = remembered(
  (finding: Finding, tree: Tree | undefined, topology: Placed) => ({
    tree,
    id: `${signsOf(topology, finding).at(-1)!} of ${finding.about ?? ''}`,
  }),
  (known, _, tree) => known.tree === tree,
);

/**
 * @returns the signs of a finding: two findings are the same trouble where one sign is the same. By the thing
 *   it is about, and by where it stands; of a promise by where it stands alone, for two may break at one store
 */
export function signsOf(topology: Placed, finding: Finding): string[] {
  const { check, about, place } = finding;
  const path = pathSign(topology, finding);
  const where = `${check} at ${path ?? `${place.doc} ${place.from}`}`;
  return about && !check.startsWith('expectation/') ? [`${check} of ${about}`, where] : [where];
}

/**
 * Whether an edit did what it says and nothing else: what it means is told beforehand, place by place, and
 * the document read again must differ from before in exactly that.
 */
import { type Entry, type Node, type Tree, isNothing, keyText, sizeOf } from '../tree.ts';

/** Tells whether a node is what was meant. */
export type Expected = (node: Node) => boolean;

/** What an edit means to do at one place. */
export type Meaning =
  /** The value there is another one. */
  | { readonly does: 'set'; readonly is: Expected }
  /** The entry or item there goes. */
  | { readonly does: 'remove' }
  /** The key of the entry there is another one. */
  | { readonly does: 'name'; readonly is: string }
  /** The map there gets an entry. */
  | { readonly does: 'enter'; readonly key: string; readonly is: Expected }
  /** The list there gets an item. */
  | { readonly does: 'add'; readonly is: Expected }
  /** Instead of the item there are others. */
  | { readonly does: 'divide'; readonly into: readonly Expected[] };

/** A meaning, and the indices of the entries and items that lead to its place from the root. */
export type Intent = Meaning & { readonly doc: string; readonly at: readonly number[] };

/** @returns whether two nodes say the same, however they are written */
export function sameData(a: Node | undefined, b: Node | undefined): boolean {
  if (a === b) return true;
  if (!a || !b || a.kind !== b.kind) return false;
  if (a.kind === 'scalar')
    return b.kind === 'scalar' && Object.is(a.value, b.value) && keyText(a) === keyText(b);
  if (a.kind === 'list')
    return (
      b.kind === 'list' &&
      a.items.length === b.items.length &&
      a.items.every((item, i) => sameData(item, b.items[i]))
    );
  return (
    b.kind === 'map' &&
    a.entries.length === b.entries.length &&
    a.entries.every((entry, i) => sameEntry(entry, b.entries[i]!))
  );
}

const sameEntry = (a: Entry, b: Entry): boolean =>
  a === b || (a.name === b.name && sameData(a.value, b.value));

/** @returns whether a tree differs from another in exactly what was meant for its document */
export function holds(before: Tree, after: Tree, intents: readonly Intent[]): boolean {
  return after.problems.length === 0 && meant(before.root, after.root, intents, 0);
}

/** @param depth how much of each intent's way led here */
function meant(
  before: Node | undefined,
  after: Node | undefined,
  intents: readonly Intent[],
  depth: number,
): boolean {
  if (intents.length === 0) return sameData(before, after);
  const here = intents.filter(({ at }) => at.length === depth);
  const set = here.find(({ does }) => does === 'set');
  if (set?.does === 'set') return intents.length === 1 && after !== undefined && set.is(after);
  if (!after) return false;
  const entered = here.flatMap((each) => (each.does === 'enter' ? [each] : []));
  const added = here.flatMap((each) => (each.does === 'add' ? [each] : []));
  // where nothing was, there is a map or list now
  const from = before && !isNothing(before) ? before : undefined;
  if (after.kind === 'map' && (from?.kind === 'map' || (!from && entered.length > 0)) && !added.length) {
    const old = from?.kind === 'map' ? from.entries : [];
    return entriesMeant(old, after.entries, intents, depth, entered);
  }
  if (after.kind === 'list' && (from?.kind === 'list' || (!from && added.length > 0)) && !entered.length) {
    const old = from?.kind === 'list' ? from.items : [];
    return itemsMeant(old, after.items, intents, depth, added);
  }
  return false;
}

/** The intents behind each entry or item, by its index. */
function byIndex(intents: readonly Intent[], depth: number): ReadonlyMap<number, readonly Intent[]> {
  const found = new Map<number, Intent[]>();
  for (const intent of intents) {
    const index = intent.at[depth];
    if (index === undefined) continue;
    const list = found.get(index);
    if (list) list.push(intent);
    else found.set(index, [intent]);
  }
  return found;
}

const ENTIRE = new Set<Meaning['does']>(['remove', 'name', 'divide']);

/** What is meant for an entry or item as a whole, and what for its value. */
function divided(intents: readonly Intent[] | undefined, depth: number) {
  const isWhole = (each: Intent) => each.at.length === depth + 1 && ENTIRE.has(each.does);
  return {
    whole: intents?.filter(isWhole) ?? [],
    inside: intents?.filter((each) => !isWhole(each)) ?? [],
  };
}

function entriesMeant(
  before: readonly Entry[],
  after: readonly Entry[],
  intents: readonly Intent[],
  depth: number,
  entered: readonly (Intent & { does: 'enter' })[],
): boolean {
  const meantFor = byIndex(intents, depth);
  const coming = new Map(entered.map((each) => [each.key, each]));
  let at = 0;
  const skipEntered = () => {
    for (let entry = after[at]; entry; entry = after[++at]) {
      const { name } = entry;
      const here = coming.get(name);
      if (!here?.is(entry.value)) return;
      coming.delete(name);
    }
  };
  for (const [i, entry] of before.entries()) {
    const { whole, inside } = divided(meantFor.get(i), depth);
    if (whole.some(({ does }) => does === 'remove')) continue;
    skipEntered();
    const now = after[at++];
    if (!now) return false;
    const named = whole.find(({ does }) => does === 'name');
    if (now.name !== (named?.does === 'name' ? named.is : entry.name)) return false;
    if (now !== entry && !meant(entry.value, now.value, inside, depth + 1)) return false;
    if (now === entry && inside.length) return false;
  }
  skipEntered();
  return at === after.length && coming.size === 0;
}

function itemsMeant(
  before: readonly Node[],
  after: readonly Node[],
  intents: readonly Intent[],
  depth: number,
  added: readonly (Intent & { does: 'add' })[],
): boolean {
  const meantFor = byIndex(intents, depth);
  let at = 0;
  // what is added stands before all or behind all
  const first = added.every(({ is }, i) => after[i] && is(after[i])) && added.length > 0;
  const rest = (from: number): boolean => {
    at = from;
    for (const [i, item] of before.entries()) {
      const { whole, inside } = divided(meantFor.get(i), depth);
      const division = whole.find(({ does }) => does === 'divide');
      if (division?.does === 'divide') {
        for (const is of division.into) {
          const now = after[at++];
          if (!now || !is(now)) return false;
        }
        continue;
      }
      if (whole.length) continue;
      const now = after[at++];
      if (!now || !meant(item, now, inside, depth + 1)) return false;
    }
    return true;
  };
  if (rest(0)) {
    const tail = after.slice(at);
    if (tail.length === added.length && added.every(({ is }, i) => is(tail[i]!))) return true;
  }
  return first && rest(added.length) && at === after.length;
}

/** @returns what tells a node that says what data says, numbers and truth values as such */
export function isJson(json: unknown): Expected {
  return (node) => {
    if (!mayBe(node, typeof json === 'string')) return false;
    if (node.kind === 'scalar')
      return typeof json !== 'object' ? node.value === json : json === null && isNothing(node);
    if (typeof json !== 'object' || json === null) return false;
    if (node.kind === 'list')
      return (
        Array.isArray(json) &&
        json.length === node.items.length &&
        node.items.every((item, i) => isJson(json[i])(item))
      );
    const entries = Array.isArray(json) ? undefined : Object.entries(json);
    return (
      entries?.length === sizeOf(node) &&
      node.entries.every(({ name, value }, i) => name === entries[i]![0] && isJson(entries[i]![1])(value))
    );
  };
}

/** Whether the tag of a node, where it has one, lets it be what it is meant to be. */
const mayBe = ({ tag }: Node, isString: boolean): boolean =>
  tag === undefined || (isString && tag === 'tag:yaml.org,2002:str');

/** @returns what tells a scalar that reads as a text, whether as a word or in quotes */
export const isText =
  (text: string): Expected =>
  (node) =>
    node.kind === 'scalar' && keyText(node) === text && mayBe(node, true);

/** @returns what tells a node that says what another says */
export const isLike =
  (other: Node): Expected =>
  (node) =>
    sameData(other, node);

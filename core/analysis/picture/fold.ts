/**
 * Pictures of large graphs: a broker folded to one plate, apps that meet the same folded brokers to
 * one, and the neighbourhood of one node. Pure functions over what a picture needs of a graph.
 */

export interface PictureNode {
  readonly id: string;
  readonly role: string;
  readonly broker: string;
  readonly name: string;
}

export interface PictureEdge {
  readonly id: string;
  readonly kind: string;
  readonly from: string;
  readonly to: string;
}

/** Some nodes as one. */
export interface Fold {
  readonly id: string;
  /** `broker` for a whole broker, else the role of the apps. */
  readonly role: 'broker' | 'publisher' | 'taker';
  /** The broker, or the brokers the apps meet. */
  readonly brokers: readonly string[];
  readonly members: readonly string[];
}

export interface Folded<E extends PictureEdge> {
  readonly folds: readonly Fold[];
  /** The fold that stands for each node that is in one. */
  readonly foldOf: ReadonlyMap<string, string>;
  /** The edges between what is left, each once, with how many it stands for. */
  readonly edges: readonly (E & { readonly count: number })[];
}

/**
 * Folds brokers, and the apps that meet no other broker than folded ones.
 * @param folded the ids of the brokers
 * @param kept where it is said, all other nodes fold too: those of a broker to one, apps that meet the same brokers
 *   to one; one alone stays
 */
export function fold<E extends PictureEdge>(
  nodes: readonly PictureNode[],
  edges: readonly E[],
  folded: ReadonlySet<string>,
  kept?: ReadonlySet<string>,
): Folded<E> {
  const members = new Map<string, { fold: Omit<Fold, 'members'>; ids: string[] }>();
  const foldOf = new Map<string, string>();
  const put = (node: PictureNode, of: Omit<Fold, 'members'>) => {
    const known = members.get(of.id);
    if (known) known.ids.push(node.id);
    else members.set(of.id, { fold: of, ids: [node.id] });
    foldOf.set(node.id, of.id);
  };
  const brokerOf = new Map(nodes.map(({ id, broker }) => [id, broker]));
  const met = new Map<string, Set<string>>();
  const meet = (app: string, other: string) => {
    const broker = brokerOf.get(other);
    if (brokerOf.get(app) || !broker) return;
    met.set(app, (met.get(app) ?? new Set()).add(broker));
  };
  for (const { from, to } of edges) {
    meet(from, to);
    meet(to, from);
  }
  for (const node of nodes) {
    const unkept = kept !== undefined && !kept.has(node.id);
    if (node.broker) {
      if (unkept || folded.has(node.broker))
        put(node, { id: `broker:${node.broker}`, role: 'broker', brokers: [node.broker] });
      continue;
    }
    const brokers = [...(met.get(node.id) ?? [])].sort();
    if ((node.role !== 'publisher' && node.role !== 'taker') || brokers.length === 0) continue;
    if (unkept || brokers.every((broker) => folded.has(broker)))
      put(node, { id: `${node.role}s:${brokers.join('+')}`, role: node.role, brokers });
  }
  // one alone is no fold
  for (const [id, { fold: of, ids }] of members) {
    if (ids.length > 1 || (of.role === 'broker' && folded.has(of.brokers[0]!))) continue;
    foldOf.delete(ids[0]!);
    members.delete(id);
  }
  return {
    folds: [...members.values()].map(({ fold: of, ids }) => ({ ...of, members: ids })),
    foldOf,
    edges: merged(edges, foldOf),
  };
}

function merged<E extends PictureEdge>(
  edges: readonly E[],
  foldOf: ReadonlyMap<string, string>,
): (E & { count: number })[] {
  const found = new Map<string, E & { count: number }>();
  for (const edge of edges) {
    const from = foldOf.get(edge.from) ?? edge.from;
    const to = foldOf.get(edge.to) ?? edge.to;
    const inFold = from !== edge.from || to !== edge.to;
    if (inFold && from === to) continue;
    const id = inFold ? `${edge.kind} ${from} → ${to}` : edge.id;
    const known = found.get(id);
    if (known) known.count++;
    else found.set(id, { ...edge, id, from, to, count: 1 });
  }
  return [...found.values()];
}

/**
 * @param start the nodes in the middle
 * @param depth how many ways up and how many down
 * @returns the nodes whose messages come to the middle, and those that get the middle's, within so many ways
 */
export function neighbourhood(
  edges: readonly PictureEdge[],
  start: readonly string[],
  depth: number,
): Set<string> {
  const out = new Map<string, string[]>();
  const into = new Map<string, string[]>();
  const add = (ways: Map<string, string[]>, at: string, other: string) => {
    const known = ways.get(at);
    if (known) known.push(other);
    else ways.set(at, [other]);
  };
  for (const { from, to } of edges) {
    add(out, from, to);
    add(into, to, from);
  }
  const found = new Set(start);
  for (const ways of [out, into]) {
    const seen = new Set(start);
    let ring: readonly string[] = start;
    for (let step = 0; step < depth && ring.length; step++) {
      ring = ring.flatMap((id) => ways.get(id) ?? []).filter((id) => !seen.has(id) && seen.add(id));
      for (const id of ring) found.add(id);
    }
  }
  return found;
}

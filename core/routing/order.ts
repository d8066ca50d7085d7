/** The order in which copies are gathered: a node after everything that leads to it, but for circles. */
import type { Edge } from '../brokers/terms.ts';

/** Where the nodes of a graph stand. */
export interface GatheringOrder {
  /** @returns a whole number; smaller than those of all nodes that its ways lead to, those of its own circle aside */
  rank(node: string): number;
  /** @returns whether some way from it leads back to it */
  circular(node: string): boolean;
}

const FOLLOWED: ReadonlySet<Edge['kind']> = new Set([
  'binding',
  'unrouted',
  'subscription',
  'alias',
  'member',
  'link',
]);

/** The same with what stores give up. */
const WITH_DEAD_LETTERS: ReadonlySet<Edge['kind']> = new Set([...FOLLOWED, 'deadLetter']);

/**
 * @param nodes the nodes' ids
 * @param rounds whether dead letters are ways too; else they begin a round of their own
 * @returns the order of all nodes, by their strongly connected components; time and memory are linear in
 *   the ways. Apps are no part of it.
 */
export function gatheringOrder(
  nodes: Iterable<string>,
  out: ReadonlyMap<string, readonly Edge[]>,
  rounds = false,
): GatheringOrder {
  const followed = rounds ? WITH_DEAD_LETTERS : FOLLOWED;
  const found = new Map<string, number>();
  const lowest = new Map<string, number>();
  const component = new Map<string, number>();
  const circles = new Set<string>();
  const open: string[] = [];
  let components = 0;
  const waysOf = (id: string) => (out.get(id) ?? []).filter(({ kind }) => followed.has(kind));
  interface Visit {
    readonly id: string;
    readonly ways: readonly Edge[];
    next: number;
  }
  const begin = (id: string): Visit => {
    found.set(id, found.size);
    lowest.set(id, found.get(id)!);
    open.push(id);
    return { id, ways: waysOf(id), next: 0 };
  };
  for (const start of nodes) {
    if (found.has(start)) continue;
    const visits = [begin(start)];
    for (let at = visits.at(-1); at; at = visits.at(-1)) {
      const way = at.ways[at.next++];
      if (way) {
        if (way.to === at.id) circles.add(at.id);
        if (!found.has(way.to)) visits.push(begin(way.to));
        else if (!component.has(way.to)) lowest.set(at.id, Math.min(lowest.get(at.id)!, found.get(way.to)!));
        continue;
      }
      visits.pop();
      const { id } = at;
      const before = visits.at(-1)?.id;
      if (before !== undefined) lowest.set(before, Math.min(lowest.get(before)!, lowest.get(id)!));
      if (lowest.get(id) !== found.get(id)) continue;
      const members = open.splice(open.lastIndexOf(id));
      for (const member of members) {
        component.set(member, components);
        if (members.length > 1) circles.add(member);
      }
      components++;
    }
  }
  return {
    // components are finished last to first
    rank: (node) => -(component.get(node) ?? 0),
    circular: (node) => circles.has(node),
  };
}

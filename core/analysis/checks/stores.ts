/** What checks ask about stores: who empties them, and what for they are there. */
import type { CheckContext } from './context.ts';
import type { Edge, StoreNode } from '../../brokers/terms.ts';

/** @returns the ways by which apps and links take from a store */
export function takersOf(context: CheckContext, store: string): readonly Edge[] {
  return context.out(store).filter((edge) => edge.kind === 'take' || edge.kind === 'link');
}

/** @returns whether a store is there for what others gave up: nothing but dead letters come to it */
export function isGivenUpTo(context: CheckContext, store: string): boolean {
  const ways = context.into(store);
  return (
    ways.length > 0 &&
    ways.every(
      (edge) =>
        edge.kind === 'deadLetter' ||
        (context.into(edge.from).length > 0 &&
          context.into(edge.from).every(({ kind }) => kind === 'deadLetter')),
    )
  );
}

/** @returns how many instances take from a store in all */
export function instancesAt(context: CheckContext, takes: readonly Edge[]): number {
  const apps = new Set(takes.map((edge) => context.node(edge.to)!.thing.name));
  return [...apps].reduce((sum, app) => sum + (context.app(app)?.instances?.value ?? 1), 0);
}

/** @returns whether a store keeps its messages in the order they came in, for those who rely on it */
export function isOrdered(store: StoreNode): boolean {
  return store.decl.order?.value === 'fifo';
}

/**
 * The least a store gets, in messages a second: of what is published at a known rate, only what every
 * condition on its way is known to let through, and that once, however many ways lead there.
 */
export function leastRate(context: CheckContext, store: string, lets: (edge: Edge) => boolean): number {
  // which part of what comes to a node surely comes to the store
  const share = new Map([[store, 1]]);
  const open = [store];
  let rate = 0;
  for (let id = open.pop(); id !== undefined; id = open.pop()) {
    for (const edge of context.into(id)) {
      if (edge.kind === 'publish' || edge.kind === 'deadLetter' || edge.kind === 'unrouted') continue;
      if (!lets(edge)) continue;
      const part = share.get(id)! / (edge.kind === 'member' ? context.out(edge.from).length : 1);
      if ((share.get(edge.from) ?? 0) >= part) continue;
      share.set(edge.from, part);
      open.push(edge.from);
    }
  }
  for (const [id, part] of share)
    for (const { kind, publish } of context.into(id))
      if (kind === 'publish') rate += (publish?.rate?.value ?? 0) * part;
  return rate;
}

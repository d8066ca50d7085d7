/** Names in the text: which thing one stands for, where that is declared, and where else it is named. */
import type { Thing } from '../language/thing.ts';
import { type Located, type Place, spanOf } from '../syntax/place.ts';
import { declarationsIn } from '../topology/declarations.ts';
import type { Topology } from '../topology/topology.ts';
import { meantBy, namingsIn, usesIn } from '../topology/uses.ts';

/** A name in the text and what it stands for. */
export interface Symbol {
  readonly thing: Thing;
  readonly place: Place;
  /** Whether this is the declaration itself. */
  readonly declares: boolean;
}

/** @returns the name an offset of a document stands in or at the end of, if it names one thing. */
export function symbolAt(topology: Topology, doc: string, offset: number): Symbol | undefined {
  const here = (place: Place) => {
    if (place.doc !== doc) return false;
    const { start, end } = spanOf(topology, place);
    return start <= offset && offset <= end;
  };
  for (const { of, place } of declarationsIn(topology))
    if (here(place)) return { thing: of, place, declares: true };
  for (const use of usesIn(topology.declared)) {
    if (!here(use.value.place)) continue;
    const meant = meantBy(topology.names, use);
    if (meant) return { thing: meant, place: use.value.place, declares: false };
  }
  return undefined;
}

/** @returns every place that names a thing, its declaration not among them. */
export function usesOf(topology: Topology, { id, name }: Pick<Thing, 'id' | 'name'>): Place[] {
  const found: Place[] = [];
  // whatever names it ends in its name; looking up what is meant costs far more than asking that first
  const names = (value: Located<string> | undefined) => value?.value.endsWith(name) === true;
  for (const { uses } of namingsIn(topology.declared)) {
    for (const use of uses)
      if (names(use.value) && meantBy(topology.names, use)?.id === id) found.push(use.value.place);
  }
  return found;
}

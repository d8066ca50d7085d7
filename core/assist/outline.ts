/** What a document declares, in order, as an editor lists it. */
import type { Span } from '../base/span.ts';
import type { Thing } from '../language/thing.ts';
import { spanOf } from '../syntax/place.ts';
import { stepsIn } from '../syntax/tree.ts';
import { declarationsIn } from '../topology/declarations.ts';
import type { Topology } from '../topology/topology.ts';

/** One declaration of a document. */
export interface DocumentSymbol {
  readonly thing: Thing;
  /** Where its name stands. */
  readonly name: Span;
  /** Its name and all that is declared under it. */
  readonly whole: Span;
}

/** @returns everything that has a name, of one document or of all, in order of declaration */
export function symbolsIn(topology: Topology, doc?: string): DocumentSymbol[] {
  return [...declarationsIn(topology)].flatMap(({ of, place }): DocumentSymbol[] => {
    if (doc !== undefined && place.doc !== doc) return [];
    const name = spanOf(topology, place);
    const tree = topology.trees.get(place.doc);
    const steps = tree && place.node ? stepsIn(tree, place.node) : undefined;
    const last = steps?.at(-1);
    const value = last?.parent.kind === 'map' ? last.parent.entries[last.index]!.value : undefined;
    const end = value ? name.start - (place.node!.offset - value.offset) + value.length : name.end;
    return [{ thing: of, name, whole: { ...name, end: Math.max(end, name.end) } }];
  });
}

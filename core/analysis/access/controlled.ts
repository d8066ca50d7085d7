/** What an open broker would need if its access were controlled. */
import { allowNeeds, needTitle } from './route.ts';
import { usageOf } from './usage.ts';
import { type Edited, applyEdits } from '../../base/edits.ts';
import { buildGraph } from '../../routing/graph.ts';
import { setAt } from '../../syntax/edit/edit.ts';
import { sequence } from '../../syntax/edit/proved.ts';
import { readTopology } from '../../topology/read.ts';
import type { Topology } from '../../topology/topology.ts';

/** What would be missing, and the edits that control the broker and give the narrowest of it. */
export interface IfControlled {
  /** The permissions that its ways need and no statement gives, in words. */
  readonly missing: readonly string[];
  readonly edited: Edited;
}

/** @returns whether everybody may do everything on a broker */
export const isOpen = ({ declared }: Topology, broker: string): boolean =>
  declared.brokers?.get(broker)?.value.access?.value === 'open';

/** @returns what a broker would need if its access were controlled */
export function ifControlled(topology: Topology, broker: string): IfControlled {
  const { environment, documents } = topology;
  const controlled = setAt(topology, ['brokers', broker, 'access'], 'controlled');
  if (!controlled.ok) return { missing: [], edited: controlled };
  const then = readTopology(
    applyEdits(documents, controlled.edits),
    environment === undefined ? {} : { environment },
  );
  const graph = buildGraph(then);
  const needs = usageOf(graph).unmet.filter(({ on }) => on.broker === broker);
  return {
    missing: [...new Set(needs.map(needTitle))],
    edited: needs.length
      ? sequence(topology, [() => controlled, () => allowNeeds(then, graph, needs)])
      : controlled,
  };
}

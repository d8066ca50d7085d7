/** Where the taps of an environment listen: worked out on a thread, from the revisions that stand on its brokers. */
import { storeNames, tapsOf, wantedHosted, type HostedThing, type TapAt } from '@vondle/core/analysis';
import { buildGraph, type RoutingGraph } from '@vondle/core/routing';
import type { Database } from '../db/connect.ts';
import type { Stands } from '../links/standing.ts';
import { topologyAt } from '../rollouts/planning.ts';

/** A place that is listened to, by its names on its broker. */
export type Listened =
  | { readonly kind: 'exchange'; readonly exchange: string }
  | { readonly kind: 'queues'; readonly queues: readonly string[] }
  /** Subscriptions of our own with such settings. */
  | { readonly kind: 'subscriptions'; readonly settings: readonly HostedThing['settings'][] };

export interface TapPlan extends TapAt {
  readonly revision: number;
  readonly targetId: number;
  readonly at: Listened;
  /** What passes there and is not seen, in words. */
  readonly unseen: readonly string[];
}

/** So many subscriptions are made for one tap. */
const MOST_SUBSCRIPTIONS = 20;
const STRAIGHT =
  'what is published straight to the queue by its name, and what dies straight into it, passes unseen';

/** @returns the taps of an environment, those of each broker as the revision has them that stands there */
export async function tapsThere(
  db: Database,
  { topologyId, environment, brokers }: Stands,
): Promise<TapPlan[]> {
  const plans: TapPlan[] = [];
  for (const revision of new Set(brokers.map((each) => each.revision))) {
    const graph = buildGraph(await topologyAt(db, topologyId, revision, environment));
    for (const tap of tapsOf(graph)) {
      const target = brokers.find((each) => each.broker === tap.broker && each.revision === revision);
      const at = target && placeOf(graph, tap);
      if (at) plans.push({ ...tap, revision, targetId: target.targetId, ...at });
    }
  }
  return plans;
}

function placeOf(graph: RoutingGraph, { on, broker }: TapAt): Pick<TapPlan, 'at' | 'unseen'> | undefined {
  const node = [...graph.nodes.values()].find(({ thing }) => thing.id === on);
  if (!node) return undefined;
  const wanted = wantedHosted(graph.topology, broker);
  if (!wanted)
    return node.role === 'exchange'
      ? {
          at: { kind: 'exchange', exchange: node.decl.wireName?.value ?? node.thing.name },
          unseen: ['what matches none of its bindings passes unseen'],
        }
      : { at: { kind: 'queues', queues: storeNames(graph.topology, node) }, unseen: [STRAIGHT] };
  if (node.role === 'topic')
    return {
      at: {
        kind: 'subscriptions',
        settings: [{ topic: node.decl.wireName?.value ?? node.thing.name }],
      },
      unseen: [],
    };
  const [store] = storeNames(graph.topology, node);
  const beside = wanted.things
    .filter(
      ({ kind, name, settings }) =>
        kind === 'subscription' && (settings['to'] === undefined ? name === store : settings['to'] === store),
    )
    .slice(0, MOST_SUBSCRIPTIONS)
    .map(({ settings: { topic, filter, wrap } }): HostedThing['settings'] => ({
      topic: topic!,
      ...(filter === undefined ? {} : { filter }),
      ...(wrap === undefined ? {} : { wrap }),
    }));
  return { at: { kind: 'subscriptions', settings: beside }, unseen: node.role === 'queue' ? [STRAIGHT] : [] };
}

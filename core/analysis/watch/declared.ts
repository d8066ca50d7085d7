/** What a topology asks to be told of: its alerts and taps, place by place. */
import { asHosted } from '../../brokers/kinds.ts';
import type { GraphNode } from '../../brokers/terms.ts';
import type { AlertDecl } from '../../language/watching.ts';
import type { Thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { covers } from '../../routing/permission.ts';
import type { Topology } from '../../topology/topology.ts';
import { storeNames } from './expected.ts';

/** What can be asked of stores alone. */
export const STORES_ONLY: readonly string[] = ['waiting', 'inHand', 'oldest', 'takers'];

/** A tap keeps its copies no longer, whatever it asks: ninety days. */
export const LONGEST_KEPT_MS = 90 * 24 * 3600 * 1000;
/** So long where it does not say. */
const KEPT_MS = 7 * 24 * 3600 * 1000;
/** So many places of a topology are watched by alerts, and tapped. */
export const MOST_ALERTS = 2000;
export const MOST_TAPS = 100;

/** One alert at one place. */
export interface AlertAt {
  readonly rule: string;
  readonly broker: string;
  /** As the broker calls it. */
  readonly name: string;
  readonly id: string;
  readonly title: string;
  readonly isStore: boolean;
  readonly waiting?: number;
  readonly inHand?: number;
  readonly oldestMs?: number;
  readonly takers?: number;
  /** A second. */
  readonly comes?: number;
  readonly quiet: boolean;
  readonly forMs: number;
}

/** One tap at one place. */
export interface TapAt {
  /** The topology's id of what it listens to. */
  readonly on: string;
  readonly broker: string;
  readonly keepMs: number;
  readonly body: boolean;
}

/** @returns whether a thing can be looked at on a broker: a subscription that hands over to a queue is none of its own there */
export function isWatched({ declared }: Topology, { kind, broker, name }: Thing): boolean {
  if (kind === 'subscription') {
    const hosted = asHosted(declared.brokers?.get(broker)?.value);
    return !hosted?.subscriptions?.get(name)?.value.to;
  }
  return kind === 'exchange' || kind === 'topic' || kind === 'queue';
}

interface Chosen {
  readonly on?: { readonly items: readonly { readonly value: string }[] };
  readonly in?: { readonly items: readonly { readonly value: string }[] };
}

function placesOf({ topology, nodes }: RoutingGraph, { on, in: where }: Chosen): Thing[] {
  if (where && !where.items.some(({ value }) => value === topology.environment)) return [];
  const patterns = on?.items.map(({ value }) => value) ?? [];
  const found: Thing[] = [];
  for (const { thing: each } of nodes.values())
    if (isWatched(topology, each) && patterns.some((pattern) => covers(pattern, each))) found.push(each);
  return found;
}

/** @returns what an alert asks, by the keys of the language */
export function askedIn(when: AlertDecl['when']): string[] {
  const { waiting, inHand, oldest, takers, comes, quiet } = when ?? {};
  const said = { waiting, inHand, oldest, takers, comes, quiet: quiet?.value ? quiet : undefined };
  return Object.entries(said).flatMap(([key, value]) => (value ? [key] : []));
}

/** @returns the alerts of a topology as it is in its environment, each place by itself */
export function alertsOf(graph: RoutingGraph): AlertAt[] {
  const { topology, nodes } = graph;
  const found = new Map<string, AlertAt>();
  for (const decl of topology.declared.watch?.items ?? []) {
    const rule = decl.name?.value;
    if (rule === undefined || !decl.when) continue;
    const asked = askedIn(decl.when);
    if (asked.length === 0) continue;
    const storesOnly = asked.some((key) => STORES_ONLY.includes(key));
    const when = conditionOf(decl.when);
    for (const of of placesOf(graph, decl)) {
      const isStore = of.kind === 'queue' || of.kind === 'subscription';
      if (!isStore && storesOnly) continue;
      const node = nodes.get(of.id)!;
      const names = isStore ? storeNames(topology, node) : [entryName(node)];
      for (const name of names) {
        const key = JSON.stringify([rule, of.broker, name, isStore]);
        if (found.size >= MOST_ALERTS) return [...found.values()];
        // of two rules of one name the first counts
        if (!found.has(key))
          found.set(key, {
            rule,
            broker: of.broker,
            name,
            id: of.id,
            title: `${of.broker}/${name}`,
            isStore,
            ...when,
          });
      }
    }
  }
  return [...found.values()];
}

const entryName = (node: GraphNode): string =>
  (node.role === 'exchange' || node.role === 'topic' ? node.decl.wireName?.value : undefined) ??
  node.thing.name;

function conditionOf({
  waiting,
  inHand,
  oldest,
  takers,
  comes,
  quiet,
  for: long,
}: NonNullable<AlertDecl['when']>) {
  return {
    ...(waiting ? { waiting: waiting.value } : {}),
    ...(inHand ? { inHand: inHand.value } : {}),
    ...(oldest ? { oldestMs: oldest.value } : {}),
    ...(takers ? { takers: takers.value } : {}),
    ...(comes ? { comes: comes.value } : {}),
    quiet: quiet?.value ?? false,
    forMs: long?.value ?? 0,
  };
}

/** @returns the taps of a topology as it is in its environment; where several listen to one place, the one that keeps most */
export function tapsOf(graph: RoutingGraph): TapAt[] {
  const found = new Map<string, TapAt>();
  for (const decl of graph.topology.declared.taps?.items ?? [])
    for (const { id, broker } of placesOf(graph, decl)) {
      const known = found.get(id);
      if (!known && found.size >= MOST_TAPS) break;
      found.set(id, {
        on: id,
        broker,
        keepMs: Math.max(known?.keepMs ?? 0, Math.min(decl.keep?.value ?? KEPT_MS, LONGEST_KEPT_MS)),
        body: (known?.body ?? false) || (decl.body?.value ?? false),
      });
    }
  return [...found.values()];
}

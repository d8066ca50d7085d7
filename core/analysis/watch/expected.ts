/** What a topology says of its stores that can be seen on a broker: what each is called there, and who takes from it. */
import { asAmqp, asHosted } from '../../brokers/kinds.ts';
import type { GraphNode } from '../../brokers/terms.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { wireNames } from '../rollout/wire.ts';

export interface ExpectedStore {
  readonly broker: string;
  /** As the broker calls it. */
  readonly name: string;
  /** What declares it. */
  readonly id: string;
  /** As people call it: `broker/name`. */
  readonly title: string;
  /** Apps that take from it. */
  readonly takers: readonly string[];
  /** Links that take from it. */
  readonly links: readonly string[];
  /** Whether what others gave up comes to lie in it, and nothing else. */
  readonly forDead: boolean;
  /** There only while its app is connected. */
  readonly passing: boolean;
}

export interface ExpectedEntry {
  readonly broker: string;
  readonly name: string;
  readonly id: string;
}

/** What is expected of an environment. */
export interface Expected {
  readonly stores: readonly ExpectedStore[];
  readonly entries: readonly ExpectedEntry[];
  readonly apps: readonly string[];
}

/** @returns what the topology says of what can be seen */
export function expectedOf({ topology, nodes, out, into }: RoutingGraph): Expected {
  /** Whether nothing comes there but what others gave up, by however many exchanges. */
  const dead = new Map<string, boolean>();
  const onlyDead = (id: string): boolean => {
    const known = dead.get(id);
    if (known !== undefined) return known;
    // a circle brings nothing of its own
    dead.set(id, true);
    const ways = into.get(id) ?? [];
    const is = ways.length > 0 && ways.every(({ kind, from }) => kind === 'deadLetter' || onlyDead(from));
    dead.set(id, is);
    return is;
  };
  const stores: ExpectedStore[] = [];
  const entries: ExpectedEntry[] = [];
  for (const node of nodes.values()) {
    const { broker } = node.thing;
    if (node.role === 'exchange' || node.role === 'topic')
      entries.push({ broker, name: node.decl.wireName?.value ?? node.thing.name, id: node.thing.id });
    if (node.role !== 'queue' && node.role !== 'subscription') continue;
    const takers = new Set<string>();
    const links = new Set<string>();
    for (const { kind, to, link } of out.get(node.id) ?? []) {
      if (kind === 'take') takers.add(nodes.get(to)!.thing.name);
      if (link) links.add(link.thing.name);
    }
    const forDead = onlyDead(node.id);
    for (const { name, passing } of namesOnBroker(topology, node))
      stores.push({
        broker,
        name,
        id: node.thing.id,
        title: `${broker}/${name}`,
        takers: [...takers],
        links: [...links],
        forDead,
        passing,
      });
  }
  return { stores, entries, apps: [...(topology.declared.apps?.keys() ?? [])] };
}

/** @returns what a store is called on its broker; several where each instance of an app has its own */
export const storeNames = (topology: RoutingGraph['topology'], store: GraphNode): string[] =>
  namesOnBroker(topology, store).map(({ name }) => name);

function namesOnBroker(
  topology: RoutingGraph['topology'],
  { thing }: GraphNode,
): { name: string; passing: boolean }[] {
  const decl = topology.declared.brokers?.get(thing.broker)?.value;
  const queue = asAmqp(decl)?.queues?.get(thing.name)?.value;
  if (queue)
    return wireNames(topology, thing.name, queue).map((name) => ({
      name,
      passing: queue.exclusive?.value ?? false,
    }));
  const hosted = asHosted(decl);
  if (!hosted) return [];
  const subscription =
    thing.kind === 'subscription' ? hosted.subscriptions?.get(thing.name)?.value : undefined;
  // one that hands over to a queue holds nothing itself
  if (subscription?.to) return [];
  const named = subscription ?? hosted.queues?.get(thing.name)?.value;
  return named ? [{ name: named.wireName?.value ?? thing.name, passing: false }] : [];
}

/**
 * @param user who it signed in as
 * @param name by which it is told apart
 * @returns the declared app that somebody connected is, by the user that was made for it or by the name it gives itself
 */
export function appBehind(
  apps: readonly string[],
  { user, name }: { readonly user: string; readonly name: string },
): string | undefined {
  const own = user.split('.').at(-1)!;
  if (user.includes('.') && apps.includes(own)) return own;
  if (apps.includes(user)) return user;
  const begins = (app: string) =>
    name === app || (name.startsWith(app) && /^[^\p{L}\p{N}_-]/u.test(name.slice(app.length)));
  return apps.filter(begins).sort((a, b) => b.length - a.length)[0];
}

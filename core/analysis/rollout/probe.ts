/** What a probe message should show: where on one real broker the trace says its copies land. */
import { asAmqp, asHosted } from '../../brokers/kinds.ts';
import type { Thing } from '../../language/thing.ts';
import type { Topology } from '../../topology/topology.ts';
import {
  type Inventory,
  type WantedState,
  type WireBinding,
  type WireQueue,
  bindingId,
  wireNames,
} from './wire.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Hop } from '../../routing/hop.ts';
import type { Trace } from '../../routing/trace.ts';

export interface ProbeExpectation {
  /** Copies by wire name of the queue or subscription, on the broker it is sent to. */
  readonly queues: Readonly<Record<string, number>>;
  /** Whether the broker would hand a mandatory message back. */
  readonly returned: boolean;
  /** Copies that links carry on, by where they come to lie. */
  readonly carried: readonly { readonly broker: string; readonly store: string; readonly copies: number }[];
}

/**
 * @returns where copies of a traced message come to lie: on the broker it is sent to, and where links carry them on.
 *   What a link takes counts in its queue too: there it was.
 */
export function expectProbe(graph: RoutingGraph, trace: Trace, broker: string): ProbeExpectation {
  // a queue may be called as every object's members are
  const queues: Record<string, number> = Object.create(null) as Record<string, number>;
  const carried = new Map<string, { broker: string; store: string; copies: number }>();
  // a way may be longer than a stack is deep
  const open: { hop: Hop; over: boolean }[] = [{ hop: trace.root, over: false }];
  for (const { hop, over: before } of open) {
    const node = graph.nodes.get(hop.node);
    // a remote alias leads elsewhere too
    const over = before || hop.edge?.kind === 'link' || (node?.thing.broker ?? broker) !== broker;
    if ((node?.role === 'queue' || node?.role === 'subscription') && !hop.again && hop.copies > 0) {
      const { thing: of } = node;
      for (const wire of wiresOf(graph.topology, of)) {
        if (!over && of.broker === broker) queues[wire] = (queues[wire] ?? 0) + 1;
        if (!over) continue;
        const id = JSON.stringify([of.broker, wire]);
        const copies = (carried.get(id)?.copies ?? 0) + 1;
        carried.set(id, { broker: of.broker, store: wire, copies });
      }
    }
    for (const next of hop.next) open.push({ hop: next, over });
  }
  return { queues, returned: Object.keys(queues).length === 0, carried: [...carried.values()] };
}

/** @returns the wire names of a store; none of what a client makes for itself */
function wiresOf(topology: Topology, { kind, name, broker }: Thing): string[] {
  const decl = topology.declared.brokers?.get(broker)?.value;
  const amqp = asAmqp(decl);
  if (amqp) {
    const queue = kind === 'queue' ? amqp.queues?.get(name)?.value : undefined;
    return queue ? wireNames(topology, name, queue) : [];
  }
  const hosted = asHosted(decl);
  const items = kind === 'queue' ? hosted?.queues : hosted?.subscriptions;
  const store = items?.get(name)?.value;
  return store ? [store.wireName?.value ?? name] : [];
}

/** A queue that a probe published to an exchange may come to, with what leads there. */
export interface WithinReach {
  readonly queue: WireQueue;
  /** Its own bindings, of exchanges the probe may come to. A queue bound the same way gets what it gets. */
  readonly bindings: readonly WireBinding[];
  /** Whether the topology has none of it: what comes there is not predicted. */
  readonly unforeseen: boolean;
}

/**
 * @param exchange the wire name of a named exchange
 * @returns the queues that a message published there may come to by what the broker has: over bindings,
 *   and from an exchange to what gets its unrouted (`alternate-exchange` on the wire)
 */
export function withinReach(has: Inventory, wanted: WantedState, exchange: string): WithinReach[] {
  const from = new Map<string, WireBinding[]>();
  for (const binding of has.bindings) {
    const list = from.get(binding.source);
    if (list) list.push(binding);
    else from.set(binding.source, [binding]);
  }
  const alternates = new Map(
    has.exchanges.map(({ name, arguments: terms }) => [
      name,
      Object.hasOwn(terms, 'alternate-exchange') ? String(terms['alternate-exchange']) : undefined,
    ]),
  );
  const foreseen = new Set(wanted.bindings.map(bindingId));
  const seen = new Set([exchange]);
  const found = new Map<string, WireBinding[]>();
  // a Set goes on over what is added to it meanwhile
  for (const at of seen) {
    const alternate = alternates.get(at);
    if (alternate !== undefined) seen.add(alternate);
    for (const binding of from.get(at) ?? []) {
      if (binding.to === 'exchange') seen.add(binding.destination);
      else {
        const list = found.get(binding.destination);
        if (list) list.push(binding);
        else found.set(binding.destination, [binding]);
      }
    }
  }
  return has.queues.flatMap((queue) => {
    const bindings = found.get(queue.name);
    if (!bindings) return [];
    return [{ queue, bindings, unforeseen: bindings.some((each) => !foreseen.has(bindingId(each))) }];
  });
}

/** What a real queue does with a message by its own settings, those of an operator's policy included. */
export interface QueueManners {
  /** Whether it has a limit at all. */
  readonly limited: boolean;
  /** Whether one message more would push the oldest out. */
  readonly pushesOut: boolean;
  /** Whether it may refuse a message instead. */
  readonly mayRefuse: boolean;
  /** Whether it hands on what it gives up. */
  readonly deadLetters: boolean;
}

/** @returns how a queue that is there behaves, whatever says so. */
export function mannersOf({ arguments: terms, policy = {}, messages = 0 }: WireQueue): QueueManners {
  const setting = (name: string) => {
    const argument = Object.hasOwn(terms, `x-${name}`) ? terms[`x-${name}`] : undefined;
    return argument ?? (Object.hasOwn(policy, name) ? policy[name] : undefined);
  };
  const most = setting('max-length');
  const bytes = setting('max-length-bytes');
  const limited = most !== undefined || bytes !== undefined;
  const refuses = String(setting('overflow') ?? 'drop-head').startsWith('reject-publish');
  return {
    limited,
    // how many bytes there are is not known exactly enough: a queue limited by them counts as full
    pushesOut:
      limited &&
      !refuses &&
      ((typeof most === 'number' && messages + 1 > most) || (bytes !== undefined && messages > 0)),
    mayRefuse: limited && refuses,
    deadLetters: setting('dead-letter-exchange') !== undefined,
  };
}

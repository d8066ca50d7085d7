/** What a probe message should show: where on one real broker the trace says its copies land. */
import { asAmqp } from '../../brokers/kinds.ts';
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
  /** Copies by wire queue name. */
  readonly queues: Readonly<Record<string, number>>;
  /** Whether the broker would hand a mandatory message back. */
  readonly returned: boolean;
}

/**
 * @returns where copies of a traced message come to lie on one broker. Links are not followed: what
 * they would carry away rests in their queue there.
 */
export function expectProbe(graph: RoutingGraph, trace: Trace, broker: string): ProbeExpectation {
  // a queue may be called as every object's members are
  const queues: Record<string, number> = Object.create(null) as Record<string, number>;
  // a way may be longer than a stack is deep
  const open: Hop[] = [trace.root];
  for (const hop of open) {
    if (hop.edge?.kind === 'link') continue;
    const node = graph.nodes.get(hop.node);
    if (node?.role === 'queue' && node.thing.broker === broker && !hop.again && hop.copies > 0) {
      const decl = asAmqp(graph.topology.declared.brokers!.get(broker)!.value);
      const queue = decl?.queues?.get(node.thing.name)?.value;
      for (const wire of queue ? wireNames(graph.topology, node.thing.name, queue) : []) {
        queues[wire] = (queues[wire] ?? 0) + 1;
      }
    }
    for (const next of hop.next) open.push(next);
  }
  return { queues, returned: Object.keys(queues).length === 0 };
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

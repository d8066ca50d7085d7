/** A broker as it is after some single operations, in the protocol's own terms (AMQP 0-9-1 §1.7). */
import { type Inventory, type WireBinding, type WireExchange, type WireQueue, bindingId } from './wire.ts';

/** One thing that is done to a broker at once. */
export type Operation =
  | { readonly do: 'declare exchange' | 'delete exchange'; readonly exchange: WireExchange }
  | { readonly do: 'declare queue' | 'delete queue'; readonly queue: WireQueue }
  | { readonly do: 'bind' | 'unbind'; readonly binding: WireBinding };

/** @returns where what an exchange matched nothing for goes, by its wire name; undefined where it is lost */
export function alternateOf({ arguments: terms }: WireExchange): string | undefined {
  return Object.hasOwn(terms, 'alternate-exchange') ? String(terms['alternate-exchange']) : undefined;
}

/** What a broker has, operation after operation. */
export class BrokerState {
  readonly exchanges: Map<string, WireExchange>;
  readonly queues: Map<string, WireQueue>;
  private readonly bySource: Bound;
  private readonly byDestination: Bound;

  /** @param has what it has to begin with; bindings whose ends are not there are left out */
  constructor(has: Inventory | BrokerState) {
    if (has instanceof BrokerState) {
      this.exchanges = new Map(has.exchanges);
      this.queues = new Map(has.queues);
      this.bySource = copyOf(has.bySource);
      this.byDestination = copyOf(has.byDestination);
      return;
    }
    this.exchanges = new Map(has.exchanges.map((each) => [each.name, each]));
    this.queues = new Map(has.queues.map((each) => [each.name, each]));
    this.bySource = new Map();
    this.byDestination = new Map();
    for (const binding of has.bindings) if (this.hasEnds(binding)) this.add(binding);
  }

  /** Does one thing; what is so already stays. */
  apply(operation: Operation): this {
    switch (operation.do) {
      case 'declare exchange':
        this.exchanges.set(operation.exchange.name, operation.exchange);
        break;
      case 'declare queue':
        this.queues.set(operation.queue.name, operation.queue);
        break;
      case 'bind':
        if (this.hasEnds(operation.binding)) this.add(operation.binding);
        break;
      case 'unbind':
        this.drop(operation.binding);
        break;
      case 'delete queue':
        this.queues.delete(operation.queue.name);
        for (const binding of this.into('queue', operation.queue.name)) this.drop(binding);
        break;
      case 'delete exchange':
        this.remove(operation.exchange.name);
    }
    return this;
  }

  /** @returns the bindings of an exchange */
  from(exchange: string): WireBinding[] {
    return [...(this.bySource.get(exchange)?.values() ?? [])];
  }

  /** @returns the bindings that lead to something */
  into(to: WireBinding['to'], name: string): WireBinding[] {
    return [...(this.byDestination.get(`${to} ${name}`)?.values() ?? [])];
  }

  /** @returns all bindings */
  bindings(): WireBinding[] {
    return [...this.bySource.values()].flatMap((all) => [...all.values()]);
  }

  isBound(binding: WireBinding): boolean {
    return this.bySource.get(binding.source)?.has(bindingId(binding)) === true;
  }

  private hasEnds({ source, to, destination }: WireBinding): boolean {
    return this.exchanges.has(source) && (to === 'queue' ? this.queues : this.exchanges).has(destination);
  }

  private add(binding: WireBinding): void {
    const id = bindingId(binding);
    put(this.bySource, binding.source, id, binding);
    put(this.byDestination, `${binding.to} ${binding.destination}`, id, binding);
  }

  private drop(binding: WireBinding): void {
    if (!this.forget(binding)) return;
    // an auto-delete exchange goes with its last binding (§1.6.2.3 auto-delete)
    if (!this.bySource.has(binding.source) && this.exchanges.get(binding.source)?.autoDelete)
      this.remove(binding.source);
  }

  private forget(binding: WireBinding): boolean {
    const id = bindingId(binding);
    take(this.byDestination, `${binding.to} ${binding.destination}`, id);
    return take(this.bySource, binding.source, id);
  }

  private remove(exchange: string): void {
    this.exchanges.delete(exchange);
    for (const binding of this.from(exchange)) this.forget(binding);
    for (const binding of this.into('exchange', exchange)) this.drop(binding);
  }
}

/** Bindings by one of their ends, and by their ids. */
type Bound = Map<string, Map<string, WireBinding>>;

const copyOf = (bound: Bound): Bound => new Map([...bound].map(([end, all]) => [end, new Map(all)]));

function put(bound: Bound, end: string, id: string, binding: WireBinding): void {
  let all = bound.get(end);
  if (!all) bound.set(end, (all = new Map()));
  all.set(id, binding);
}

function take(bound: Bound, end: string, id: string): boolean {
  const all = bound.get(end);
  if (!all?.delete(id)) return false;
  if (all.size === 0) bound.delete(end);
  return true;
}

/**
 * A broker as AMQP 0-9-1 describes it (§3.1.3, §1.6, §1.7), step by step and message by message: written apart from what
 * is tested with it, of which it shares no code.
 */

export interface ModelExchange {
  readonly name: string;
  readonly type: string;
  readonly autoDelete: boolean;
  readonly internal: boolean;
  readonly arguments: Readonly<Record<string, unknown>>;
}

export interface ModelBinding {
  readonly source: string;
  readonly destination: string;
  readonly to: 'queue' | 'exchange';
  readonly key: string;
  readonly arguments: Readonly<Record<string, unknown>>;
}

/** A step as `vondle steps` prints it. */
export interface ModelStep {
  readonly do: string;
  readonly exchange?: ModelExchange;
  readonly queue?: { readonly name: string; readonly arguments: Readonly<Record<string, unknown>> };
  readonly binding?: ModelBinding;
  readonly group?: string;
}

export interface ModelMessage {
  readonly key: string;
  readonly headers: Readonly<Record<string, unknown>>;
}

const sameJson = (a: unknown, b: unknown): boolean => stable(a) === stable(b);
const stable = (value: unknown): string =>
  JSON.stringify(value, (_, each: unknown) =>
    typeof each === 'object' && each && !Array.isArray(each)
      ? Object.fromEntries(Object.entries(each).sort(([a], [b]) => (a < b ? -1 : 1)))
      : each,
  );

export class BrokerModel {
  exchanges: ModelExchange[] = [];
  queues: { name: string; arguments: Readonly<Record<string, unknown>> }[] = [];
  bindings: ModelBinding[] = [];

  copy(): BrokerModel {
    const other = new BrokerModel();
    other.exchanges = [...this.exchanges];
    other.queues = [...this.queues];
    other.bindings = [...this.bindings];
    return other;
  }

  /** @returns all it has, in an order of its own */
  told(): string {
    return [...this.exchanges, ...this.queues, ...this.bindings].map(stable).sort().join('\n');
  }

  /** Takes a step. @throws Error where a real one would refuse it, or it would do nothing */
  take({ do: what, exchange, queue, binding }: ModelStep): void {
    const is = (a: ModelBinding) => (b: ModelBinding) => sameJson(a, b);
    if (what === 'declare exchange') {
      if (this.exchanges.some(({ name }) => name === exchange!.name))
        throw new Error(`${exchange!.name} is there`);
      this.exchanges.push(exchange!);
    } else if (what === 'declare queue') {
      if (this.queues.some(({ name }) => name === queue!.name)) throw new Error(`${queue!.name} is there`);
      this.queues.push(queue!);
    } else if (what === 'bind') {
      const { source, to, destination } = binding!;
      if (!this.exchanges.some(({ name }) => name === source)) throw new Error(`no exchange ${source}`);
      if (!(to === 'queue' ? this.queues : this.exchanges).some(({ name }) => name === destination))
        throw new Error(`no ${to} ${destination}`);
      if (this.bindings.some(is(binding!))) throw new Error(`bound already: ${stable(binding)}`);
      this.bindings.push(binding!);
    } else if (what === 'unbind') {
      if (!this.bindings.some(is(binding!))) throw new Error(`not bound: ${stable(binding)}`);
      this.unbind([binding!]);
    } else if (what === 'delete queue') {
      if (!this.queues.some(({ name }) => name === queue!.name)) throw new Error(`no queue ${queue!.name}`);
      this.queues = this.queues.filter(({ name }) => name !== queue!.name);
      this.unbind(this.bindings.filter((each) => each.to === 'queue' && each.destination === queue!.name));
    } else if (what === 'delete exchange') this.removeExchange(exchange!.name, true);
    else throw new Error(`what is ${what}?`);
  }

  private removeExchange(name: string, asked: boolean): void {
    if (!this.exchanges.some((each) => each.name === name)) {
      if (asked) throw new Error(`no exchange ${name}`);
      return;
    }
    this.exchanges = this.exchanges.filter((each) => each.name !== name);
    this.bindings = this.bindings.filter(({ source }) => source !== name);
    this.unbind(this.bindings.filter((each) => each.to === 'exchange' && each.destination === name));
  }

  private unbind(gone: readonly ModelBinding[]): void {
    const before = new Set(this.bindings.map(({ source }) => source));
    this.bindings = this.bindings.filter((each) => !gone.some((other) => sameJson(each, other)));
    const after = new Set(this.bindings.map(({ source }) => source));
    for (const source of before)
      if (!after.has(source) && this.exchanges.some(({ name, autoDelete }) => name === source && autoDelete))
        this.removeExchange(source, false);
  }

  /** @returns the queues that get a copy of what is published to an exchange or a queue */
  publish(entry: { kind: 'exchange' | 'queue'; name: string }, message: ModelMessage): Set<string> {
    if (entry.kind === 'queue')
      return new Set(this.queues.some(({ name }) => name === entry.name) ? [entry.name] : []);
    const found = new Set<string>();
    const first = this.exchanges.find(({ name }) => name === entry.name);
    if (!first || first.internal) return found;
    const asked = new Set<string>();
    const ask = (name: string): void => {
      const exchange = this.exchanges.find((each) => each.name === name);
      if (!exchange || asked.has(name)) return;
      asked.add(name);
      const matching = this.bindings.filter(
        (each) => each.source === name && matches(exchange.type, each, message),
      );
      for (const { to, destination } of matching) {
        if (to === 'queue') found.add(destination);
        else ask(destination);
      }
      const alternate = exchange.arguments['alternate-exchange'];
      if (matching.length === 0 && typeof alternate === 'string') ask(alternate);
    };
    ask(entry.name);
    return found;
  }
}

function matches(type: string, { key, arguments: terms }: ModelBinding, message: ModelMessage): boolean {
  if (type === 'fanout') return true;
  if (type === 'direct') return key === message.key;
  if (type === 'topic') return topic(words(key), words(message.key));
  const { 'x-match': match, ...wanted } = terms;
  const each = Object.entries(wanted)
    .filter(([name]) => !name.startsWith('x-'))
    .map(([name, value]) =>
      value === null ? name in message.headers : name in message.headers && message.headers[name] === value,
    );
  return match === 'any' ? each.some(Boolean) : each.every(Boolean);
}

const words = (text: string): string[] => (text === '' ? [] : text.split('.'));

function topic([first, ...rest]: readonly string[], key: readonly string[]): boolean {
  if (first === undefined) return key.length === 0;
  if (first === '#') return topic(rest, key) || (key.length > 0 && topic([first, ...rest], key.slice(1)));
  return key.length > 0 && (first === '*' || first === key[0]) && topic(rest, key.slice(1));
}

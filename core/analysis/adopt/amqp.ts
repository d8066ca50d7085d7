/** Takes in what an AMQP 0-9-1 broker has: the documents that say it, and what no document can say. */
import type { TextDocument } from '../../base/edits.ts';
import { plainOrQuoted } from '../../syntax/render.ts';
import { BUILT_IN, type Inventory, type WireBinding, type WireQueue } from '../rollout/wire.ts';
import {
  type Adopted,
  Apps,
  Ids,
  type TakersNow,
  UNKNOWN_PUBLISHER,
  appFor,
  publisherFor,
  flow,
  idFor,
  line,
  section,
  wire,
} from './names.ts';
import { type UserRights, statementsOf } from './rights.ts';
import { type NamesThere, bindingSaid, exchangeSaid, queueSaid } from './said.ts';
import type { Guessed } from './types.ts';

/** What is known of a broker beside what it has. */
export interface Beside {
  /** Apps are made of them, to be named better by who knows them. */
  readonly takers?: TakersNow;
  /** What its users may do: taken in, it is declared as controlled. */
  readonly rights?: readonly UserRights[];
  /** Whether clients speak MQTT to it. */
  readonly mqtt?: boolean;
  /** Message types guessed from what lies there. */
  readonly guessed?: Guessed;
}

/** So many queues stand in one document; more are told apart by how their names begin. */
const MOST_TOGETHER = 40;
/** Which exchange MQTT publishes enter is in the broker's configuration, which it does not tell: this one where nobody changed it. */
const MQTT_EXCHANGE = 'amq.topic';
/** A queue that a broker makes for a client's MQTT subscriptions, by the client's id. */
const MQTT_QUEUE = /^mqtt-subscription-(.+)qos[01]$/s;

/**
 * @param broker what the broker is to be called
 * @returns documents that ask of a broker for just what this one has
 */
export function adopt(has: Inventory, broker: string, beside: Beside = {}): Adopted {
  return new Taking(has, broker, beside).all();
}

class Taking {
  private readonly unsaid: string[] = [];
  private readonly apps = new Apps();
  private readonly exchanges: Ids;
  private readonly queues: Ids;

  constructor(
    private has: Inventory,
    private readonly broker: string,
    private readonly beside: Beside,
  ) {
    if (beside.mqtt) has = this.has = this.withoutSessions(has);
    // those every broker has are declared where something leads to or from them
    const used = new Set(
      has.bindings.flatMap(({ source, destination, to }) => [
        source,
        ...(to === 'exchange' ? [destination] : []),
      ]),
    );
    for (const { arguments: terms } of [...has.exchanges, ...has.queues])
      for (const name of ['alternate-exchange', 'x-dead-letter-exchange'])
        used.add(String(terms[name] ?? ''));
    if (beside.mqtt) used.add(MQTT_EXCHANGE);
    for (const { entry } of beside.guessed?.sent ?? []) used.add(entry);
    this.exchanges = new Ids(
      has.exchanges.flatMap(({ name }) =>
        name !== '' && (!BUILT_IN.test(name) || used.has(name)) ? [name] : [],
      ),
    );
    this.queues = new Ids(has.queues.map(({ name }) => name));
  }

  all(): Adopted {
    const documents: TextDocument[] = [];
    const groups = this.groups();
    for (const [i, { title, queues }] of groups.entries()) {
      const lines = ['brokers:', `  ${plainOrQuoted(this.broker)}:`];
      if (i === 0) {
        lines.push('    kind: amqp', `    access: ${this.beside.rights ? 'controlled' : 'open'}`);
        if (this.beside.mqtt)
          lines.push(`    mqtt: ${flow({ exchange: `exchange:${this.broker}/${MQTT_EXCHANGE}` })}`);
        lines.push(...this.exchangeLines());
      }
      const names = new Set(queues.map(({ name }) => name));
      const bound = this.has.bindings.filter(({ to, destination }) =>
        to === 'queue' ? names.has(destination) : i === 0,
      );
      lines.push(
        ...section(
          'queues',
          queues.map((queue) => this.queueLine(queue)),
        ),
      );
      lines.push(
        ...section(
          'bindings',
          bound.flatMap((binding) => this.bindingLine(binding)),
        ),
      );
      documents.push({
        name: groups.length === 1 ? 'broker.yaml' : `${title}.yaml`,
        text: `${lines.join('\n')}\n`,
      });
    }
    this.takers();
    documents.push(...this.guessed(), ...this.access(), ...this.apps.documents());
    return { documents, unsaid: this.unsaid };
  }

  /** Queues by how their names begin, where they are many; those that stand alone together, first. */
  private groups(): { title: string; queues: readonly WireQueue[] }[] {
    const { queues } = this.has;
    if (queues.length <= MOST_TOGETHER) return [{ title: 'broker', queues }];
    const byWord = new Map<string, WireQueue[]>();
    for (const queue of queues) {
      const word = idFor(queue.name.split(/[.\-_:/]/)[0]!.toLowerCase()) || 'others';
      byWord.set(word, [...(byWord.get(word) ?? []), queue]);
    }
    const apart = [...byWord]
      .filter(([word, own]) => own.length > 3 && word !== 'broker')
      .map(([title, own]) => ({ title, queues: own }));
    const rest = queues.filter((queue) => !apart.some((group) => group.queues.includes(queue)));
    return [{ title: 'broker', queues: rest }, ...apart];
  }

  private readonly note = (sentence: string): void => void this.unsaid.push(sentence);

  /** Every name with what it is of, so that it can be taken for nothing else. */
  private readonly names: NamesThere = {
    exchange: (wireName) => this.addressed('exchange', this.exchanges.of(wireName)),
    queue: (wireName) => this.addressed('queue', this.queues.of(wireName)),
  };

  private addressed(kind: 'exchange' | 'queue', id: string | undefined): string | undefined {
    return id === undefined ? undefined : `${kind}:${this.broker}/${id}`;
  }

  private exchangeLines(): string[] {
    return section(
      'exchanges',
      this.has.exchanges.flatMap((exchange) => {
        const id = this.exchanges.of(exchange.name);
        if (id === undefined) return [];
        const said = exchangeSaid(exchange, this.names, this.note);
        if (!said) this.exchanges.drop(exchange.name);
        return said ? [line(id, { ...said, ...wire(id, exchange.name) })] : [];
      }),
    );
  }

  private queueLine(queue: WireQueue): string {
    const id = this.queues.of(queue.name)!;
    return line(id, { ...queueSaid(queue, this.names, this.note), ...wire(id, queue.name) });
  }

  private bindingLine(binding: WireBinding): string[] {
    const type = this.has.exchanges.find(({ name }) => name === binding.source)?.type;
    const said = bindingSaid(binding, type, this.names, this.note);
    return said ? [`- ${flow(said)}`] : [];
  }

  private takers(): void {
    for (const { name } of this.has.queues)
      for (const taker of new Set(this.beside.takers?.get(name) ?? []))
        this.apps.of(appFor(taker)).consumes.push({ from: this.names.queue(name)! });
  }

  /** Sessions of MQTT clients are not queues that anybody declares: they are what apps subscribe to. */
  private withoutSessions(has: Inventory): Inventory {
    const sessions = new Set<string>();
    for (const { name } of has.queues) {
      const client = MQTT_QUEUE.exec(name)?.[1];
      if (client === undefined) continue;
      sessions.add(name);
      for (const { source, destination, key } of has.bindings)
        if (destination === name && source === MQTT_EXCHANGE)
          this.apps.of(appFor(client)).consumes.push({ from: this.broker, via: 'mqtt', topic: topicOf(key) });
    }
    return {
      ...has,
      queues: has.queues.filter(({ name }) => !sessions.has(name)),
      bindings: has.bindings.filter(({ to, destination }) => to !== 'queue' || !sessions.has(destination)),
    };
  }

  private access(): TextDocument[] {
    const { rights } = this.beside;
    if (!rights) return [];
    const { broker, exchanges, queues } = this;
    const statements = statementsOf(rights, { broker, exchanges, queues }, this.note);
    for (const { who } of statements) this.apps.of(who.slice('app:'.length));
    if (statements.length === 0) return [];
    const lines = statements.map((each) => `  - ${flow(each)}`);
    return [{ name: 'access.yaml', text: `${['access:', ...lines].join('\n')}\n` }];
  }

  private guessed(): readonly TextDocument[] {
    const { guessed } = this.beside;
    if (!guessed) return [];
    this.unsaid.push(...guessed.notes);
    let unknown = false;
    for (const { app, message, entry } of guessed.sent) {
      const to = this.names.exchange(entry);
      if (to === undefined) continue;
      unknown ||= app === '';
      this.apps.of(publisherFor(app)).publishes.push({ message, to });
    }
    if (unknown) this.note(UNKNOWN_PUBLISHER);
    return guessed.documents;
  }
}

/** An MQTT topic filter of the binding that stands for it: words and signs are the other protocol's. */
const topicOf = (key: string): string =>
  key
    .split('.')
    .map((word) => (word === '*' ? '+' : word))
    .join('/');

/** Takes in what an AMQP 0-9-1 broker has: the documents that say it, and what no document can say. */
import type { TextDocument } from '../../base/edits.ts';
import { type Json, literal, plainOrQuoted, renderFlow } from '../../syntax/render.ts';
import { type NamesThere, bindingSaid, exchangeSaid, queueSaid } from './said.ts';
import { BUILT_IN, type Inventory, type WireBinding, type WireQueue } from './wire.ts';

export interface Adopted {
  readonly documents: readonly TextDocument[];
  /** What is there and the language cannot say, a sentence each. */
  readonly unsaid: readonly string[];
}

/** Who takes from a queue now, as they are called. */
export type TakersNow = ReadonlyMap<string, readonly string[]>;

/** So many queues stand in one document; more are told apart by how their names begin. */
const MOST_TOGETHER = 40;
/**
 * @param broker what the broker is to be called
 * @param takers apps are made of them, to be named better by who knows them
 * @returns documents that ask of a broker for just what this one has
 */
export function adopt(has: Inventory, broker: string, takers: TakersNow = new Map()): Adopted {
  return new Taking(has, broker, takers).all();
}

class Taking {
  private readonly unsaid: string[] = [];
  private readonly exchanges: Ids;
  private readonly queues: Ids;

  constructor(
    private readonly has: Inventory,
    private readonly broker: string,
    private readonly takers: TakersNow,
  ) {
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
      if (i === 0) lines.push('    kind: amqp', '    access: open', ...this.exchangeLines());
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
    const apps = this.appLines();
    if (apps.length) documents.push({ name: 'apps.yaml', text: `${['apps:', ...apps].join('\n')}\n` });
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
        return said ? [`${plainOrQuoted(id)}: ${flow({ ...said, ...wire(id, exchange.name) })}`] : [];
      }),
    );
  }

  private queueLine(queue: WireQueue): string {
    const id = this.queues.of(queue.name)!;
    return `${plainOrQuoted(id)}: ${flow({ ...queueSaid(queue, this.names, this.note), ...wire(id, queue.name) })}`;
  }

  private bindingLine(binding: WireBinding): string[] {
    const type = this.has.exchanges.find(({ name }) => name === binding.source)?.type;
    const said = bindingSaid(binding, type, this.names, this.note);
    return said ? [`- ${flow(said)}`] : [];
  }

  private appLines(): string[] {
    const byApp = new Map<string, string[]>();
    for (const { name } of this.has.queues)
      for (const taker of new Set(this.takers.get(name) ?? [])) {
        const app = appFor(taker);
        byApp.set(app, [...(byApp.get(app) ?? []), this.queues.of(name)!]);
      }
    return [...byApp].map(
      ([app, from]) =>
        `  ${plainOrQuoted(app)}: { consumes: [ ${[...new Set(from)].map((id) => flow({ from: `queue:${this.broker}/${id}` })).join(', ')} ] }`,
    );
  }
}

/** What things are called in the documents: as on the broker where that will do. */
class Ids {
  private readonly ids = new Map<string, string>();

  constructor(names: readonly string[]) {
    const taken = new Set<string>();
    for (const name of names) {
      const wanted = idFor(name) || 'unnamed';
      let id = wanted;
      for (let n = 2; taken.has(id); n++) id = `${wanted}-${n}`;
      taken.add(id);
      this.ids.set(name, id);
    }
  }

  of(name: string): string | undefined {
    return this.ids.get(name);
  }

  drop(name: string): void {
    this.ids.delete(name);
  }
}

const idFor = (name: string): string =>
  name.replace(/[^\p{L}\p{N}._-]+/gu, '-').replace(/^[-.]+|[-.]+$/g, '');
/** An app is called by small letters, digits and hyphens; what tells its instances apart is left off. */
const appFor = (taker: string): string =>
  taker
    .replace(/[#@].*$/, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60) || 'somebody';
const wire = (id: string, name: string) => (id === name ? {} : { wireName: name });

/** Settings as a flow of YAML, in which every text stands for itself. */
const flow = (settings: object): string => renderFlow(literal(settings as Json));

const section = (title: string, lines: readonly string[]): string[] =>
  lines.length ? [`    ${title}:`, ...lines.map((line) => `      ${line}`)] : [];

/** Taking in what a broker has otherwise than a topology says: the edits by which the topology says it, each tried. */
import type { NamesThere, Note, Said } from '../analysis/adopt/said.ts';
import { bindingSaid, exchangeSaid, hostedSaid, queueSaid } from '../analysis/adopt/said.ts';
import { type HostedThing, settingsText } from '../analysis/rollout/hosted.ts';
import {
  type WantedState,
  type WireBinding,
  type WireExchange,
  type WireQueue,
  bindingId,
  bindingText,
  wantedState,
  wireNames,
} from '../analysis/rollout/wire.ts';
import { type ChangeSet, type Edited, type TextDocument, compose } from '../base/edits.ts';
import { asAmqp, asHosted } from '../brokers/kinds.ts';
import { isMap } from '../incremental/layered.ts';
import { BINDABLE, HOSTED_ENTRIES, type ThingKind } from '../language/thing.ts';
import { addItem, removeAt, removeItem, setAt } from '../syntax/edit/edit.ts';
import { refused, sequence } from '../syntax/edit/proved.ts';
import { type Located, type Placed, spanOf, writtenAt } from '../syntax/place.ts';
import type { Json } from '../syntax/render.ts';
import { lookUp } from '../topology/address.ts';
import { TopologyReader } from '../topology/read.ts';
import type { Topology } from '../topology/topology.ts';

/** One thing that a broker has otherwise than was applied there; without `there` it is gone, without `applied` it is new. */
export type Differing =
  | { readonly of: 'exchange'; readonly there?: WireExchange; readonly applied?: WireExchange }
  | { readonly of: 'queue'; readonly there?: WireQueue; readonly applied?: WireQueue }
  | { readonly of: 'binding'; readonly there?: WireBinding; readonly applied?: WireBinding }
  | { readonly of: 'thing'; readonly there?: HostedThing; readonly applied?: HostedThing };

export interface TakenIn {
  readonly edits: ChangeSet;
  /** How many differences the documents say now. */
  readonly taken: number;
  /** What was not taken in, and why. */
  readonly left: readonly { readonly what: string; readonly why: string }[];
}

/** Things before what leads to them; what goes, goes in the other order. */
const ORDER = ['exchange', 'queue', 'thing', 'binding'] as const;
const KINDS = ['topic', 'queue', 'subscription'] as const;
/** So many differences are taken in at once: each is tried by reading the draft again. */
const MOST = 200;

/**
 * @param documents the draft
 * @param environment whose values are those of the broker
 * @param broker the broker's id
 * @returns edits of the draft after which it asks of the broker for what it has; what cannot be said so is left
 */
export function takeIn(
  documents: readonly TextDocument[],
  environment: string,
  broker: string,
  differences: readonly Differing[],
): TakenIn {
  const draft = new Draft(documents, environment, broker);
  const rank = ({ of }: Differing) => ORDER.indexOf(of);
  const now = differences.slice(0, MOST);
  const come = now.filter(({ there }) => there).sort((a, b) => rank(a) - rank(b));
  const gone = now.filter(({ there }) => !there).sort((a, b) => rank(b) - rank(a));
  // a binding means another thing once the type of its exchange is another
  for (const each of gone) if (each.of === 'binding') draft.take(each);
  const fresh = new Set(come.filter((each) => draft.isNew(each)));
  draft.takeTogether([...fresh]);
  for (const each of come) if (!fresh.has(each)) draft.take(each);
  for (const each of gone) if (each.of !== 'binding') draft.take(each);
  for (const each of differences.slice(MOST))
    draft.leave(each, `${MOST} are taken in at once: take it in after those.`);
  const { edits, taken, left } = draft;
  return { edits, taken, left };
}

/** The draft as it becomes, with the edits that made it so. */
class Draft {
  edits: ChangeSet = [];
  taken = 0;
  readonly left: { what: string; why: string }[] = [];
  private readonly reader = new TopologyReader();
  private readonly options: { readonly environment?: string };
  private topology: Topology;
  /** What could not be said of the difference that was looked at last. */
  private unsaid: string[] = [];

  constructor(
    documents: readonly TextDocument[],
    private readonly environment: string,
    private readonly broker: string,
  ) {
    const { declared } = this.reader.read(documents);
    this.options = declared.environments?.has(environment) ? { environment } : {};
    this.topology = this.reader.read(documents, this.options);
  }

  isNew(each: Differing): boolean {
    return each.of !== 'binding' && this.taking().isNew(each);
  }

  leave(each: Differing, why: string): void {
    this.left.push({ what: titleOf(each), why });
  }

  /** Takes in one, or leaves it and the draft as they were. */
  take(each: Differing): void {
    const back = this.mark();
    let refusal: string | undefined;
    this.unsaid = [];
    for (let more = !this.says(each); more;) {
      const changed = this.taking().edit(each);
      if (!changed.ok) refusal = changed.message;
      else this.make(changed.edits);
      // the same binding may be declared twice
      more = changed.ok && changed.edits.length > 0 && !each.there && !this.says(each);
    }
    if (refusal === undefined && this.says(each)) this.taken++;
    else {
      back();
      this.leave(each, this.unsaid[0] ?? refusal ?? UNSAID);
    }
  }

  /** Takes in what is new, all at once, since one may lead to another, and that back to it. */
  takeTogether(fresh: readonly Differing[]): void {
    if (fresh.length === 0) return;
    const back = this.mark();
    const planned = plannedNames(this.topology, this.broker, fresh);
    const why = new Map<Differing, string>();
    for (const each of fresh) {
      this.unsaid = [];
      const added = this.taking(planned).edit(each);
      if (added.ok) this.make(added.edits);
      why.set(each, this.unsaid[0] ?? (added.ok ? UNSAID : added.message));
    }
    const failed = fresh.filter((each) => !this.says(each));
    if (failed.length === 0) {
      this.taken += fresh.length;
      return;
    }
    back();
    for (const each of failed) this.leave(each, why.get(each)!);
    // without those that cannot be said, others may not be sayable either
    this.takeTogether(fresh.filter((each) => !failed.includes(each)));
  }

  private taking(planned?: Planned): Taking {
    return new Taking(
      this.topology,
      this.environment,
      this.broker,
      (sentence) => this.unsaid.push(sentence),
      planned,
    );
  }

  private says(each: Differing): boolean {
    return says(this.topology, this.broker, each);
  }

  private make(made: ChangeSet): void {
    if (made.length === 0) return;
    this.topology = this.reader.change(made, this.options);
    this.edits = this.edits.length ? compose(this.edits, made) : made;
  }

  /** @returns what brings the draft back to where it is now */
  private mark(): () => void {
    const { topology, edits } = this;
    return () => {
      if (this.topology === topology) return;
      this.topology = this.reader.read(topology.documents, this.options);
      this.edits = edits;
    };
  }
}

const UNSAID = 'The language cannot say just this; change it by hand.';

/** What is new on a broker, by kind and name there, with what it is to be called in the documents. */
type Planned = ReadonlyMap<string, string>;

function plannedNames(topology: Topology, broker: string, fresh: readonly Differing[]): Planned {
  const planned = new Map<string, string>();
  const decl = topology.declared.brokers?.get(broker)?.value as
    Record<string, ReadonlyMap<string, unknown> | undefined> | undefined;
  const taken = new Set<string>();
  for (const each of fresh) {
    const kind = kindOf(each);
    const { name: wireName } = each.there as { name: string };
    let name = wireName;
    for (let n = 2; decl?.[`${kind}s`]?.has(name) || taken.has(`${kind} ${name}`); n++)
      name = `${wireName}-${n}`;
    taken.add(`${kind} ${name}`);
    planned.set(`${kind} ${wireName}`, name);
  }
  return planned;
}

const kindOf = (each: Differing): ThingKind =>
  each.of === 'thing' ? ((each.there ?? each.applied!).kind as ThingKind) : (each.of as ThingKind);

function titleOf(each: Differing): string {
  const one = each.there ?? each.applied!;
  if (each.of === 'binding') return `binding ${bindingText(one as WireBinding)}`;
  const { name } = one as { name: string };
  return each.of === 'thing' ? `${(one as HostedThing).kind} ${name}` : `${each.of} ${name}`;
}

/** Whether a topology asks for what is there, and for nothing where nothing is. */
function says(topology: Topology, broker: string, each: Differing): boolean {
  const wanted = wantedState(topology, broker);
  const one = wantedOf(wanted, each);
  if (!each.there) return one === undefined;
  return one !== undefined && asText(each, one) === asText(each, each.there);
}

const NOTHING: Edited = { ok: true, edits: [] };

/** Settings by the way to each: maps are told apart one level deep. */
function leaves(said: Said): Map<string, Json> {
  const found = new Map<string, Json>();
  for (const [key, value] of Object.entries(said))
    if (key === 'deadLetter')
      for (const [inner, each] of Object.entries(value as Said)) found.set(`${key}.${inner}`, each);
    else found.set(key, value);
  return found;
}

type Wire = WireExchange | WireQueue | WireBinding | HostedThing;

function wantedOf(wanted: WantedState, each: Differing): Wire | undefined {
  const one = each.there ?? each.applied!;
  switch (each.of) {
    case 'binding':
      return wanted.bindings.find((own) => bindingId(own) === bindingId(one as WireBinding));
    case 'thing':
      return wanted.hosted?.things.find(
        ({ kind, name }) => kind === (one as HostedThing).kind && name === (one as HostedThing).name,
      );
    default:
      return (each.of === 'queue' ? wanted.queues : wanted.exchanges).find(
        ({ name }) => name === (one as WireQueue).name,
      );
  }
}

function asText({ of }: Differing, one: Wire): string {
  if (of === 'binding') return bindingId(one as WireBinding);
  if (of === 'thing') return settingsText((one as HostedThing).settings as Json);
  const { durable, autoDelete, arguments: terms } = one as WireQueue;
  const kind = 'type' in one ? [one.type, one.internal] : [(one as WireQueue).exclusive];
  return settingsText([durable, autoDelete, ...kind, terms] as Json);
}

/** One difference in one topology. */
class Taking {
  constructor(
    private readonly topology: Topology,
    private readonly environment: string,
    private readonly broker: string,
    private readonly note: Note = () => {},
    private readonly planned: Planned = new Map(),
  ) {}

  /** Whether it is there and nothing declares it. */
  isNew(each: Differing): boolean {
    const { name } = (each.there ?? each.applied!) as { name: string };
    return each.there !== undefined && this.named(kindOf(each), name) === undefined;
  }

  edit(each: Differing): Edited {
    if (!this.topology.declared.brokers?.has(this.broker))
      return refused(`The draft declares no broker \`${this.broker}\`.`);
    if (each.of === 'binding') return this.binding(each.there, each.applied);
    const one = each.there ?? each.applied!;
    const kind = kindOf(each);
    if (each.of === 'thing' && !KINDS.some((known) => known === kind))
      return refused('Statements of access are not taken in: change them by hand.');
    const name = this.named(kind, one.name);
    if (!each.there) return name === undefined ? NOTHING : this.remove(kind, name);
    if (this.isShared(kind, name))
      return refused(
        'It is declared once for all instances of an app: what one of them has is not to be said apart.',
      );
    const said = this.said(each.of, each.there);
    if (!said) return refused('The language cannot say it.');
    if (name === undefined) return this.add(kind, each.there.name, said);
    const now = wantedOf(wantedState(this.topology, this.broker), each);
    const saidNow = now && this.said(each.of, now);
    if (!saidNow) return refused('What is declared of it cannot be read.');
    return this.change([...this.section(kind), name], saidNow, said);
  }

  private said(of: Differing['of'], one: Wire): Said | undefined {
    if (of === 'exchange') return exchangeSaid(one as WireExchange, this.names, this.note);
    if (of === 'queue') return queueSaid(one as WireQueue, this.names, this.note);
    return hostedSaid(one as HostedThing, this.names, this.note);
  }

  private section(kind: ThingKind): string[] {
    return ['brokers', this.broker, `${kind}s`];
  }

  private get declared() {
    return this.topology.declared.brokers?.get(this.broker)?.value;
  }

  /** What a thing of the broker is called in the documents. */
  private named(kind: ThingKind, wireName: string): string | undefined {
    const [amqp, hosted] = [asAmqp(this.declared), asHosted(this.declared)];
    if (amqp && kind === 'queue') {
      for (const { name, value } of amqp.queues?.values() ?? [])
        if (wireNames(this.topology, name, value).includes(wireName)) return name;
      return undefined;
    }
    const items =
      kind === 'exchange'
        ? amqp?.exchanges
        : kind === 'topic'
          ? hosted?.topics
          : kind === 'subscription'
            ? hosted?.subscriptions
            : hosted?.queues;
    for (const { name, value } of items?.values() ?? [])
      if ((value.wireName?.value ?? name) === wireName) return name;
    return undefined;
  }

  private isShared(kind: ThingKind, name: string | undefined): boolean {
    const queue =
      kind === 'queue' && name !== undefined ? asAmqp(this.declared)?.queues?.get(name)?.value : undefined;
    return queue?.perInstanceOf !== undefined;
  }

  private readonly names: NamesThere = {
    exchange: (wireName) => this.addressed('exchange', wireName, BINDABLE),
    queue: (wireName) => this.addressed('queue', wireName, asAmqp(this.declared) ? BINDABLE : HOSTED_ENTRIES),
    topic: (wireName) => this.addressed('topic', wireName, HOSTED_ENTRIES),
  };

  /** How something is named on its own broker: by its bare name where that means it alone. */
  private addressed(kind: ThingKind, wireName: string, kinds: readonly ThingKind[]): string | undefined {
    const name = this.named(kind, wireName) ?? this.planned.get(`${kind} ${wireName}`);
    if (name === undefined) return undefined;
    const others = kinds.filter((each) => each !== kind);
    const alone =
      !lookUp(this.topology.names, name, others, this.broker).ok &&
      ![...this.planned].some(([of, planned]) => planned === name && !of.startsWith(`${kind} `));
    const plain = !name.includes('/') && !name.includes(':');
    return alone && plain ? name : `${kind}:${this.broker}/${name}`;
  }

  private add(kind: ThingKind, wireName: string, said: Said): Edited {
    const name = this.planned.get(`${kind} ${wireName}`) ?? wireName;
    return setAt(this.topology, [...this.section(kind), name], {
      ...said,
      ...(name === wireName ? {} : { wireName }),
    });
  }

  private remove(kind: ThingKind, name: string): Edited {
    if (this.isShared(kind, name))
      return refused(
        'It is declared once for all instances of an app: that one of them is gone is not to be said.',
      );
    return removeAt(this.topology, [...this.section(kind), name]);
  }

  /** States what is said otherwise now, and takes away what is not said any more. */
  private change(path: readonly string[], before: Said, after: Said): Edited {
    const [was, is] = [leaves(before), leaves(after)];
    const keys = [...new Set([...is.keys(), ...was.keys()])].filter(
      (key) => JSON.stringify(was.get(key)) !== JSON.stringify(is.get(key)),
    );
    const does = new Map<string, (now: Placed) => Edited>();
    for (const key of keys) {
      const steps = key.split('.');
      const value = is.get(key);
      if (value !== undefined) {
        does.set(key, (now) => this.state(now, path, steps, value));
        continue;
      }
      // of a map of which nothing is left all goes, once
      const [outer] = steps;
      const left = [...is.keys()].some((each) => each.startsWith(`${outer}.`));
      const whole = [...path, ...(left ? steps : [outer!])];
      does.set(whole.join('.'), (now) => (this.located(whole) ? removeAt(now, whole) : NOTHING));
    }
    return sequence(this.topology, [...does.values()]);
  }

  /** A value that is made of a parameter is given to the parameter, in this environment. */
  private state(now: Placed, path: readonly string[], steps: readonly string[], value: Json): Edited {
    const there = this.located([...path, ...steps]);
    if (there?.from === undefined) return setAt(now, [...path, ...steps], value);
    const alone = /^["']?\$\{([^}]*)\}["']?$/.exec(writtenAt(this.topology, there.place))?.[1];
    if (alone === undefined || this.topology.environment === undefined)
      return refused(
        `What is said of \`${steps.join('.')}\` is made of ${there.from.map((each) => `\`${each}\``).join(' and ')}; change it by hand.`,
      );
    return setAt(now, ['environments', this.environment, 'values', alone], value);
  }

  /** What stands at a path of this broker, as it was read. */
  private located(path: readonly string[]): Located<unknown> | undefined {
    let at: unknown = this.topology.declared;
    for (const key of path) {
      if (at === undefined || at === null) return undefined;
      at = isMap(at) ? (at as ReadonlyMap<string, { value: unknown }>).get(key)?.value : (at as Said)[key];
    }
    return at as Located<unknown> | undefined;
  }

  private binding(there: WireBinding | undefined, applied: WireBinding | undefined): Edited {
    const one = there ?? applied!;
    const own = wantedState(this.topology, this.broker).bindings.find(
      (each) => bindingId(each) === bindingId(one),
    );
    if (there) {
      if (own) return NOTHING;
      const exchange = this.named('exchange', one.source);
      const type = asAmqp(this.declared)?.exchanges?.get(exchange ?? '')?.value.type?.value;
      const queue = one.to === 'queue' ? this.named('queue', one.destination) : undefined;
      if (this.isShared('queue', queue))
        return refused('Its queue is declared once for all instances of an app; bind it there by hand.');
      const said = bindingSaid(there, type, this.names, this.note);
      if (!said)
        return refused('It begins or ends at something that the draft does not declare: take that in first.');
      return addItem(this.topology, ['brokers', this.broker, 'bindings'], said);
    }
    if (!own) return NOTHING;
    const declared = asAmqp(this.declared)?.bindings?.items.find(({ place }) => {
      const { doc, start } = spanOf(this.topology, place);
      return doc === own.place.doc && start === own.place.start;
    });
    if (!declared) return refused('Where it is declared cannot be found.');
    const queue = one.to === 'queue' ? this.named('queue', one.destination) : undefined;
    if (this.isShared('queue', queue))
      return refused(
        'It is declared once for all instances of an app: that one of them is gone is not to be said.',
      );
    return removeItem(this.topology, declared.place);
  }
}

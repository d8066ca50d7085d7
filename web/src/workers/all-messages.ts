/** All messages of every publish by what becomes of them, worked out in pieces, so that the worker goes on answering. */
import {
  changesInWords,
  classesIn,
  compareGraphs,
  comingTo,
  distinctionOf,
  publishPairs,
  type ChangeTold,
  type KnownClasses,
  type MessageClass,
  type PublishClasses,
  STAYS,
} from '@vondle/core/analysis';
import { TooManyClasses, type TextDocument } from '@vondle/core/base';
import {
  cellText,
  changeSentence,
  changeText,
  matrixCsv,
  matrixMarkdown,
  outcomeText,
  shareText,
  storesOf,
} from '@vondle/core/formats/classes';
import { addressOf, readTopology } from '@vondle/core/topology';
import { buildGraph, type RoutingGraph } from '@vondle/core/routing';
import type {
  BetweenView,
  ClassKind,
  ClassRow,
  CoverageView,
  DifferenceView,
  DistinctionView,
  PublishCoverage,
  ReachRow,
  Reaching,
  StandingOut,
  TypeCoverage,
} from './views.ts';

/** The worker answers other questions at least this often, as far as one publish does not take longer. */
const PIECE_MS = 30;
/** So many classes of a publish are listed one by one; of more those alike are put together. */
const MOST_ROWS = 150;
/** So many stores are columns. */
const MOST_STORES = 60;
/** So many rows are told of whoever asks which messages reach a store. */
const MOST_REACHING = 200;

const NOTHING = { stores: [], ends: [] };

const isTold = (known: KnownClasses): known is PublishClasses => 'classes' in known;

export class AllMessages {
  /** How many publishes have been told. */
  private told = 0;
  private all: readonly KnownClasses[] = [];
  /** How many publishes of what the draft is compared with have been told. */
  private before: { of: RoutingGraph | undefined; told: number } = { of: undefined, told: 0 };
  private compared = new Map<string, { on: readonly unknown[]; changes: DifferenceView['changes'] }>();

  constructor(
    private readonly graph: () => RoutingGraph,
    private readonly base: () => RoutingGraph | undefined,
  ) {}

  /** Tells some more publishes, for as long as a piece may take; those told before cost what changed. */
  more(): CoverageView {
    const { told, of, all } = tellSome(this.graph(), this.told, performance.now() + PIECE_MS);
    this.told = told;
    this.all = all;
    return this.view(of);
  }

  private view(of: number): CoverageView {
    const types = new Map<string, PublishCoverage[]>();
    for (const known of this.all) {
      const type = known.edge.publish!.message!.value;
      const own = types.get(type) ?? [];
      types.set(type, own);
      own.push(publishView(known));
    }
    return {
      told: this.told,
      of,
      types: [...types].map(([type, publishes]) => ({ type, publishes })),
      unreached: this.told < of ? [] : this.unreached(),
    };
  }

  /** Stores that no message comes to, nor anything that another store gives up. */
  private unreached(): CoverageView['unreached'] {
    const { nodes, into } = this.graph();
    const reached = new Set(
      this.all.flatMap((known) =>
        isTold(known)
          ? known.classes.flatMap(({ outcome }) => [
              ...outcome.stores.map(({ at }) => at),
              ...outcome.ends.map(({ at }) => at),
            ])
          : (known.reached ?? []).map(({ at }) => at),
      ),
    );
    const through = new Set(this.all.flatMap((known) => (isTold(known) ? known.through : [])));
    // where classes are not known at all, nothing is said to be left out
    if (this.all.some((known) => !isTold(known) && !known.reached)) return [];
    const found: CoverageView['unreached'] = [];
    for (const node of nodes.values()) {
      if (node.role !== 'queue' && node.role !== 'subscription') continue;
      const at = addressOf(node.thing);
      if (reached.has(at) || through.has(node.id)) continue;
      if ((into.get(node.id) ?? []).some(({ kind }) => kind === 'deadLetter')) continue;
      if (this.givenTo(node.id)) continue;
      found.push({ at, node: node.id });
    }
    return found;
  }

  /** Whether what a store gives up may come to another one, by whatever exchange. */
  private givenTo(id: string): boolean {
    const { into } = this.graph();
    const seen = new Set([id]);
    for (const at of seen)
      for (const { kind, from } of into.get(at) ?? []) {
        if (kind === 'deadLetter') return true;
        if (kind === 'binding' || kind === 'unrouted' || kind === 'subscription') seen.add(from);
      }
    return false;
  }

  /** The classes of one type's messages against the stores they come to. */
  ofType(type: string): TypeCoverage {
    const { topology, nodes } = this.graph();
    const own = this.all.filter(({ edge }) => edge.publish!.message!.value === type);
    const ids = new Map([...nodes.values()].map(({ id, thing }) => [addressOf(thing), id]));
    const stores = this.columns(own.filter(isTold));
    const shown = stores.slice(0, MOST_STORES);
    return {
      type,
      labels: [...(topology.messages.get(type)?.labels ?? [])],
      stores: shown.map((at) => ({ at, node: ids.get(at) ?? '' })),
      moreStores: stores.length - shown.length,
      publishes: own.map((known) => {
        const about = publishView(known);
        if (!isTold(known))
          return {
            ...about,
            rows: [],
            groups: [],
            reached: (known.reached ?? []).map(({ at, outcome, witness, unless }) => ({
              at,
              outcome,
              message: { ...witness },
              proved: unless === undefined,
            })),
          };
        const rows = known.classes.map((each, n) => rowOf(known, each, n, shown));
        const grouped = rows.length > MOST_ROWS;
        return {
          ...about,
          rows: grouped ? [] : rows,
          groups: grouped ? groupsOf(known, rows) : [],
          reached: [],
        };
      }),
    };
  }

  /** The stores that messages of some publishes come to, or would but for what is in the way. */
  private columns(of: readonly PublishClasses[]): string[] {
    const { nodes } = this.graph();
    const stores = new Set<string>();
    for (const { role, thing } of nodes.values())
      if (role === 'queue' || role === 'subscription') stores.add(addressOf(thing));
    const failing = of.flatMap(({ classes }) =>
      classes.flatMap(({ outcome }) => outcome.ends.map(({ at }) => at).filter((at) => stores.has(at))),
    );
    return [...new Set([...storesOf(of), ...failing])];
  }

  /** More rows of a group of classes. */
  rowsOf(publish: string, group: string, from: number): ClassRow[] {
    const known = this.all.find(({ edge }) => edge.id === publish);
    if (!known || !isTold(known)) return [];
    const type = this.all.filter((each): each is PublishClasses => isTold(each) && each.type === known.type);
    const shown = this.columns(type).slice(0, MOST_STORES);
    return known.classes
      .map((each, n) => ({ each, n }))
      .filter(({ each }) => groupOf(each) === group)
      .slice(from, from + MOST_ROWS)
      .map(({ each, n }) => rowOf(known, each, n, shown));
  }

  /** The messages that come to a store: all of a publish as one. */
  reaching(store: string): Reaching {
    const rows: ReachRow[] = [];
    let more = 0;
    for (const known of this.all) {
      const ends = isTold(known)
        ? known.classes.flatMap(({ outcome }) => outcome.stores)
        : (known.reached ?? []);
      if (!ends.some(({ at }) => at === store)) continue;
      if (rows.length >= MOST_REACHING) {
        more++;
        continue;
      }
      const found = this.comingTo(known.edge, store);
      if (!found) continue;
      const { share, when, unless, message } = rowOf(found, { ...found, outcome: NOTHING }, 0, []);
      rows.push({ ...sentBy(known), share, when, becomes: '', proved: unless === '', message });
    }
    return { rows, more };
  }

  private comingTo(way: KnownClasses['edge'], store: string): ReturnType<typeof comingTo> {
    try {
      return comingTo(this.graph(), way, store);
    } catch (error) {
      if (!(error instanceof TooManyClasses)) throw error;
      return undefined;
    }
  }

  /** The messages of which something goes wrong, by what. */
  standingOut(): StandingOut {
    const of = (...kinds: ClassKind[]) =>
      this.classesThat(
        (each) => kinds.includes(kindOf(each)),
        ({ outcome }) => outcomeText(outcome),
      );
    return { nobody: of('nobody'), refused: of('refused', 'some refused'), lost: of('some lost') };
  }

  private classesThat(asked: (of: MessageClass) => boolean, becomes: (of: MessageClass) => string): Reaching {
    const rows: ReachRow[] = [];
    let more = 0;
    for (const known of this.all.filter(isTold))
      for (const [n, each] of known.classes.entries()) {
        if (!asked(each)) continue;
        if (rows.length >= MOST_REACHING) {
          more++;
          continue;
        }
        const { share, when, unless, message } = rowOf(known, each, n, []);
        rows.push({
          ...sentBy(known),
          share,
          when,
          becomes: becomes(each),
          proved: unless === '',
          message,
        });
      }
    return { rows, more };
  }

  /** The stores there are to ask about. */
  stores(): string[] {
    return [...this.graph().nodes.values()].flatMap(({ role, thing }) =>
      role === 'queue' || role === 'subscription' ? [addressOf(thing)] : [],
    );
  }

  /** What tells the messages of two classes of a publish apart. */
  distinguish(publish: string, first: number, second: number): DistinctionView {
    const known = this.all.find(({ edge }) => edge.id === publish);
    if (!known || !isTold(known)) return { by: [], outcomes: ['', ''] };
    const by = distinctionOf(this.graph(), known.edge, first, second) ?? [];
    const outcomes = [first, second].map((n) => outcomeText(known.classes[n]!.outcome)) as [string, string];
    return { by: by.map((each) => ({ ...each })), outcomes };
  }

  /** The matrix of one type, or of all. */
  as(format: 'csv' | 'markdown', type: string): string {
    const of = this.all.filter(
      (known): known is PublishClasses => isTold(known) && (type === '' || known.type === type),
    );
    return format === 'csv' ? matrixCsv(of) : matrixMarkdown(of);
  }

  /** What becomes otherwise of messages than in what the draft is compared with; some more publishes each time. */
  differing(): DifferenceView {
    const [before, after] = [this.base(), this.graph()];
    if (!before) return { told: 0, of: 0, changes: [] };
    const pairs = publishPairs(before, after);
    const until = performance.now() + PIECE_MS;
    if (this.before.of !== before) this.before = { of: before, told: 0 };
    // while the classes of a publish are the same objects, so is what became otherwise of it
    const [then, now] = [tellSome(before, this.before.told, until), tellSome(after, this.told, until)];
    this.before.told = then.told;
    this.told = now.told;
    if (then.told < then.of || now.told < now.of) return { told: 0, of: pairs.length, changes: [] };
    const known = new Map<string, unknown>();
    for (const [when, { all }] of Object.entries({ then, now }))
      for (const each of all) known.set(`${when} ${each.edge.id}`, each);
    const compared: typeof this.compared = new Map();
    let told = 0;
    for (const pair of pairs) {
      const on = [
        pair.before && known.get(`then ${pair.before.id}`),
        pair.after && known.get(`now ${pair.after.id}`),
      ];
      const last = this.compared.get(pair.id);
      if (last && last.on.every((each, i) => each === on[i])) compared.set(pair.id, last);
      else if (told === compared.size && performance.now() < until)
        compared.set(pair.id, { on, changes: changesIn(before, after, pair) });
      else continue;
      told++;
    }
    this.compared = compared;
    return {
      told: compared.size,
      of: pairs.length,
      changes: pairs.flatMap(({ id }) => compared.get(id)?.changes ?? []),
    };
  }
}

/** So many changes of things, and of what messages do, are told of two states. */
const MOST_TOLD = 200;

/** What differs between two states of documents: what is declared otherwise, and what messages do otherwise. */
export async function between(
  before: readonly TextDocument[],
  after: readonly TextDocument[],
): Promise<BetweenView> {
  const [then, now] = [before, after].map((documents) => buildGraph(readTopology(documents))) as [
    RoutingGraph,
    RoutingGraph,
  ];
  const things = compareGraphs(then, now).map(({ kind, text }) => ({ kind, text }));
  const messages: string[] = [];
  let until = performance.now() + PIECE_MS;
  for (const pair of publishPairs(then, now)) {
    messages.push(...changesIn(then, now, pair).map(({ sentence }) => sentence));
    if (performance.now() < until) continue;
    // the worker goes on answering
    await new Promise((go) => setTimeout(go));
    until = performance.now() + PIECE_MS;
  }
  return {
    things: things.slice(0, MOST_TOLD),
    messages: messages.slice(0, MOST_TOLD),
    more: Math.max(0, things.length - MOST_TOLD) + Math.max(0, messages.length - MOST_TOLD),
  };
}

/** @returns the publishes of a graph that are told: those that were, and some more until a time */
function tellSome(
  graph: RoutingGraph,
  before: number,
  until: number,
): { told: number; of: number; all: readonly KnownClasses[] } {
  let { all, of } = classesIn(graph, before);
  let told = Math.min(before, of);
  // one, two, four more
  for (let piece = 1; told < of && performance.now() < until; piece *= 2) {
    told = Math.min(of, told + piece);
    ({ all, of } = classesIn(graph, told));
  }
  return { told, of, all };
}

function changesIn(
  before: RoutingGraph,
  after: RoutingGraph,
  pair: ReturnType<typeof publishPairs>[number],
): DifferenceView['changes'] {
  try {
    return changesInWords(before, after, pair, changeText).map(changeView);
  } catch (error) {
    if (!(error instanceof TooManyClasses)) throw error;
    const way = (pair.after ?? pair.before)!;
    return [
      {
        sentence: `What becomes of ${way.label} cannot be compared: ${error.message}`,
        unless: '',
        type: way.label,
        from: way.from.replace(/^publisher:/, ''),
      },
    ];
  }
}

function changeView(change: ChangeTold): DifferenceView['changes'][number] {
  return {
    sentence: `${changeSentence(change)}.`,
    unless: change.unless ?? '',
    type: change.type,
    from: change.from,
    message: { ...change.witness },
  };
}

/** What tells a publish from others. */
function sentBy({ edge: { publish, from } }: KnownClasses): Pick<ReachRow, 'type' | 'from' | 'to' | 'via'> {
  return {
    type: publish!.message!.value,
    from: from.replace(/^publisher:/, ''),
    to: publish!.to?.value ?? '',
    via: publish!.via?.value === 'mqtt' ? 'mqtt' : '',
  };
}

function publishView(known: KnownClasses): PublishCoverage {
  const { from, to, via } = sentBy(known);
  const about = { id: known.edge.id, from, to, via };
  if (!isTold(known)) return { ...about, classes: 0, total: '', tooMany: known.tooMany, kinds: [] };
  const { classes, total } = known;
  const kinds = new Map<string, { classes: number; messages: bigint | undefined }>();
  for (const each of classes) {
    const kind = kindOf(each);
    const before = kinds.get(kind) ?? { classes: 0, messages: 0n };
    kinds.set(kind, {
      classes: before.classes + 1,
      messages:
        before.messages === undefined || each.messages === undefined
          ? undefined
          : before.messages + each.messages,
    });
  }
  return {
    ...about,
    classes: classes.length,
    total: total === undefined ? '' : total.toLocaleString('en'),
    tooMany: '',
    kinds: [...kinds].map(([kind, own]) => ({
      kind: kind as ClassKind,
      classes: own.classes,
      part: partOf(own.messages, total),
    })),
  };
}

/** What becomes of a class, in a word: the worst there is. */
function kindOf({ outcome: { stores, ends } }: MessageClass): ClassKind {
  const refused = ends.some(({ outcome }) => outcome === 'refused');
  const fails = ends.some(({ outcome }) => !STAYS.has(outcome) && outcome !== 'refused');
  if (stores.length === 0) return refused ? 'refused' : 'nobody';
  return refused ? 'some refused' : fails ? 'some lost' : 'reached';
}

const partOf = (messages: bigint | undefined, total: bigint | undefined): number | null =>
  messages === undefined || total === undefined || total === 0n
    ? null
    : Number((messages * 1_000_000n) / total) / 1_000_000;

function rowOf(
  of: Pick<PublishClasses, 'total'>,
  each: MessageClass,
  n: number,
  stores: readonly string[],
): ClassRow {
  const { outcome, when, witness, messages, unless } = each;
  const share =
    messages === undefined || of.total === undefined
      ? null
      : { messages: Number(messages), of: Number(of.total) };
  return {
    n,
    when,
    share: shareText({ share }),
    part: partOf(messages, of.total),
    unless: unless ?? '',
    kind: kindOf(each),
    cells: stores.map((at) => cellText(outcome, at)),
    taken: stores.map((at) => outcome.ends.some((end) => end.at === at && end.outcome === 'taken')),
    fails: stores.map((at) =>
      outcome.stores.some((each) => each.at === at)
        ? ''
        : (outcome.ends.find((end) => end.at === at)?.outcome ?? ''),
    ),
    elsewhere: outcome.stores
      .filter(({ at }) => stores.length > 0 && !stores.includes(at))
      .map(({ at }) => at),
    ends: outcome.ends
      .filter((end) => !STAYS.has(end.outcome) && !stores.includes(end.at))
      .map((end) => ({ outcome: end.outcome, at: end.at })),
    message: { ...witness },
  };
}

/** What one wants to see first. */
const WORST: readonly ClassKind[] = ['nobody', 'refused', 'some refused', 'some lost', 'reached'];

/** Classes that end alike but for where: in how many copies, and with what else. */
function groupOf({ outcome: { stores, ends } }: MessageClass): string {
  const copies = stores.reduce((sum, each) => sum + each.copies, 0);
  const others = [...new Set(ends.map(({ outcome }) => outcome).filter((each) => !STAYS.has(each)))].sort();
  const rest =
    stores.length === 0
      ? 'come to rest nowhere'
      : `rest in ${stores.length === 1 ? 'one store' : `${stores.length} stores`}${copies === stores.length ? '' : `, ${copies} copies`}`;
  return `${rest}${others.length ? `; ${others.join(', ')}` : ''}`;
}

function groupsOf(
  of: PublishClasses,
  rows: readonly ClassRow[],
): TypeCoverage['publishes'][number]['groups'] {
  const groups = new Map<string, { classes: number; messages: bigint | undefined; first: ClassRow }>();
  of.classes.forEach((each, n) => {
    const id = groupOf(each);
    const before = groups.get(id);
    groups.set(id, {
      classes: (before?.classes ?? 0) + 1,
      messages:
        (before && before.messages === undefined) || each.messages === undefined
          ? undefined
          : (before?.messages ?? 0n) + each.messages,
      first: before?.first ?? rows[n]!,
    });
  });
  return [...groups]
    .map(([id, { classes, messages, first }]) => ({
      id,
      classes,
      part: partOf(messages, of.total),
      kind: first.kind,
    }))
    .sort((a, b) => WORST.indexOf(a.kind) - WORST.indexOf(b.kind) || b.classes - a.classes);
}

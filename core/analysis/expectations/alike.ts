/**
 * Of all messages an app sends of a type, those that an expectation cannot tell apart: if one of them keeps it, all of
 * them do. What it asks about is followed for all at once, and nothing else is told apart.
 */
import { type Diagram, TooManyClasses } from '../../base/diagram.ts';
import type { Edge } from '../../brokers/terms.ts';
import type { ExpectationDecl } from '../../language/expectation.ts';
import { type Thing, thing } from '../../language/thing.ts';
import { covers } from '../../routing/permission.ts';
import { STAYS, conditionsBehind, templateOf } from '../classes/classes.ts';
import { type Fate, Following, type Watched } from '../classes/follow.ts';
import type { Ground } from '../classes/ground.ts';
import { Lists } from '../classes/lists.ts';
import { Space } from '../classes/space.ts';
import { type Told, told } from '../classes/told.ts';

/** All messages that an app sends of a type. */
export type AllSent =
  | {
      /** How many there are; undefined where they are without number. */
      readonly total: bigint | undefined;
      /** Messages that are alike to the expectation. */
      readonly alike: readonly Omit<Told, 'value'>[];
    }
  /** Why they are not told apart. */
  | { readonly why: string };

/** More classes than this are not tried one by one at every change. */
const MOST_ALIKE = 2_000;

/** What an expectation asks about messages that were followed. */
export type Promised = Pick<ExpectationDecl, 'reaches' | 'only' | 'never' | 'copies' | 'within'>;

/**
 * @param ways where an app publishes messages of one type, at least one
 * @returns all of them, by what the expectation asks about
 */
export function allSent(around: Ground, ways: readonly Edge[], promise: Promised): AllSent {
  const type = around.type(ways[0]!.publish!.message!.value)!;
  const [template, other] = new Set(ways.map((way) => templateOf(way, type)));
  if (other !== undefined) return { why: 'its keys are made in two ways' };
  try {
    const conditions = ways.flatMap((way) => [...conditionsBehind(around, way, type)]);
    askWhatDecides(around, ways);
    const space = new Space(type, template!, conditions);
    const lists = new Lists(space);
    const parts = ways.flatMap((way, i) => {
      const watched: Watched = { passed: new Map(), taken: new Map(), carried: new Map() };
      const fates = new Following(around, space, template!, undefined, watched).publish(way);
      return new Asked(around, space, promise, `${i}`).of(fates, watched);
    });
    const found = told(space, lists.together(parts.map(({ id, of }) => lists.of(id, of))));
    if (found.length > MOST_ALIKE)
      return { why: `they differ in more than ${MOST_ALIKE} ways that matter to it` };
    return { total: space.total, alike: found };
  } catch (error) {
    if (!(error instanceof TooManyClasses)) throw error;
    return { why: `they are too many to tell apart: ${error.message}` };
  }
}

/**
 * An example may go where no message of its type does: what decides there is asked too, so that a verdict holds for as
 * long as all that was asked.
 */
function askWhatDecides(around: Ground, ways: readonly Edge[]): void {
  const seen = new Set(ways.map(({ to }) => to));
  for (const id of seen) {
    const node = around.node(id);
    around.broken(id);
    if (node && 'perInstanceOf' in node.decl && node.decl.perInstanceOf)
      around.instances(node.decl.perInstanceOf.value);
    if (node?.role === 'spread') around.members(node, thing('app', ways[0]!.from.replace(/^publisher:/, '')));
    for (const { kind, to } of around.out(id)) if (kind !== 'deadLetter') seen.add(to);
  }
}

/** One thing that is told of messages: whether, or how many times. */
interface Part {
  readonly id: string;
  readonly of: Diagram;
}

/** What a promise asks about the messages of one publish. */
class Asked {
  private readonly reached: readonly string[];
  private readonly never: readonly string[];

  constructor(
    private readonly around: Ground,
    private readonly space: Space,
    private readonly promise: Promised,
    /** Tells the publish from others. */
    private readonly way: string,
  ) {
    this.reached = promise.reaches?.items.map(({ value }) => value) ?? [];
    this.never = promise.never?.items.map(({ value }) => value) ?? [];
  }

  of(fates: readonly Fate[], watched: Watched): Part[] {
    const { promise } = this;
    const stays = fates.filter(({ outcome }) => STAYS.has(outcome));
    // whose turn it is hangs on what came before: then everything on the way is told apart
    if (fates.some(({ dealt }) => dealt !== undefined)) return this.everything(stays, watched);
    const parts = [...this.reached, ...this.never].map((name) =>
      this.part(`at ${name}`, this.union(stays.map((fate) => this.restingAt(fate, name, watched)))),
    );
    if (promise.only?.value)
      parts.push(this.part('other', this.union(stays.map((fate) => this.elsewhere(fate, watched)))));
    // one number for all of them
    if (promise.copies) for (const { copies } of stays) parts.push({ id: 'copies', of: copies });
    if (promise.within) parts.push(...this.carried(watched));
    for (const name of this.never) {
      const passed = [...watched.passed]
        .filter(([id]) => this.isPassed(id, name))
        .flatMap(([, sets]) => sets);
      parts.push(this.part(`passed ${name}`, this.union(passed)));
    }
    return parts;
  }

  private everything(stays: readonly Fate[], watched: Watched): Part[] {
    return [
      ...stays.flatMap(({ at, outcome, dealt, copies, node }) => [
        this.part(`${outcome} ${at} ${dealt ?? ''}`, copies),
        ...[...(watched.taken.get(node ?? '') ?? [])].map(([taker, sets]) =>
          this.part(`${taker} takes ${at}`, this.union(sets)),
        ),
      ]),
      ...this.carried(watched),
      ...[...watched.passed].map(([id, sets]) => this.part(`passed ${id}`, this.union(sets))),
    ];
  }

  private carried({ carried }: Watched): Part[] {
    return [...carried].map(([edge, { parts }]) => this.part(`carried ${edge}`, this.union(parts)));
  }

  /** The messages of which copies rest in a store, or are taken there, so that they are where a name says. */
  private restingAt({ node = '', outcome, copies }: Fate, name: string, { taken }: Watched): Diagram {
    const { diagrams } = this.space;
    const store = this.thingAt(node);
    if (!store) return diagrams.no;
    const rest = this.some(copies);
    const takenBy = (takes: (id: string) => boolean) => {
      const sets = [...(taken.get(node) ?? [])].filter(([taker]) => takes(taker)).flatMap(([, own]) => own);
      return diagrams.apply(diagrams.and, rest, this.union(sets));
    };
    const [, kind, id] = /^(app|tenant|broker|link):(.+)$/s.exec(name) ?? [];
    switch (kind) {
      case 'app':
        return takenBy((taker) => taker === name);
      case 'link':
        // what waits for a link in its queue is told as taken by the first that there is
        return outcome === 'waiting' &&
          this.around.out(node).find((each) => each.kind === 'link')?.link?.thing.id === name
          ? rest
          : diagrams.no;
      case 'tenant':
        if (this.around.tenant(store) === id) return rest;
        return takenBy(
          (taker) =>
            taker.startsWith('app:') && this.around.tenant(thing('app', taker.slice('app:'.length))) === id,
        );
      case 'broker':
        return store.broker === id ? rest : diagrams.no;
      default:
        return covers(name, store) ? rest : diagrams.no;
    }
  }

  /** The messages of which copies rest where they were not to. */
  private elsewhere(fate: Fate, watched: Watched): Diagram {
    const { diagrams } = this.space;
    const wanted = this.union(this.reached.map((name) => this.restingAt(fate, name, watched)));
    return diagrams.apply(diagrams.without, this.some(fate.copies), wanted);
  }

  private part(id: string, of: Diagram): Part {
    return { id: `${this.way} ${id}`, of };
  }

  private some(copies: Diagram): Diagram {
    const { diagrams } = this.space;
    return diagrams.map(copies, ({ value }) => (value === 0 ? diagrams.no : diagrams.yes));
  }

  private union(sets: readonly Diagram[]): Diagram {
    const { diagrams } = this.space;
    return diagrams.all(diagrams.or, sets, diagrams.no);
  }

  private isPassed(node: string, name: string): boolean {
    const at = this.thingAt(node);
    if (!at) return false;
    if (name.startsWith('broker:')) return at.broker === name.slice('broker:'.length);
    return at.kind !== 'queue' && at.kind !== 'subscription' && covers(name, at);
  }

  private thingAt(node: string): Thing | undefined {
    return this.around.node(node)?.thing;
  }
}

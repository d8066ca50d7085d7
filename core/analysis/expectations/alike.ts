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
    const dealt = fates.some((fate) => fate.dealt !== undefined);
    const names = [...this.reached, ...this.never];
    const asked = (fate: Fate) => dealt || names.some((name) => this.mayRestAt(fate, name));
    const about = stays.filter(asked);
    const parts = about.flatMap((fate) => this.rests(fate, watched));
    if (promise.only?.value) {
      const others = stays.filter((fate) => !asked(fate)).map(({ copies }) => this.some(copies));
      parts.push(this.part('other', this.union(others)));
    }
    if (promise.copies) parts.push(...this.copies(stays, dealt));
    if (promise.within)
      for (const [edge, { parts: sets }] of watched.carried)
        parts.push(this.part(`carried ${edge}`, this.union(sets)));
    for (const [id, sets] of watched.passed)
      if (dealt || this.never.some((name) => this.isPassed(id, name)))
        parts.push(this.part(`passed ${id}`, this.union(sets)));
    return parts;
  }

  private part(id: string, of: Diagram): Part {
    return { id: `${this.way} ${id}`, of };
  }

  /** That copies rest somewhere, and who takes them. */
  private rests({ at, outcome, dealt, copies, node }: Fate, { taken }: Watched): Part[] {
    const id = `${outcome} ${at} ${dealt ?? ''}`;
    return [
      this.part(id, this.some(copies)),
      ...[...(taken.get(node ?? '') ?? [])].map(([taker, sets]) =>
        this.part(`${taker} takes ${at}`, this.union(sets)),
      ),
    ];
  }

  private copies(stays: readonly Fate[], dealt: boolean): Part[] {
    if (dealt)
      return stays.map((fate) =>
        this.part(`copies ${fate.outcome} ${fate.at} ${fate.dealt ?? ''}`, fate.copies),
      );
    // one number for all of them
    return stays.map((fate) => ({ id: 'copies', of: fate.copies }));
  }

  private some(copies: Diagram): Diagram {
    const { diagrams } = this.space;
    return diagrams.map(copies, ({ value }) => (value === 0 ? diagrams.no : diagrams.yes));
  }

  private union(sets: readonly Diagram[]): Diagram {
    const { diagrams } = this.space;
    return diagrams.all(diagrams.or, sets, diagrams.no);
  }

  /** Whether copies that rest in a store may be where a name says, whoever takes them. */
  private mayRestAt({ node }: Fate, name: string): boolean {
    const store = this.thingAt(node ?? '');
    if (!store) return false;
    const [, kind, id] = /^(app|tenant|broker|link):(.+)$/s.exec(name) ?? [];
    const takers = () =>
      this.around.out(store.id).flatMap(({ kind: way, to, link }) => {
        if (way === 'link') return [link!.thing];
        const taker = way === 'take' ? this.thingAt(to) : undefined;
        return taker ? [taker] : [];
      });
    switch (kind) {
      case 'app':
      case 'link':
        return takers().some((taker) => taker.id === name);
      case 'tenant':
        return [store, ...takers().filter((taker) => taker.kind === 'app')].some(
          (each) => this.around.tenant(each) === id,
        );
      case 'broker':
        return store.broker === id;
      default:
        return covers(name, store);
    }
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

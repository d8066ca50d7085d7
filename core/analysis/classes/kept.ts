/** The classes of all publishes of a topology, kept from one of its states to the next. */
import { TooManyClasses } from '../../base/diagram.ts';
import type { Edge } from '../../brokers/terms.ts';
import { Asking } from '../../incremental/asking.ts';
import { Question } from '../../incremental/memory.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { type PublishClasses, type Reached, classesOn, publishesOf, reachOn } from './classes.ts';
import { type Ground, type GroundFact, Questions, askedGround, groundFacts } from './ground.ts';

/** What is known of a publish. */
export type KnownClasses =
  | PublishClasses
  | {
      readonly edge: Edge;
      /** Why its classes cannot be told apart. */
      readonly tooMany: string;
      /** What is reached all the same; undefined where not even that has room. */
      readonly reached: readonly Reached[] | undefined;
    };

/** So many questions are noted before all of them are forgotten: names that are typed anew would pile up. */
const MOST_QUESTIONS = 300_000;

/** Answers about all messages, each of which is worked out again only where something it asked is otherwise. */
export class Kept<Found> {
  private asking = new Asking<GroundFact, Found>();
  private questions = new Questions();

  /** @returns what was found of each subject, in their order */
  run<Subject>(
    graph: RoutingGraph,
    subjects: ReadonlyMap<string, Subject>,
    look: (around: Ground, subject: Subject, id: string) => Found,
  ): Map<string, Found> {
    if (this.questions.size > MOST_QUESTIONS) {
      this.asking = new Asking();
      this.questions = new Questions();
    }
    const { questions } = this;
    const facts = groundFacts(graph, questions);
    const around = askedGround(graph, this.asking.ask, questions);
    return this.asking.find(facts, 'about', subjects, (subject: Subject, id) => look(around, subject, id));
  }
}

const CLASSES = new Question<Kept<KnownClasses>>('classes of all publishes');

/**
 * @param most how many publishes are to be told, the first of the text; those told before cost nothing
 * @returns what is known of them, in the order of the text, and how many there are in all
 */
export function classesIn(
  graph: RoutingGraph,
  most = Infinity,
): { readonly all: readonly KnownClasses[]; readonly of: number } {
  const ways = publishesOf(graph);
  const subjects = new Map(ways.slice(0, most).map((way) => [way.id, way]));
  const kept = graph.topology.memory.own(CLASSES, () => new Kept<KnownClasses>());
  return { all: [...kept.run(graph, subjects, knownOf).values()], of: ways.length };
}

/** What can be known of one publish. */
export function knownOf(around: Ground, way: Edge): KnownClasses {
  try {
    return classesOn(around, way);
  } catch (error) {
    if (!(error instanceof TooManyClasses)) throw error;
    return { edge: way, tooMany: error.message, reached: reachedOf(around, way) };
  }
}

function reachedOf(around: Ground, way: Edge): Reached[] | undefined {
  try {
    return reachOn(around, way);
  } catch (error) {
    if (!(error instanceof TooManyClasses)) throw error;
    return undefined;
  }
}

/** All messages of a topology by what becomes of them, told piece by piece. Worked out on a thread. */
import type { MessagePort } from 'node:worker_threads';
import { classesIn, type KnownClasses } from '@vondle/core/analysis';
import { classData, reachData } from '@vondle/core/formats/classes';
import { buildGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import type { Database } from '../db/connect.ts';
import { notFound, Problem } from '../http/problem.ts';
import { documentsOf } from '../revisions/store.ts';
import { mainDocumentsOf } from '../drafts/store.ts';

/** What is asked for: the draft, or a revision; as it is in an environment, or in none. */
export interface AskedClasses {
  readonly topologyId: number;
  readonly revision?: number;
  readonly environment?: string;
  /** Where it is told. */
  readonly port: MessagePort;
}

/** What is told: lines of JSON of some publishes, and how many publishes are told of how many. */
export interface ToldClasses {
  readonly lines: string;
  readonly told: number;
  readonly of: number;
}

/** So much is told at most; whoever wants more asks for one type at a time on the command line. */
export const MOST_TOLD = 64 * 1024 * 1024;
/** So many publishes are told at once. */
const PIECE = 20;

/**
 * Tells the classes of a topology's publishes to a port, in the order of the text.
 * @throws Problem 404 where there is no such revision, 422 for an environment that is not declared or too much to tell
 */
export async function tellClasses(
  db: Database,
  { topologyId, revision, environment, port }: AskedClasses,
): Promise<void> {
  const documents =
    revision === undefined
      ? await mainDocumentsOf(db, topologyId)
      : await documentsOf(db, topologyId, revision);
  if (!documents) throw notFound(`revision ${revision}`);
  const topology = readTopology(documents, environment === undefined ? {} : { environment });
  if (environment !== undefined && !topology.declared.environments?.has(environment))
    throw new Problem(422, 'No such environment', 'The topology declares no environment of that name.');
  const graph = buildGraph(topology);
  let size = 0;
  for (let told = 0, of = Infinity; told < of;) {
    const known = classesIn(graph, told + PIECE);
    ({ of } = known);
    const lines = known.all.slice(told).flatMap(linesOf).join('');
    size += lines.length;
    if (size > MOST_TOLD)
      throw new Problem(
        422,
        'Too much to tell',
        `The classes are more than ${MOST_TOLD / 1024 / 1024} MB of text. Ask for one message type with \`vondle classes --message\`.`,
      );
    told = Math.min(of, told + PIECE);
    port.postMessage({ lines, told, of } satisfies ToldClasses);
  }
}

function linesOf(known: KnownClasses): string[] {
  const data =
    'classes' in known ? classData(known) : [reachData(known.edge, known.tooMany, known.reached ?? [])];
  return data.map((each) => `${JSON.stringify(each)}\n`);
}

import { TooManyClasses } from '@vondle/core/base';
import {
  type PublishPair,
  type Telling,
  changesInWords,
  changesOf,
  classesOf,
  compareGraphs,
  publishPairs,
  publishesOf,
  reachOf,
} from '@vondle/core/analysis';
import {
  CLASSES_HEAD,
  changeSentence,
  changeText,
  classData,
  classesCsv,
  classesText,
  reachData,
  reachText,
  routeData,
  routesMarkdown,
} from '@vondle/core/formats/classes';
import { type DeadLetterReason, type RoutingGraph, buildGraph } from '@vondle/core/routing';
import { CouldNotRun, topologyAt, topologyOf } from './files.ts';
import { revisionNamed } from './remote.ts';
import { Progress } from './progress.ts';

interface ClassesOptions {
  message?: string;
  from?: string;
  environment?: string;
  givenUp?: DeadLetterReason;
  format: 'text' | 'json' | 'csv';
}

/** `vondle classes`: all messages of each publish, by what becomes of them. */
export function classes(
  paths: string[],
  { message, from, environment, givenUp, format }: ClassesOptions,
): void {
  const progress = new Progress();
  const graph = buildGraph(topologyAt(paths, environment, progress));
  const { declared, messages } = graph.topology;
  const app = from?.replace(/^app:/, '');
  if (message !== undefined && !messages.has(message))
    throw new CouldNotRun(`there is no message type \`${message}\``);
  if (app !== undefined && !declared.apps?.has(app)) throw new CouldNotRun(`there is no app \`${app}\``);
  const all = publishesOf(graph).filter(
    (way) =>
      (message === undefined || way.label === message) &&
      (app === undefined || way.from === `publisher:${app}`),
  );
  if (format === 'csv') process.stdout.write(CLASSES_HEAD);
  for (const [i, way] of all.entries()) {
    progress.say(`${i} of ${all.length} publishes told`);
    process.stdout.write(told(graph, way, format, givenUp && { givenUp }));
  }
  progress.end();
}

/** The classes of one publish; where they are too many, what is reached at all, and exit status 2. */
function told(
  graph: RoutingGraph,
  way: Publish,
  format: ClassesOptions['format'],
  telling: Telling = {},
): string {
  try {
    const of = classesOf(graph, way, telling);
    if (format === 'text') return classesText(of);
    if (format === 'csv') return classesCsv(of);
    return lines(classData(of));
  } catch (error) {
    if (!(error instanceof TooManyClasses)) throw error;
    process.exitCode = 2;
    const why = `the classes are too many to tell apart: ${error.message}`;
    const of = within(() => reachOf(graph, way, telling));
    process.stderr.write(`${way.label} from ${way.from.replace('publisher:', '')}: ${why}\n`);
    return format === 'text'
      ? reachText(way, why, of)
      : format === 'json'
        ? lines([reachData(way, why, of)])
        : '';
  }
}

type Publish = ReturnType<typeof publishesOf>[number];

const lines = (data: readonly object[]): string => data.map((each) => `${JSON.stringify(each)}\n`).join('');

/** @throws CouldNotRun where there is no room for what is asked */
function within<T>(run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (error instanceof TooManyClasses)
      throw new CouldNotRun(`the classes are too many to tell apart: ${error.message}`);
    throw error;
  }
}

/** `vondle compare`: the messages that go elsewhere in one topology than in another; exit 1 where some do. */
export async function compare(
  before: string,
  after: string,
  { environment, format }: { environment?: string; format: 'text' | 'json' | 'markdown' },
): Promise<void> {
  const progress = new Progress();
  const graphOf = async (path: string) => {
    const documents = await revisionNamed(path);
    return buildGraph(
      documents ? topologyOf(documents, environment, progress) : topologyAt([path], environment, progress),
    );
  };
  const [then, now]: [RoutingGraph, RoutingGraph] = [await graphOf(before), await graphOf(after)];
  const things = compareGraphs(then, now).map(({ kind, of, id, text }) => ({ kind, of, id, text }));
  const pairs = publishPairs(then, now);
  const failed = new Set<string>();
  const each = <T>(of: (pair: PublishPair) => T[]): T[] =>
    pairs.flatMap((pair, i) => {
      progress.say(`${i} of ${pairs.length} publishes compared`);
      try {
        return of(pair);
      } catch (error) {
        if (!(error instanceof TooManyClasses)) throw error;
        const { label, from } = (pair.after ?? pair.before)!;
        failed.add(
          `${label} from ${from.replace('publisher:', '')}: cannot be compared, its classes are too many to tell apart: ${error.message}\n`,
        );
        return [];
      }
    });
  const over = (differ: boolean) => {
    for (const line of failed) process.stderr.write(line);
    process.exitCode = failed.size ? 2 : differ ? 1 : 0;
  };
  const out = (text: string) => process.stdout.write(text);
  if (format === 'json') {
    const routes = each((pair) => changesOf(then, now, pair)).map(routeData);
    progress.end();
    out(`${JSON.stringify({ things, routes }, null, 2)}\n`);
    return over(routes.length > 0);
  }
  const changes = each((pair) => changesInWords(then, now, pair, changeText));
  progress.end();
  const list = format === 'markdown' ? '- ' : '';
  for (const { text } of things) out(`${list}${text}\n`);
  if (things.length) out('\n');
  for (const change of changes) out(`${list}${changeSentence(change)}.\n`);
  if (changes.length === 0) out(failed.size ? '' : 'No message goes elsewhere.\n');
  else if (format === 'markdown')
    out(`\n${routesMarkdown(each((pair) => changesOf(then, now, pair)).map(routeData))}`);
  for (const change of changes)
    if (change.unless && format === 'text') out(`not proved of ${change.type}: ${change.unless}\n`);
  over(changes.length > 0);
}

import { TooManyClasses } from '@vondle/core/base';
import { classesOf, compareGraphs, differenceOf, publishesOf, reachOf } from '@vondle/core/analysis';
import {
  CLASSES_HEAD,
  classData,
  classesCsv,
  classesText,
  reachData,
  reachText,
  routeData,
  routeText,
  routesMarkdown,
} from '@vondle/core/formats/classes';
import { type RoutingGraph, buildGraph } from '@vondle/core/routing';
import { CouldNotRun, topologyAt } from './files.ts';
import { Progress } from './progress.ts';

interface ClassesOptions {
  message?: string;
  from?: string;
  environment?: string;
  format: 'text' | 'json' | 'csv';
}

/** `vondle classes`: all messages of each publish, by what becomes of them. */
export function classes(paths: string[], { message, from, environment, format }: ClassesOptions): void {
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
    process.stdout.write(told(graph, way, format));
  }
  progress.end();
}

/** The classes of one publish; where they are too many, what is reached at all, and exit status 2. */
function told(graph: RoutingGraph, way: Publish, format: ClassesOptions['format']): string {
  try {
    const of = classesOf(graph, way);
    if (format === 'text') return classesText(of);
    if (format === 'csv') return classesCsv(of);
    return lines(classData(of));
  } catch (error) {
    if (!(error instanceof TooManyClasses)) throw error;
    process.exitCode = 2;
    const why = `the classes are too many to tell apart: ${error.message}`;
    const of = within(() => reachOf(graph, way));
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
export function compare(
  before: string,
  after: string,
  { environment, format }: { environment?: string; format: 'text' | 'json' | 'markdown' },
): void {
  const progress = new Progress();
  const [then, now] = [before, after].map((path) =>
    buildGraph(topologyAt([path], environment, progress)),
  ) as [RoutingGraph, RoutingGraph];
  const things = compareGraphs(then, now).map(({ kind, of, id, text }) => ({ kind, of, id, text }));
  const routes = within(() => differenceOf(then, now)).map(routeData);
  progress.end();
  if (format === 'json') process.stdout.write(`${JSON.stringify({ things, routes }, null, 2)}\n`);
  else if (format === 'markdown')
    process.stdout.write(
      `${things.map(({ text }) => `- ${text}\n`).join('')}${things.length ? '\n' : ''}${routesMarkdown(routes)}`,
    );
  else {
    for (const { text } of things) process.stdout.write(`${text}\n`);
    if (things.length) process.stdout.write('\n');
    process.stdout.write(routes.length ? routes.map(routeText).join('') : 'No message goes elsewhere.\n');
  }
  process.exitCode = routes.length ? 1 : 0;
}

import { TooManyClasses } from '@vondle/core/base';
import {
  type PublishClasses,
  classesOf,
  compareGraphs,
  differenceOf,
  publishesOf,
} from '@vondle/core/analysis';
import {
  classData,
  classesCsv,
  classesText,
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
  if (format === 'csv') {
    for (const line of classesCsv(told(graph, all, progress))) process.stdout.write(line);
    return;
  }
  for (const each of told(graph, all, progress))
    process.stdout.write(
      format === 'text'
        ? classesText(each)
        : classData(each)
            .map((line) => `${JSON.stringify(line)}\n`)
            .join(''),
    );
}

function* told(
  graph: RoutingGraph,
  ways: ReturnType<typeof publishesOf>,
  progress: Progress,
): Generator<PublishClasses> {
  for (const [i, way] of ways.entries()) {
    progress.say(`${i} of ${ways.length} publishes told`);
    yield within(() => classesOf(graph, way));
  }
  progress.end();
}

/** @throws CouldNotRun where classes are too many to be told apart */
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

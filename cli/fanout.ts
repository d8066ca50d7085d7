import { buildGraph } from '@vondle/core/routing';
import { graphData, toDot, toGraphml } from '@vondle/core/formats/graph';
import { topologyAt } from './files.ts';

/** `vondle fanout`: prints the routing graph. */
export function fanout(
  paths: string[],
  options: { format: 'json' | 'dot' | 'graphml'; environment?: string },
): void {
  const graph = buildGraph(topologyAt(paths, options.environment));
  if (options.format === 'dot') process.stdout.write(toDot(graph));
  else if (options.format === 'graphml') process.stdout.write(toGraphml(graph));
  else process.stdout.write(`${JSON.stringify(graphData(graph), null, 2)}\n`);
}

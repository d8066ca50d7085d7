/** An expectation made from what a message does now. */
import { outcomeOf } from '../analysis/compare/outcomes.ts';
import { propertiesToWrite } from '../analysis/samples/kept.ts';
import { complete } from '../analysis/samples/samples.ts';
import type { Message } from '../conditions/message.ts';
import type { RoutingGraph } from '../routing/graph.ts';
import type { Trace } from '../routing/trace.ts';
import type { Json } from '../syntax/render.ts';

/**
 * @param app the app it is sent by
 * @returns the promise that this very message goes on reaching exactly the stores it reaches now
 */
export function expectationToWrite(
  graph: RoutingGraph,
  message: Message,
  traces: readonly Trace[],
  name: string,
  app?: string,
): Json {
  const { topology } = graph;
  const { rests } = outcomeOf(graph, traces);
  const type = topology.messages.get(message.type ?? '');
  const ownKey = !type || complete(type, { headers: message.headers }).key !== message.key;
  const copies = [...rests.values()].reduce((sum, each) => sum + each, 0);
  return {
    name,
    given: {
      ...(message.type ? { message: message.type } : {}),
      ...(app ? { from: `app:${app}` } : {}),
      ...(ownKey ? { key: message.key } : {}),
      ...(Object.keys(message.headers).length ? { headers: message.headers as Json } : {}),
      ...propertiesToWrite(topology, message),
      ...(message.body === undefined ? {} : { body: message.body as Json }),
    },
    reaches: [...rests.keys()],
    only: true,
    copies,
  };
}

/** Traces a second, on the demo and on a large topology, and the memory a large topology takes. */
import { readdirSync, readFileSync } from 'node:fs';
import { buildGraph, trace, type RoutingGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { samplesOf } from '@vondle/core/analysis';
import type { Message } from '@vondle/core/conditions';
import { held, inTurn, print } from './measure.ts';
import { teams } from './topologies.ts';

/** The demo's draft; the program that bundles the benchmarks runs them in the repository. */
function demo() {
  return readdirSync('demo/draft').map((name) => ({
    name,
    text: readFileSync(`demo/draft/${name}`, 'utf8'),
  }));
}

export interface Send {
  readonly message: Message;
  readonly to: string;
  readonly from: string;
  readonly via?: 'amqp' | 'mqtt';
}

/** @returns every sample of every published type, as each of its publishers sends it */
export function sendsOf(graph: RoutingGraph): Send[] {
  const { declared, messages } = graph.topology;
  return [...(declared.apps?.values() ?? [])].flatMap(({ name, value }) =>
    (value.publishes?.items ?? []).flatMap((publish) => {
      const type = messages.get(publish.message?.value ?? '');
      return (type ? samplesOf(type) : []).map(({ message }) => ({
        message,
        to: publish.to?.value ?? '',
        from: name,
        ...(publish.via ? { via: publish.via.value } : {}),
      }));
    }),
  );
}

function rate(name: string, graph: RoutingGraph, count: number): void {
  const sends = sendsOf(graph);
  const measured = inTurn({
    [`${count} traces`]: () => {
      for (let i = 0; i < count; i++) {
        const { message, ...send } = sends[i % sends.length]!;
        trace(graph, message, send);
      }
    },
  });
  print(`tracing on ${name}`, measured, `${Math.round((count / measured[0]!.ms) * 1000)} a second`);
}

export function tracing(): void {
  rate('the demo', buildGraph(readTopology(demo())), 20_000);
  const documents = teams(50);
  const large = held(() => buildGraph(readTopology(documents)));
  const size = documents.reduce((sum, { text }) => sum + text.length, 0) / 1e6;
  rate('10,000 resources and 20,000 routes in 50 documents', large.made, 20_000);
  console.log(
    `  memory of that topology (${size.toFixed(1)} MB of text), with its graph: ${large.megabytes.toFixed(0)} MB`,
  );
}

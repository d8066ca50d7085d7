/** Held together: what the two interpreters say of the same messages. `CASES=3000` tries more topologies. */
import { message } from '../../conditions/message.ts';
import { traceData } from '../../formats/trace.ts';
import { buildGraph, type RoutingGraph } from '../../routing/graph.ts';
import { trace } from '../../routing/trace.ts';
import { locator, readTopology } from '../../topology/read.ts';
import { interpret } from './interpreter.ts';
import type { Model, Sent, Told } from './model.ts';
import { randomModel, randomSendings } from './random-model.ts';

const CASES = Number(process.env['CASES'] ?? 300);
const FIRST = Number(process.env['SEED'] ?? 1);
const REASONS = [undefined, 'expired', 'rejected'] as const;

const graphOf = (model: Model) => buildGraph(readTopology([{ name: 'a.json', text: JSON.stringify(model) }]));

function ours(
  graph: RoutingGraph,
  { to, via, from, type, mandatory, ...parts }: Sent,
  reason: (typeof REASONS)[number],
): Told {
  const sending = {
    to,
    ...(via ? { via } : {}),
    ...(from ? { from: `app:${from}` } : {}),
    ...(mandatory === undefined ? {} : { mandatory }),
  };
  const made = trace(graph, message({ ...(type ? { type } : {}), ...parts }), sending).trace;
  const data = traceData(graph, made, 0, locator(graph.topology), reason);
  const ends: Told['ends'] = {};
  for (const { outcome, at, copies } of data.ends)
    ends[`${outcome} at ${at}`] = (ends[`${outcome} at ${at}`] ?? 0) + copies;
  // a copy that waits for a link has come nowhere yet for either, but rests in the link's queue
  return {
    ends,
    stores: Object.fromEntries(data.stores.map(({ at, copies }) => [at, copies])),
    takers: Object.fromEntries(data.stores.map(({ at, takers }) => [at, [...takers].sort()])),
  };
}

/** Of a round without end only that is told: how often each follows it until it knows is its own affair. */
const told = (of: Told): Told | 'endless' =>
  Object.keys(of.ends).some((each) => each.startsWith('endless')) ? 'endless' : of;

test(`${CASES} topologies: two interpreters say the same of every message`, () => {
  for (let seed = FIRST; seed < FIRST + CASES; seed++) {
    const model = randomModel(seed);
    const graph = graphOf(model);
    for (const [i, sent] of randomSendings(seed, 14).entries())
      for (const reason of REASONS) {
        const at = { seed, message: i, sent, reason };
        const [first, second] = [ours(graph, sent, reason), interpret(model, sent, reason)];
        expect({ at, told: told(first) }).toEqual({ at, told: told(second) });
      }
  }
});

import {
  inventoryOf,
  obstaclesToPlan,
  planRollout,
  review,
  safeOrder,
  wantedState,
} from '@vondle/core/analysis';
import { asAmqp } from '@vondle/core/brokers';
import { stepsData, stepsText } from '@vondle/core/formats';
import { buildGraph } from '@vondle/core/routing';
import type { Topology } from '@vondle/core/topology';
import { CouldNotRun, topologyAt } from './files.ts';
import { Progress } from './progress.ts';

interface StepsOptions {
  to: string[];
  broker: string;
  strict?: boolean;
  environment?: string;
  format: 'text' | 'json';
}

/** `vondle steps`: from one topology to another on one broker, and which messages meet it on the way. */
export function steps(from: string[], { to, broker, strict, environment, format }: StepsOptions): void {
  const progress = new Progress();
  const before = from.length === 1 && from[0] === '-' ? undefined : readable(from, environment, progress);
  const after = readable(to, environment, progress);
  const declares = (topology: Topology | undefined) =>
    topology !== undefined && asAmqp(topology.declared.brokers?.get(broker)?.value) !== undefined;
  if (!declares(before) && !declares(after))
    throw new CouldNotRun(`no AMQP 0-9-1 broker \`${broker}\` is declared in ${[...from, ...to].join(', ')}`);
  const wanted = wantedState(after, broker);
  const earlier = before ? [wantedState(before, broker)] : [];
  const there = earlier[0] ? inventoryOf(earlier[0]) : { exchanges: [], queues: [], bindings: [] };
  progress.say('looking at every state on the way');
  const { steps: planned, leftToOthers } = planRollout(wanted, there, earlier);
  const ordered = safeOrder(there, planned, {
    before: before && buildGraph(before),
    after: buildGraph(after),
    broker,
  });
  progress.end();
  const data = stepsData(ordered, broker);
  const left = leftToOthers.map(({ of, why }) => `${of}: ${why}`);
  if (format === 'json') process.stdout.write(`${JSON.stringify({ ...data, leftToOthers: left })}\n`);
  else {
    for (const each of left) process.stdout.write(`not carried out: ${each}\n`);
    process.stdout.write(stepsText(data));
  }
  if (strict && data.windows.length) process.exitCode = 1;
}

/** @throws CouldNotRun where nothing can be planned of what is written */
function readable(paths: string[], environment: string | undefined, progress: Progress): Topology {
  const topology = topologyAt(paths, environment, progress);
  const [first, ...others] = obstaclesToPlan(review(topology));
  if (first)
    throw new CouldNotRun(
      `${paths.join(', ')} cannot be planned with: ${first}${others.length ? ` (and ${others.length} more)` : ''}`,
    );
  return topology;
}

import { createReadStream } from 'node:fs';
import { createInterface } from 'node:readline';
import {
  buildGraph,
  trace,
  type DeadLetterReason,
  type RoutingGraph,
  type Sending,
  type RotationState,
} from '@vondle/core/routing';
import { whyNot } from '@vondle/core/analysis';
import type { Position } from '@vondle/core/base';
import { locator, lookUp, STORES, type Place, type Topology } from '@vondle/core/topology';
import { readLine, traceData, traceText, understand } from '@vondle/core/formats';
import type { Message } from '@vondle/core/conditions';
import { CouldNotRun, topologyAt } from './files.ts';
import { Progress } from './progress.ts';

interface Options {
  messages: string;
  giveUp?: string;
  fate?: string;
  format: 'text' | 'json';
  environment?: string;
  why?: string;
}

/** `vondle trace`: one result a line, in input order; what cannot be understood is an error on its line. */
export async function traceMessages(paths: string[], options: Options): Promise<void> {
  const progress = new Progress();
  const topology = topologyAt(paths, options.environment, progress);
  const store = options.why === undefined ? undefined : storeAt(topology, options.why);
  const graph = buildGraph(topology);
  const locate = locator(topology);
  const reason = (options.giveUp ?? options.fate)?.replaceAll('-', ' ') as DeadLetterReason | undefined;
  let turns: RotationState = new Map();
  let index = 0;
  for await (const line of linesOf(options.messages)) {
    if (line.trim() === '') continue;
    const at = index++;
    const order = orderOf(graph, line);
    if ('error' in order) {
      write(
        options.format === 'json'
          ? JSON.stringify({ index: at, error: order.error })
          : `message ${at}\n  not traced: ${order.error}`,
      );
      continue;
    }
    const result = trace(graph, order.message, order.sending, turns);
    ({ turns } = result);
    const data = traceData(graph, result.trace, at, locate, reason, {
      remarks: order.remarks,
      misses: options.format === 'text',
    });
    const why = store && whyNotData(graph, order, store, locate);
    if (options.format === 'json') write(JSON.stringify(why ? { ...data, why } : data));
    else write(traceText(data).trimEnd() + (why ? `\n${whyText(options.why!, why)}` : ''));
    progress.say(`${index.toLocaleString('en')} messages traced`);
  }
  progress.end();
}

/** The queue or subscription of an address. @throws CouldNotRun where there is none */
function storeAt(topology: Topology, address: string): string {
  const found = lookUp(topology.names, address, STORES);
  if (!found.ok) throw new CouldNotRun(found.message);
  return found.thing.id;
}

/** Why a message does not come to a store, and what would let it. */
interface Why {
  readonly store: string;
  readonly reached: boolean;
  readonly why?: string;
  readonly place?: string;
  readonly changes?: readonly string[];
}

function whyNotData(
  graph: RoutingGraph,
  { message, sending }: Extract<Order, { message: Message }>,
  store: string,
  locate: (place: Place) => Position,
): Why {
  const { reached, failed, changes } = whyNot(graph, message, sending, store);
  const at = failed?.place && locate(failed.place);
  return {
    store: store.slice(store.indexOf(':') + 1),
    reached,
    ...(failed ? { why: failed.text } : {}),
    ...(at ? { place: `${failed!.place!.doc}:${at.line}:${at.column}` } : {}),
    ...(changes.length ? { changes: changes.map(({ title }) => title) } : {}),
  };
}

function whyText(asked: string, { reached, why, place, changes }: Why): string {
  if (reached) return `  it does reach ${asked}`;
  const lines = [`  not to ${asked}: ${why ?? 'no way leads there'}${place ? ` (${place})` : ''}`];
  for (const change of changes ?? []) lines.push(`    would let it through: ${change}`);
  return lines.join('\n');
}

function write(line: string): void {
  process.stdout.write(`${line}\n`);
}

async function* linesOf(file: string): AsyncGenerator<string> {
  const input = file === '-' ? process.stdin : createReadStream(file, 'utf8');
  try {
    yield* createInterface({ input, crlfDelay: Infinity });
  } catch (error) {
    throw new CouldNotRun(`cannot read ${file}: ${(error as Error).message}`);
  }
}

type Order =
  | { readonly message: Message; readonly sending: Sending; readonly remarks: readonly string[] }
  | { readonly error: string };

function orderOf(graph: RoutingGraph, line: string): Order {
  let data: unknown;
  try {
    data = readLine(line);
  } catch (error) {
    return { error: `not JSON: ${(error as Error).message}` };
  }
  const understood = understand(graph, data);
  if ('error' in understood) return understood;
  if (!understood.sending)
    return {
      error:
        '`to` is missing: an address, or a broker with "via": "mqtt"; or `from` and `type`, where they decide it',
    };
  const { message, sending, remarks } = understood;
  return { message, sending, remarks };
}

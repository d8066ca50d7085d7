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
import { locator } from '@vondle/core/topology';
import { readLine, traceData, traceText, understand } from '@vondle/core/formats';
import type { Message } from '@vondle/core/conditions';
import { CouldNotRun, topologyAt } from './files.ts';

interface Options {
  messages: string;
  giveUp?: string;
  fate?: string;
  format: 'text' | 'json';
  environment?: string;
}

/** `vondle trace`: one result a line, in input order; what cannot be understood is an error on its line. */
export async function traceMessages(paths: string[], options: Options): Promise<void> {
  const topology = topologyAt(paths, options.environment);
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
    write(options.format === 'json' ? JSON.stringify(data) : traceText(data).trimEnd());
  }
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

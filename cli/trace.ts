import { createReadStream } from 'node:fs';
import { createInterface } from 'node:readline';
import {
  buildGraph,
  complete,
  locator,
  message as makeMessage,
  trace,
  traceData,
  traceText,
  type Fate,
  type Message,
  type RoutingGraph,
  type Sending,
  type Turns,
} from '@vondle/core';
import { CouldNotRun, topologyAt } from './files.ts';

interface Options {
  messages: string;
  fate?: string;
  format: 'text' | 'json';
  environment?: string;
}

/** `vondle trace`: one result a line, in input order; what cannot be understood is an error on its line. */
export async function traceMessages(paths: string[], options: Options): Promise<void> {
  const topology = topologyAt(paths, options.environment);
  const graph = buildGraph(topology);
  const locate = locator(topology.documents);
  const fate = options.fate?.replaceAll('-', ' ') as Fate | undefined;
  let turns: Turns = new Map();
  let index = 0;
  for await (const line of linesOf(options.messages)) {
    if (line.trim() === '') continue;
    const at = index++;
    const order = understand(graph, line);
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
    const data = traceData(graph, result.trace, at, locate, fate);
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

type Order = { readonly message: Message; readonly sending: Sending } | { readonly error: string };

const KNOWN = ['to', 'via', 'topic', 'from', 'type', 'key', 'headers', 'properties', 'body', 'mandatory'];
const isMap = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Reads one line as a message and where it is sent. */
export function understand(graph: RoutingGraph, line: string): Order {
  let data: unknown;
  try {
    data = JSON.parse(line);
  } catch (error) {
    return { error: `not JSON: ${(error as Error).message}` };
  }
  if (!isMap(data)) return { error: 'a message is a JSON object' };
  const unknown = Object.keys(data).filter((key) => !KNOWN.includes(key));
  if (unknown.length) return { error: `unknown: ${unknown.join(', ')}; a message has ${KNOWN.join(', ')}` };
  const { to, via, topic, from, type, key, headers, properties, body, mandatory } = data;
  if (typeof to !== 'string') return { error: '`to` is missing: an address, or a broker with "via": "mqtt"' };
  if (via !== undefined && via !== 'mqtt' && via !== 'amqp') return { error: '`via` is "mqtt" or "amqp"' };
  for (const [name, value] of Object.entries({ topic, from, type, key })) {
    if (value !== undefined && typeof value !== 'string') return { error: `\`${name}\` must be a text` };
  }
  for (const [name, value] of Object.entries({ headers, properties })) {
    if (value !== undefined && !isMap(value)) return { error: `\`${name}\` must be a map` };
  }
  if (mandatory !== undefined && typeof mandatory !== 'boolean')
    return { error: '`mandatory` is true or false' };
  const { topology } = graph;
  const app = (from as string | undefined)?.replace(/^app:/, '');
  if (app !== undefined && !topology.declared.apps?.has(app)) return { error: `there is no app \`${app}\`` };
  const declared = type === undefined ? undefined : topology.messages.get(type as string);
  if (type !== undefined && !declared) return { error: `there is no message type \`${type as string}\`` };
  const given: Partial<Message> = {
    ...(headers ? { headers: headers as Record<string, unknown> } : {}),
    ...(properties ? { properties: properties as Record<string, unknown> } : {}),
    ...(body === undefined ? {} : { body }),
    ...(key === undefined && topic === undefined
      ? {}
      : { key: String(via === 'mqtt' ? (topic ?? key) : (key ?? topic)) }),
  };
  return {
    message: declared ? complete(declared, given) : makeMessage(given),
    sending: {
      to,
      ...(via === 'mqtt' ? { via } : {}),
      ...(app === undefined ? {} : { from: `app:${app}` }),
      ...(mandatory === undefined ? {} : { mandatory: mandatory as boolean }),
    },
  };
}

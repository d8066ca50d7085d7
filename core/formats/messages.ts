/**
 * Messages in files: a JSON object or list, or one object a line (NDJSON). An object is a message in
 * our own words (`to`, `type`, `key`, `headers`, …) or a CloudEvent in its JSON format (CloudEvents
 * 1.0.2, JSON Event Format §3; a list is its batch, §4).
 */
import { put } from '../base/values.ts';
import { sendingsOf } from '../analysis/samples/kept.ts';
import { asGiven, remarksOn } from '../analysis/samples/given.ts';
import { unpublishable } from '../conditions/mqtt.ts';
import { type Message, message as makeMessage } from '../conditions/message.ts';
import { parse as parseLossless } from 'lossless-json';
import type { RoutingGraph } from '../routing/graph.ts';
import type { Sending } from '../routing/hop.ts';
import type { MessageType } from '../topology/messages.ts';

/**
 * Reads one line of NDJSON. Integers that a double cannot hold become bigints, as selectors reckon with 64 bits.
 * @throws SyntaxError where it is not JSON
 */
export const readLine = (line: string): unknown =>
  // the package is slow, and such numbers are rare
  !/\d{16}/.test(line)
    ? JSON.parse(line)
    : parseLossless(line, null, {
        parseNumber: (text) =>
          /^-?\d+$/.test(text) && !Number.isSafeInteger(Number(text)) ? BigInt(text) : Number(text),
      });

/** One object of a file, or why it is none. */
export type Written =
  { readonly line: number; readonly data: unknown } | { readonly line: number; readonly error: string };

/** @returns what a file holds, in its order; lines count from 1. */
export function readMessages(text: string): Written[] {
  const whole = text.trim();
  if (whole === '') return [];
  try {
    const data: unknown = JSON.parse(whole);
    return (Array.isArray(data) ? data : [data]).map((each: unknown, i) => ({ line: i + 1, data: each }));
  } catch {
    // not one JSON text: then one a line
  }
  return text.split('\n').flatMap((line, i): Written[] => {
    if (line.trim() === '') return [];
    try {
      return [{ line: i + 1, data: JSON.parse(line) as unknown }];
    } catch (error) {
      return [{ line: i + 1, error: `not JSON: ${(error as Error).message}` }];
    }
  });
}

/** A message understood; without `sending` it does not say where it is sent. */
export type Understood =
  | {
      readonly message: Message;
      readonly sending?: Sending;
      /** What in it is not as its type says. */
      readonly remarks: readonly string[];
    }
  | { readonly error: string };

const KNOWN = ['to', 'via', 'topic', 'from', 'type', 'key', 'headers', 'properties', 'body', 'mandatory'];
const isMap = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Reads one object as a message and, where it says so, how it is sent. */
export function understand(graph: RoutingGraph, data: unknown): Understood {
  if (!isMap(data)) return { error: 'a message is a JSON object' };
  if (typeof data['specversion'] === 'string') return ofCloudEvent(graph, data);
  const unknown = Object.keys(data).filter((key) => !KNOWN.includes(key));
  if (unknown.length) return { error: `unknown: ${unknown.join(', ')}; a message has ${KNOWN.join(', ')}` };
  const { to, via, topic, from, type, key, headers, properties, body, mandatory } = data;
  if (via !== undefined && via !== 'mqtt' && via !== 'amqp') return { error: '`via` is "mqtt" or "amqp"' };
  for (const [name, value] of Object.entries({ to, topic, from, type, key })) {
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
  const decided = to === undefined && via === undefined ? decidedBy(graph, declared, app) : undefined;
  if (typeof decided === 'string') return { error: decided };
  return sent(declared, given, {
    ...decided,
    ...(to === undefined ? {} : { to: to as string }),
    ...(via === 'mqtt' ? { via } : {}),
    ...(app === undefined ? {} : { from: `app:${app}` }),
    ...(mandatory === undefined ? {} : { mandatory: mandatory as boolean }),
  });
}

/** Where a message is sent whose type and app decide it; in words where they decide for several places. */
function decidedBy(
  { topology }: RoutingGraph,
  type: MessageType | undefined,
  app: string | undefined,
): Sending | string | undefined {
  if (!type || app === undefined) return undefined;
  const [first, second] = sendingsOf(topology, type.id, app);
  if (!first) return `\`${app}\` does not publish \`${type.id}\`: say \`to\``;
  if (second)
    return `\`${app}\` publishes \`${type.id}\` to ${first.to} and ${second.to}: say which by \`to\``;
  return first;
}

/** A message as it was given, sent there; an error where it is none that could be. */
function sent(type: MessageType | undefined, given: Partial<Message>, sending: Partial<Sending>): Understood {
  const { message, missing } = type ? asGiven(type, given) : { message: makeMessage(given), missing: [] };
  if (missing.length)
    return {
      error: `the key \`${type!.key!.value}\` cannot be made: ${missing.map((name) => `\`${name}\``).join(' and ')} ${missing.length > 1 ? 'are' : 'is'} missing`,
    };
  const wrong = sending.via === 'mqtt' ? unpublishable(message.key) : undefined;
  if (wrong) return { error: wrong };
  const remarks = type ? remarksOn(type, message) : [];
  const { to } = sending;
  if (to === undefined) return { message, remarks };
  return { message, remarks, sending: { ...sending, to } };
}

/** Context attributes that are properties of a message, by what they are called there. */
const ATTRIBUTES: Readonly<Record<string, string>> = {
  type: 'type',
  subject: 'subject',
  source: 'source',
  id: 'messageId',
  time: 'timestamp',
  datacontenttype: 'contentType',
};

/**
 * A CloudEvent as a message: context attributes as properties, extensions as headers, data as the body. `to` beside
 * them says where it is sent, and is no part of it.
 */
function ofCloudEvent(graph: RoutingGraph, event: Record<string, unknown>): Understood {
  const { to } = event;
  if (to !== undefined && typeof to !== 'string') return { error: '`to` must be a text' };
  const headers: Record<string, unknown> = {};
  const properties: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(event)) {
    if (['specversion', 'data', 'data_base64', 'dataschema', 'to'].includes(name)) continue;
    const property = Object.hasOwn(ATTRIBUTES, name) ? ATTRIBUTES[name] : undefined;
    if (property) properties[property] = value;
    else put(headers, name, value);
  }
  const body = event['data'] ?? event['data_base64'];
  const given = { headers, properties, ...(body === undefined ? {} : { body }) };
  return sent(typeNamed(graph, event['type']), given, to === undefined ? {} : { to });
}

/** The message type whose `type` property is always this, else the one of this id. */
function typeNamed(graph: RoutingGraph, type: unknown): MessageType | undefined {
  const { messages } = graph.topology;
  for (const each of messages.values())
    if (each.properties.get('type')?.schema['const'] === type) return each;
  return messages.get(String(type));
}

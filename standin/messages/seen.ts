/**
 * A message of AMQP 1.0 as conditions see it, and what a topic's envelope has of it: subject, message id and the
 * like are properties, application properties are headers (the Jakarta Messaging names are those that
 * docs/language.md has).
 */
import { message, type Message } from '@vondle/core/conditions';
import type { Decoded } from './encoding.ts';

/** The type of a message for Jakarta Messaging, which AMQP 1.0 has no property for. */
export const TYPE = 'x-opt-jms-type';
/** Longer texts are told as they are, but no number has more digits. */
const MOST_DIGITS = 20;

/** @returns a value as conditions know them: text, a number, true or false; undefined for what is none of them */
function plain(value: unknown): unknown {
  switch (typeof value) {
    case 'string':
    case 'boolean':
    case 'number':
    case 'bigint':
      return value;
    case 'object':
      if (value instanceof Date) return value.getTime();
      // whole numbers beyond those of a double come as their bytes
      if (Buffer.isBuffer(value) && value.length === 8) return value.readBigInt64BE();
      return undefined;
    default:
      return undefined;
  }
}

const textOf = (value: unknown): string | undefined =>
  typeof value === 'string'
    ? value
    : typeof value === 'number'
      ? String(value).slice(0, MOST_DIGITS)
      : Buffer.isBuffer(value)
        ? value.toString('hex')
        : undefined;

/** @returns what conditions see of a message; its body is looked into by no condition */
export function seenOf(decoded: Decoded): Message {
  const { subject, to, reply_to, content_type, message_id, correlation_id, creation_time, group_id } =
    decoded;
  const { priority, durable, message_annotations, application_properties } = decoded;
  const properties: Record<string, unknown> = {};
  const put = (name: string, value: unknown) => {
    const known = plain(value);
    if (known !== undefined && known !== null) properties[name] = known;
  };
  put('type', message_annotations?.[TYPE]);
  put('subject', subject);
  put('to', to);
  put('replyTo', reply_to);
  put('contentType', content_type);
  put('messageId', textOf(message_id));
  put('correlationId', textOf(correlation_id));
  put('timestamp', creation_time);
  put('groupId', group_id);
  put('priority', priority);
  if (durable !== undefined) put('deliveryMode', durable ? 'PERSISTENT' : 'NON_PERSISTENT');
  const headers: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(application_properties ?? {})) {
    const known = plain(value);
    if (known !== undefined) headers[name] = known;
  }
  return message({ headers, properties });
}

/** @returns a message's id as text, for recognising repeats; its group */
export function namesOf(decoded: Decoded): { id: string | undefined; group: string | undefined } {
  return { id: textOf(decoded.message_id), group: textOf(decoded.group_id) };
}

/** @returns a message's body for an envelope: JSON as JSON, text as text, else its bytes in base64 */
export function bodyOf({ body, content_type }: Decoded): unknown {
  const bytes = contentOf(body);
  if (bytes === undefined) return body === undefined ? null : JSON.parse(JSON.stringify(body, plainJson));
  const text = bytes.toString('utf8');
  if (!Buffer.from(text, 'utf8').equals(bytes)) return { base64: bytes.toString('base64') };
  if (content_type === undefined || /json/i.test(String(content_type)))
    try {
      return JSON.parse(text) as unknown;
    } catch {
      // text then
    }
  return text;
}

const plainJson = (_name: string, value: unknown): unknown =>
  typeof value === 'bigint' ? String(value) : value;

/** @returns the bytes of a body of data sections; undefined of another body */
function contentOf(body: unknown): Buffer | undefined {
  if (Buffer.isBuffer(body)) return body;
  const section = body as { typecode?: number; content?: unknown } | null | undefined;
  if (section?.typecode !== 0x75) return undefined;
  return Array.isArray(section.content)
    ? Buffer.concat(section.content as Buffer[])
    : (section.content as Buffer);
}

/**
 * Messages as AMQP 1.0 encodes them (part 3, §3.2): sections one after the other. What a sender wrote of the bare
 * message is kept byte for byte; only what nodes on the way set (header, annotations) is made anew.
 */
import { data, decode, type Decoded, encode, Reader } from './encoding.ts';

/** Descriptors of sections (§3.2.1–3.2.9). */
const HEADER = 0x70;
const MESSAGE_ANNOTATIONS = 0x72;
const PROPERTIES = 0x73;
const FOOTER = 0x78;

/** A message as it was sent, taken apart. */
export interface Parts {
  readonly bare: Buffer;
  readonly annotations: Buffer | undefined;
  readonly durable: boolean;
  readonly priority: number | undefined;
  readonly ttlMs: number | undefined;
  readonly decoded: Decoded;
}

/** @returns a message's parts. @throws Error where its sections are none, or in no order (§3.2) */
export function partsOf(payload: Buffer): Parts {
  const reader = new Reader(payload);
  let last = 0;
  let annotations: Buffer | undefined;
  let bareAt = payload.length;
  let bodies = 0;
  while (reader.remaining() > 0) {
    const at = reader.position;
    const code = Number(reader.read().descriptor?.value);
    if (!(code >= HEADER && code <= FOOTER)) throw new Error('a section of a message is none');
    const repeats = code === last && (code === 0x75 || code === 0x76);
    if (code <= last && !repeats) throw new Error('the sections of a message are in no order');
    if (code >= 0x75 && code <= 0x77) {
      if (bodies > 0 && !repeats) throw new Error('a message has two bodies');
      bodies++;
    }
    if (code === MESSAGE_ANNOTATIONS) annotations = payload.subarray(at, reader.position);
    if (code >= PROPERTIES) bareAt = Math.min(bareAt, at);
    last = code;
  }
  if (bodies === 0) throw new Error('a message has no body');
  const decoded = decode(payload);
  const { durable, priority, ttl } = decoded;
  return {
    bare: Buffer.from(payload.subarray(bareAt)),
    annotations: annotations && Buffer.from(annotations),
    durable: durable ?? false,
    priority,
    ttlMs: ttl,
    decoded,
  };
}

/** A message as it lies in a store. */
export interface Lying {
  readonly bare: Buffer;
  readonly annotations: Buffer | null;
  readonly durable: boolean;
  readonly priority: number | null;
  readonly tries: number;
  readonly died: { readonly because: string; readonly at: string; readonly tries: number } | null;
}

/** Where a dead letter died and why, among its message annotations. */
export const DIED = {
  because: 'x-opt-given-up',
  at: 'x-opt-given-up-by',
  tries: 'x-opt-given-up-tries',
} as const;

/** @returns the bytes a store's message is delivered as; it was tried `tries - 1` times before */
export function delivered({ bare, annotations, durable, priority, tries, died }: Lying): Buffer {
  const head = header(durable, priority, Math.max(0, tries - 1));
  if (!died) return Buffer.concat(annotations ? [head, annotations, bare] : [head, bare]);
  const own = annotations ? (decode(annotations).message_annotations ?? {}) : {};
  const said = encode({
    message_annotations: {
      ...own,
      [DIED.because]: died.because,
      [DIED.at]: died.at,
      [DIED.tries]: died.tries,
    },
  });
  return Buffer.concat([head, onlySection(said, MESSAGE_ANNOTATIONS), bare]);
}

const HEADERS = new Map<string, Buffer>();

function header(durable: boolean, priority: number | null, deliveries: number): Buffer {
  const key = `${durable} ${priority} ${deliveries}`;
  let known = HEADERS.get(key);
  if (!known) {
    const made = encode({ durable, ...(priority === null ? {} : { priority }), delivery_count: deliveries });
    known = onlySection(made, HEADER);
    if (HEADERS.size < 1000) HEADERS.set(key, known);
  }
  return known;
}

/** The package encodes a body even where there is none. */
function onlySection(bytes: Buffer, wanted: number): Buffer {
  const reader = new Reader(bytes);
  while (reader.remaining() > 0) {
    const at = reader.position;
    if (Number(reader.read().descriptor?.value) === wanted) return bytes.subarray(at, reader.position);
  }
  return Buffer.alloc(0);
}

/** @returns a bare message of properties and a body of JSON. */
export function jsonMessage(properties: { subject?: string; messageId?: string }, body: unknown): Buffer {
  return encode({
    ...(properties.subject === undefined ? {} : { subject: properties.subject }),
    ...(properties.messageId === undefined ? {} : { message_id: properties.messageId }),
    content_type: 'application/json',
    body: data(Buffer.from(JSON.stringify(body))),
  });
}

/** What comes in: read within limits, told apart from what cannot be kept, checked against a schema. */
import type { Context } from 'hono';
import { ValidationError, type InferType, type Schema } from 'yup';
import { Budget } from './budget.ts';
import { Problem } from './problem.ts';

/** The largest body of a request that carries no documents. */
export const SMALL_BODY = 4 * 1024;
/** The largest body that carries documents, and the most text a draft may have, in UTF-8. */
export const LARGEST_DRAFT = 32 * 1024 * 1024;

/** How long a body may take to come in. */
export interface Patience {
  readonly smallMs: number;
  readonly largeMs: number;
}

/** Deeper than this nobody nests a sample; what reads further would run out of stack. */
const DEEPEST = 32;
/** Mistakes told of one input. */
const MOST_MISTAKES = 20;

/** The bodies that are coming in, and how much of them, by whose they are. */
export class Intake {
  private readonly unfinished = new Budget({ all: 2000, each: 64 }, 'requests whose body is not finished');
  private readonly held = new Budget({ all: 256 * 1024 * 1024, each: 96 * 1024 * 1024 }, 'bytes');

  constructor(private readonly patience: Patience = { smallMs: 20_000, largeMs: 60_000 }) {}

  /**
   * Reads a body. What it holds counts against its sender until `release` is called.
   * @throws Problem 413 when it is larger than `most` bytes, 408 when it takes too long, 429 or 503 when
   *   too much is coming in already
   */
  async read(c: Context, from: string, most: number): Promise<{ bytes: Buffer; release: () => void }> {
    const said = c.req.header('content-length');
    if (said !== undefined && (!/^\d{1,15}$/.test(said) || Number(said) > most)) throw tooLarge(c, most);
    const stream = c.req.raw.body;
    if (!stream) return { bytes: Buffer.alloc(0), release: () => {} };
    const finished = this.unfinished.take(from, 1);
    const releases: (() => void)[] = [];
    const release = () => releases.forEach((each) => each());
    const reader = stream.getReader();
    const limit = most > SMALL_BODY ? this.patience.largeMs : this.patience.smallMs;
    let late = false;
    const timer = setTimeout(() => {
      late = true;
      void reader.cancel().catch(() => {});
    }, limit);
    const parts: Uint8Array[] = [];
    let size = 0;
    try {
      for (;;) {
        const { done, value } = await reader.read();
        if (late) throw tooSlow(c);
        if (done) break;
        size += value.byteLength;
        if (size > most) throw tooLarge(c, most);
        if (most > SMALL_BODY) releases.push(this.held.take(from, value.byteLength));
        parts.push(value);
      }
      return { bytes: Buffer.concat(parts, size), release };
    } catch (error) {
      release();
      void reader.cancel().catch(() => {});
      if (error instanceof Problem) throw error;
      throw late ? tooSlow(c) : new Problem(400, 'Cut off', 'The request ended before its body did.');
    } finally {
      clearTimeout(timer);
      finished();
    }
  }
}

function tooLarge(c: Context, most: number): Problem {
  c.header('connection', 'close');
  const size = most >= 1024 * 1024 ? `${most / 1024 / 1024} MiB` : `${most / 1024} KiB`;
  return new Problem(
    413,
    'Too large',
    `The request body is larger than ${size}, the most there may be here.`,
  );
}

function tooSlow(c: Context): Problem {
  c.header('connection', 'close');
  return new Problem(408, 'Too slow', 'The request body took too long to come in.');
}

/**
 * Reads and checks a small JSON body. Unknown members are refused, and every mistake is named at once.
 * @param options.optional an absent body is an empty object
 * @throws Problem 400, 408, 413, 422, 429
 */
export async function body<S extends Schema>(
  c: Context,
  schema: S,
  options: { optional?: boolean } = {},
): Promise<InferType<S>> {
  const { bytes } = await c.get('intake').read(c, c.get('address'), SMALL_BODY);
  return check(schema, bytes.byteLength === 0 && options.optional ? {} : parsed(bytes));
}

/** @returns the JSON of some bytes. @throws Problem 400 where they are no JSON in UTF-8 (RFC 8259) */
export function parsed(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes));
  } catch {
    throw new Problem(400, 'Not JSON', 'The request body is not valid JSON in UTF-8.');
  }
}

/** Checks data of any origin against a schema. @throws Problem 422 naming every mistake, up to twenty of them */
export function check<S extends Schema>(schema: S, data: unknown): InferType<S> {
  const unfit = unkeepable(data);
  if (unfit) throw new Problem(422, 'Not understood', unfit);
  try {
    return schema.validateSync(data, { abortEarly: false, strict: true });
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    const mistakes = error.inner.length ? error.inner : [error];
    const told = mistakes.slice(0, MOST_MISTAKES);
    const more = mistakes.length - told.length;
    throw new Problem(
      422,
      'Not understood',
      told.map(({ message }) => message).join('; ') + (more ? `; and ${more} more` : ''),
      { errors: told.map(({ path, message }) => ({ path, message })) },
    );
  }
}

/**
 * What of some data can be neither stored nor sent on: characters that are none (U+0000, lone
 * surrogates), numbers that are no numbers, nesting without end.
 * @returns it in words, or undefined
 */
export function unkeepable(data: unknown): string | undefined {
  const stack: [unknown, number][] = [[data, 0]];
  for (let next = stack.pop(); next; next = stack.pop()) {
    const [value, depth] = next;
    if (typeof value === 'string') {
      const wrong = unfitText(value);
      if (wrong) return wrong;
    } else if (typeof value === 'number') {
      if (!Number.isFinite(value)) return 'A number is too large to be one.';
    } else if (typeof value === 'object' && value !== null) {
      if (depth >= DEEPEST) return `Something is nested more than ${DEEPEST} deep.`;
      if (Array.isArray(value)) for (const each of value) stack.push([each, depth + 1]);
      else
        for (const key of Object.keys(value)) {
          const wrong = unfitText(key);
          if (wrong) return wrong;
          stack.push([(value as Record<string, unknown>)[key], depth + 1]);
        }
    }
  }
  return undefined;
}

function unfitText(text: string): string | undefined {
  if (text.includes('\u0000')) return 'A text has the character U+0000 in it, which cannot be stored.';
  if (/\p{Surrogate}/u.test(text))
    return 'A text has half of a character (a lone surrogate) in it, which cannot be stored.';
  return undefined;
}

/** @returns a whole number from a path segment that a column can hold. @throws Problem 404 */
export function numberIn(text: string | undefined): number {
  if (!/^\d{1,9}$/.test(text ?? ''))
    throw new Problem(404, 'Not found', 'This part of the address is no number.');
  return Number(text);
}

import type { Context } from 'hono';
import { ValidationError, type InferType, type Schema } from 'yup';
import { Problem } from './problem.ts';

/** The largest request body read: a draft of many documents. */
export const LARGEST_BODY = 32 * 1024 * 1024;

/**
 * Reads and checks a JSON body. Unknown members are refused, and every mistake is named at once.
 * @param options.optional an absent body is an empty object
 * @throws Problem 400 or 422
 */
export async function body<S extends Schema>(
  c: Context,
  schema: S,
  options: { optional?: boolean } = {},
): Promise<InferType<S>> {
  let data: unknown;
  try {
    const text = await c.req.text();
    data = JSON.parse(text === '' && options.optional ? '{}' : text);
  } catch {
    throw new Problem(400, 'Not JSON', 'The request body is not valid JSON.');
  }
  return check(schema, data);
}

/** Checks data of any origin against a schema. @throws Problem 422 naming every mistake */
export function check<S extends Schema>(schema: S, data: unknown): InferType<S> {
  try {
    return schema.validateSync(data, { abortEarly: false, strict: true });
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    throw new Problem(422, 'Not understood', error.errors.join('; '), {
      errors: error.inner.map(({ path, message }) => ({ path, message })),
    });
  }
}

/** @returns a whole number from a path segment. @throws Problem 404 */
export function numberIn(text: string | undefined): number {
  const value = /^\d{1,9}$/.test(text ?? '') ? Number(text) : NaN;
  if (Number.isNaN(value)) throw new Problem(404, 'Not found', `\`${text}\` is no number.`);
  return value;
}

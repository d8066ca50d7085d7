/** What became of many messages, as files other programs read. */
import type { BatchRow } from '../analysis/trace/batch.ts';

/** A field of a CSV record (RFC 4180 §2); one that a spreadsheet would run as a formula is kept a text. */
export function csvField(value: unknown): string {
  const text =
    value === undefined || value === null
      ? ''
      : typeof value === 'object'
        ? JSON.stringify(value)
        : String(value);
  const safe = typeof value === 'string' && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

export const csvLine = (fields: readonly unknown[]): string => `${fields.map(csvField).join(',')}\r\n`;

/** @returns one record for each message: its type, key and headers, its stores with copies, its other ends */
export function* batchCsv(rows: readonly BatchRow[]): Generator<string> {
  yield csvLine(['number', 'type', 'key', 'headers', 'copies', 'stores', 'ends', 'latency ms']);
  for (const [i, { message, result }] of rows.entries()) {
    yield csvLine([
      i + 1,
      message.type,
      message.key,
      message.headers,
      result.copies,
      result.rests.map(({ store, copies }) => (copies === 1 ? store : `${store} ×${copies}`)).join('; '),
      result.ends.map(({ outcome, at, why }) => `${outcome} at ${at}: ${why}`).join('; '),
      result.latency,
    ]);
  }
}

/** @returns one line of JSON for each message: the message and what became of it */
export function* batchNdjson(rows: readonly BatchRow[]): Generator<string> {
  for (const [i, { message, result }] of rows.entries())
    yield `${JSON.stringify({ number: i + 1, message, ...result })}\n`;
}

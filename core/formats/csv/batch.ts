/** What became of many messages, as files other programs read. */
import Papa from 'papaparse';
import type { BatchRow } from '../../analysis/trace/batch.ts';

/** @returns one CSV record (RFC 4180 §2); a text that a spreadsheet would run as a formula is kept a text */
export const csvLine = (fields: readonly unknown[]): string =>
  `${Papa.unparse([fields.map(csvField)], { escapeFormulae: true, newline: '\r\n' })}\r\n`;

const csvField = (value: unknown): unknown =>
  typeof value === 'object' && value !== null ? JSON.stringify(value) : value;

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

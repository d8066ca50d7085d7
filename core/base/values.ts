/** Durations, sizes and rates: the units of the language, read exactly and written back plainly. */

const DURATION_UNITS = { ms: 1, s: 1000, m: 60_000, h: 3_600_000, d: 86_400_000 } as const;
const SHORT = /^(\d+(?:\.\d+)?)(ms|s|m|h|d)$/;
const ISO =
  /^P(?:(\d+(?:\.\d+)?)W)?(?:(\d+(?:\.\d+)?)D)?(?:T(?:(\d+(?:\.\d+)?)H)?(?:(\d+(?:\.\d+)?)M)?(?:(\d+(?:\.\d+)?)S)?)?$/;

/**
 * Reads a duration: `250ms 30s 10m 2h 7d`, or ISO 8601 without years and months, whose length varies (`PT10M`).
 * @returns milliseconds, or undefined when the text is no duration.
 */
export function parseDuration(text: string): number | undefined {
  const short = SHORT.exec(text);
  if (short) {
    return Math.round(Number(short[1]) * DURATION_UNITS[short[2] as keyof typeof DURATION_UNITS]);
  }
  const iso = ISO.exec(text);
  if (!iso || text === 'P' || text.endsWith('T')) return undefined;
  const [, weeks, days, hours, minutes, seconds] = iso.map((part) => Number(part ?? 0));
  return Math.round(
    (weeks! * 7 + days!) * DURATION_UNITS.d + hours! * 3_600_000 + minutes! * 60_000 + seconds! * 1000,
  );
}

/** @returns milliseconds as the shortest exact form, `90000` → `90s`. */
export function formatDuration(ms: number): string {
  for (const unit of ['d', 'h', 'm', 's'] as const) {
    if (ms !== 0 && ms % DURATION_UNITS[unit] === 0) return `${ms / DURATION_UNITS[unit]}${unit}`;
  }
  return `${ms}ms`;
}

const SIZE = /^(\d+(?:\.\d+)?)\s*(B|KiB|MiB|GiB|kB|MB|GB)?$/;
const SIZE_UNITS: Record<string, number> = {
  B: 1,
  KiB: 1024,
  MiB: 1024 ** 2,
  GiB: 1024 ** 3,
  kB: 1000,
  MB: 1000 ** 2,
  GB: 1000 ** 3,
};

/** Reads a size: `800`, `64KiB`, `1MiB`. @returns bytes, or undefined when the text is no size. */
export function parseSize(text: string): number | undefined {
  const match = SIZE.exec(text);
  if (!match) return undefined;
  // in whole numbers: 8.2 times a million is not quite 8,200,000 otherwise
  const [whole, fraction = ''] = match[1]!.split('.');
  const scale = 10n ** BigInt(fraction.length);
  const scaled = BigInt(whole + fraction) * BigInt(SIZE_UNITS[match[2] ?? 'B']!);
  const bytes = scaled % scale === 0n ? Number(scaled / scale) : undefined;
  return bytes !== undefined && Number.isSafeInteger(bytes) ? bytes : undefined;
}

const RATE = /^(\d+(?:\.\d+)?)\s*\/\s*(s|min|h)$/;

/** Reads a rate: `40/s`, `10/min`, `5/h`. @returns messages a second, or undefined. */
export function parseRate(text: string): number | undefined {
  const match = RATE.exec(text);
  if (!match) return undefined;
  return Number(match[1]) / { s: 1, min: 60, h: 3600 }[match[2] as 's' | 'min' | 'h'];
}

/** @returns the length of a name in UTF-8 bytes, the unit AMQP 0-9-1 short strings are limited in (§4.2.5.3). */
export function byteLength(text: string): number {
  let bytes = 0;
  for (const char of text) {
    const code = char.codePointAt(0)!;
    bytes += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4;
  }
  return bytes;
}

/** @returns a value as JSON writes it, with integers that a double cannot hold as they are; `nothing` for none */
export const textOf = (value: unknown): string =>
  typeof value === 'bigint'
    ? `${value}`
    : (JSON.stringify(value, (_, each: unknown) => (typeof each === 'bigint' ? `${each}` : each)) ??
      'nothing');

/** @returns a regular expression, as text, that matches a text and no other */
export const literally = (text: string): string => text.replace(/[.\\^$|?*+()[\]{}]/g, '\\$&');

/** Gives a record a field, whatever it is called: a plain assignment to `__proto__` would do something else. */
export function put(record: Record<string, unknown>, name: string, value: unknown): void {
  if (name !== '__proto__') record[name] = value;
  else Object.defineProperty(record, name, { value, enumerable: true, configurable: true, writable: true });
}

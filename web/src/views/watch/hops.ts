/** Where a message really passed, beside where the trace says that one like it does. */
import type { Passed } from '../../api.ts';
import type { Message } from '@vondle/core/conditions';

export interface HopRow {
  /** The topology's id of the place. */
  readonly place: string;
  /** Copies that were seen there, the first first. */
  readonly seen: readonly Passed[];
  /** Whether the trace says that it passes there; undefined where it was not traced. */
  readonly predicted: boolean | undefined;
  /** After how many milliseconds of the first copy that was seen anywhere. */
  readonly after: number | undefined;
}

/**
 * @param copies all that were kept of one message
 * @param taps the places that are listened to
 * @param lit copies at each node by the trace; undefined where it was not traced
 * @returns the places that are listened to at which it was seen, or should have been: as they were passed, then those at which it was not
 */
export function hopRows(
  copies: readonly Passed[],
  taps: readonly string[],
  lit: Readonly<Record<string, number>> | undefined,
): HopRow[] {
  const first = Math.min(...copies.map(({ at }) => Date.parse(at)));
  const places = [...new Set([...copies.map(({ place }) => place), ...taps])];
  return places
    .map((place): HopRow => {
      const seen = copies
        .filter((each) => each.place === place)
        .sort((a, b) => Date.parse(a.at) - Date.parse(b.at));
      return {
        place,
        seen,
        predicted: lit && (lit[place] ?? 0) > 0,
        after: seen[0] && Date.parse(seen[0].at) - first,
      };
    })
    .filter(({ seen, predicted }) => seen.length > 0 || predicted)
    .sort((a, b) => (a.after ?? Infinity) - (b.after ?? Infinity) || (a.place < b.place ? -1 : 1));
}

/** @returns a message as far as its copies tell it, of its declared type */
export function messageOf(copies: readonly Passed[]): Message | undefined {
  const type = copies.find((each) => each.type !== null)?.type;
  if (!type) return undefined;
  const told = copies.find(({ headers }) => headers !== null);
  const one = copies.find(({ key }) => key !== '') ?? copies[0]!;
  const { correlationId } = one;
  return {
    type,
    key: one.key,
    headers: told?.headers ?? {},
    properties: correlationId === null ? {} : { correlationId },
    ...(told?.body ? { body: bodyOf(told.body) } : {}),
  };
}

/** @returns a payload as JSON has it, or as the text it is */
export function bodyOf(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}

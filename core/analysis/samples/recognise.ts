/** Which declared type a real message is of, or what keeps it from being one. */
import type { Message } from '../../conditions/message.ts';
import type { MessageType } from '../../topology/messages.ts';
import { remarksOn } from './given.ts';

export interface Recognised {
  readonly type: string;
  /** What is not as the type says; nothing where it is one of it. */
  readonly remarks: readonly string[];
  /** Labels of what it carries. */
  readonly labels: readonly string[];
}

/** So many remarks are told of a type. */
const MOST_REMARKS = 8;

/**
 * Of two types that fit alike the one that asks for more is told first: one that asks for nothing fits everything.
 * @param mayBe those that may be where it was found, which come first in doubt
 * @param keyed whether messages have keys there
 * @returns the types it is of, the most particular first; where it is of none, the nearest few with what keeps it from them
 */
export function recognise(
  types: readonly MessageType[],
  message: Message,
  mayBe: ReadonlySet<string> = new Set(),
  keyed = true,
): Recognised[] {
  const asked = ({ required, headers, properties, key, body }: MessageType) =>
    2 * required.size + headers.size + properties.size + (key ? 3 : 0) + (body ? 3 : 0);
  /** Names the type declares and the message has: by these a type is near. */
  const shared = ({ headers, properties }: MessageType) =>
    [...headers.keys()].filter((name) => Object.hasOwn(message.headers, name)).length +
    [...properties.keys()].filter((name) => Object.hasOwn(message.properties, name)).length;
  const all = types.map((type) => {
    const { key: _key, ...keyless } = type;
    return { type, remarks: remarksOn(keyed ? type : keyless, message) };
  });
  const here = ({ id }: MessageType) => Number(mayBe.has(id));
  const told = ({ type, remarks }: (typeof all)[number]): Recognised => ({
    type: type.id,
    remarks: remarks.slice(0, MOST_REMARKS),
    labels: [...type.labels],
  });
  const fitting = all.filter(({ remarks }) => remarks.length === 0);
  if (fitting.length)
    return fitting
      .sort(
        (a, b) =>
          asked(b.type) - asked(a.type) || here(b.type) - here(a.type) || (a.type.id < b.type.id ? -1 : 1),
      )
      .map(told);
  return all
    .sort(
      (a, b) =>
        here(b.type) - here(a.type) ||
        shared(b.type) - b.remarks.length - (shared(a.type) - a.remarks.length) ||
        (a.type.id < b.type.id ? -1 : 1),
    )
    .slice(0, 3)
    .map(told);
}

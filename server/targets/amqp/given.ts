/** What a queue has of what was given back to it, told by the messages themselves where counts cannot tell. */
import { createHash } from 'node:crypto';
import type { ConsumeMessage, GetMessage, Options } from 'amqplib';
import { propertiesOf } from './carry.ts';

/**
 * @param properties as it is published
 * @returns what tells a message from all that say something else
 */
export function signOf(
  message: Pick<ConsumeMessage | GetMessage, 'fields' | 'content' | 'properties'>,
  properties: Options.Publish = propertiesOf(message),
): string {
  const { headers, ...others } = properties;
  const own = JSON.stringify([message.fields.routingKey, others, headers ?? {}]);
  return createHash('sha256').update(own).update('\0').update(message.content).digest('base64');
}

/**
 * @param had those of ours that wait in the queue, the oldest first, by their signs
 * @param doubtful those that it may have been given, the oldest first
 * @param before some that it was given before them
 * @returns how many of the first of the doubtful ones it was given for certain. Takers take the oldest, so the last of
 *   ours that waits is the last that came. Where others say the same it cannot be told apart, and none counts.
 */
export function givenOf(
  had: readonly string[],
  doubtful: readonly string[],
  before: ReadonlySet<string>,
): number {
  const last = had.at(-1);
  if (last === undefined || before.has(last)) return 0;
  const at = doubtful.indexOf(last);
  if (at < 0 || doubtful.includes(last, at + 1)) return 0;
  // those before it are before it in the queue, too
  const those = had.slice(Math.max(0, had.length - at - 1));
  const fit = doubtful.slice(at + 1 - those.length, at + 1);
  return those.every((sign, i) => sign === fit[i]) ? at + 1 : 0;
}

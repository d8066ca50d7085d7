/** MQTT 5 topic names and filters (§4.7) as keys and predicates over keys: `/` is `.` there. */
import { topicKey } from './amqp.ts';
import type { Predicate } from './predicate.ts';
import { VERY_STAR } from './words.ts';

export type MqttFilter =
  | {
      readonly ok: true;
      readonly predicate: Predicate;
      /** The binding key that stands for it on a topic exchange; where it asks for `*` itself, one that lets more through. */
      readonly key: string;
      /** The group that shares one copy of each message (§4.8.2); without one every session gets its own. */
      readonly share?: string;
    }
  | { readonly ok: false; readonly message: string };

/**
 * Reads a topic filter: `+` is one level, `#` the level before it and everything below, `$share/group/…`
 * shares. A filter that begins with a wildcard does not match topics that begin with `$` (§4.7.2).
 */
export function parseMqttFilter(text: string): MqttFilter {
  let filter = text;
  let share: string | undefined;
  if (text.startsWith('$share/')) {
    const [, name, ...rest] = text.split('/');
    if (!name || /[+#]/.test(name)) {
      return {
        ok: false,
        message: 'A shared filter is `$share/` and a name without wildcards, then `/` and the filter.',
      };
    }
    share = name;
    filter = rest.join('/');
  }
  if (filter === '')
    return { ok: false, message: 'A topic filter has at least one character (MQTT 5 §4.7.3).' };
  if (filter.includes('\u0000'))
    return { ok: false, message: 'A topic filter holds no null character (MQTT 5 §4.7.3).' };
  const levels = filter.split('/');
  for (const [index, level] of levels.entries()) {
    if (level.includes('#') && (level !== '#' || index !== levels.length - 1)) {
      return { ok: false, message: '`#` stands alone in the last level (MQTT 5 §4.7.1.2).' };
    }
    if (level.includes('+') && level !== '+') {
      return { ok: false, message: '`+` stands alone in its level (MQTT 5 §4.7.1.3).' };
    }
  }
  const key = levels.map((level) => (level === '+' ? '*' : level)).join('.');
  // `*` is a wildcard of keys, and a level like any other here
  const words: Predicate = levels.includes('*')
    ? {
        op: 'words',
        of: { in: 'key' },
        pattern: levels.map((level) => (level === '+' ? '*' : level === '*' ? VERY_STAR : level)),
        text: filter,
      }
    : topicKey(key);
  const of: Predicate[] = /^[+#]/.test(filter)
    ? [words, { op: 'not', of: { op: 'prefix', of: { in: 'key' }, value: '$' } }]
    : [words];
  const predicate: Predicate = of.length > 1 || levels.includes('*') ? { op: 'all', of } : words;
  return { ok: true, predicate, key, ...(share === undefined ? {} : { share }) };
}

/**
 * @param topic with `/` between its levels
 * @returns why nothing can be published to a topic name (§4.7.1, §4.7.3); undefined where it can
 */
export function unpublishable(topic: string): string | undefined {
  if (topic === '') return 'an MQTT topic has at least one character (MQTT 5 §4.7.3)';
  const wild = /[+#]/.exec(topic)?.[0];
  if (wild)
    return `an MQTT topic that is published to has no wildcard, and this one has \`${wild}\` (MQTT 5 §4.7.1)`;
  return topic.includes('\u0000') ? 'an MQTT topic holds no null character (MQTT 5 §4.7.3)' : undefined;
}

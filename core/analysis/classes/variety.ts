/** Messages of a declared type as they come to places of the graph: their domains, and the words of their keys. */
import { SET_UNDECLARED } from '../../conditions/cells.ts';
import type { Attribute, Predicate } from '../../conditions/predicate.ts';
import type { WordToken } from '../../conditions/word-sets.ts';
import { wordsOf } from '../../conditions/words.ts';
import { remembered } from '../../incremental/memory.ts';
import type { MessageType } from '../../topology/messages.ts';

/** Messages of a type as they come to a place in the graph. */
export interface Arrival {
  readonly type: MessageType;
  /** The template of their keys as they are there; undefined where the type leaves the key open. */
  readonly key: string | undefined;
  /** Inside a topic's envelope. */
  readonly wrapped: boolean;
}

/** More combinations than this are not tried. */
const MOST = 4096;

/** @returns the domain that a type declares for an attribute; 'open' where it may be anything, undefined where it is never there. */
export function domainAt(
  { type, wrapped }: Arrival,
  attribute: Exclude<Attribute, { in: 'key' }>,
): { readonly schema: Readonly<Record<string, unknown>>; readonly optional: boolean } | 'open' | undefined {
  const { name } = attribute;
  const property = attribute.in === 'header' ? undefined : type.properties.get(name);
  const header = attribute.in === 'property' || wrapped ? undefined : type.headers.get(name);
  const found = property ?? header;
  if (found && (!wrapped || name === 'subject'))
    return { schema: found.schema, optional: !type.required.has(name) && !('const' in found.schema) };
  if (attribute.in !== 'header' && SET_UNDECLARED.has(name)) return 'open';
  return undefined;
}

const PLACEHOLDER = /\{([^{}]*?)(\.\.\.)?\}/g;

/** The words that an arrival's keys are made of; undefined where its type leaves them open. */
export const keyWords = (arrival: Arrival): readonly WordToken[] | undefined => wordsIn(arrival).words;

const wordsIn = remembered((arrival: Arrival) => ({ words: readWords(arrival) }));

function readWords({ type, key }: Arrival): readonly WordToken[] | undefined {
  if (key === undefined) return undefined;
  if (!key.includes('{')) return wordsOf(key).map((word) => ({ one: [word] }));
  const tokens: WordToken[] = [];
  for (const part of key.split(/\.(?![^{]*\})/)) {
    const whole = /^\{([^{}]*?)(\.\.\.)?\}$/.exec(part);
    if (!whole) {
      if (part.includes('{')) {
        const texts = fillings(type, part);
        if (texts?.some((text) => text.includes('.'))) return undefined;
        tokens.push(texts ? { one: texts } : { any: 'one' });
      } else tokens.push({ one: [part] });
      continue;
    }
    if (whole[2]) {
      tokens.push({ any: 'many' });
      continue;
    }
    const values = finite(type, whole[1]!);
    if (values?.some((value) => value.includes('.'))) return undefined;
    tokens.push(values ? { one: values } : { any: 'one' });
  }
  return tokens;
}

/**
 * @returns whether some of an arrival's keys may be empty: they are made of nothing but values, of which one is an
 *   empty text. Such a key has no words at all, where its template has one.
 */
export const mayBeEmpty = (arrival: Arrival): boolean => emptyIn(arrival).may;

const emptyIn = remembered(({ type, key }: Arrival) => ({
  may:
    key !== undefined &&
    key !== '' &&
    key.replace(PLACEHOLDER, '') === '' &&
    [...key.matchAll(PLACEHOLDER)].every(([, name, many]) => {
      const values = many ? undefined : finite(type, name!);
      return values === undefined || values.includes('');
    }),
}));

/** The texts of a header's values, where they are few. */
function finite(type: MessageType, header: string): string[] | undefined {
  const schema = type.headers.get(header)?.schema;
  if (!schema) return undefined;
  if ('const' in schema) return [String(schema['const'])];
  if (Array.isArray(schema['enum'])) return schema['enum'].map(String);
  return schema['type'] === 'boolean' ? ['false', 'true'] : undefined;
}

function fillings(type: MessageType, part: string): string[] | undefined {
  let texts = [''];
  let at = 0;
  for (const match of part.matchAll(PLACEHOLDER)) {
    const values = match[2] ? undefined : finite(type, match[1]!);
    if (!values || texts.length * values.length > MOST) return undefined;
    const before = part.slice(at, match.index);
    texts = texts.flatMap((text) => values.map((value) => text + before + value));
    at = match.index + match[0].length;
  }
  return texts.map((text) => text + part.slice(at));
}

/** @returns the key, or the words of the pattern, that a condition asks for, where it asks for nothing else. */
export function keyPattern(condition: Predicate): readonly string[] | string | undefined {
  if (condition.op === 'words' && condition.of.in === 'key') return condition.pattern;
  if (condition.op === 'equals' && condition.of.in === 'key' && typeof condition.value === 'string')
    return condition.value;
  return undefined;
}

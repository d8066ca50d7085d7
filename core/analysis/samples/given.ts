/** Messages as somebody wrote them: nothing is made up for them, and what is not of their type is remarked on. */
import { brokenIn } from '../checks/loss/linear-schema.ts';
import { textOf } from '../../base/values.ts';
import type { Message } from '../../conditions/message.ts';
import { isWord, wordsOf } from '../../conditions/words.ts';
import type { MessageType } from '../../topology/messages.ts';

const PLACEHOLDER = /\{([^{}]*?)(\.\.\.)?\}/g;

/**
 * @returns a message of a type as it was given, with what the type gives every message of it: its constants, and
 *   the key that its headers make. `missing` are the headers that the key asks for and nobody gave; the key then
 *   has their placeholders in it.
 */
export function asGiven(
  type: MessageType,
  given: Partial<Message>,
): { readonly message: Message; readonly missing: readonly string[] } {
  const withConstants = (
    own: Readonly<Record<string, unknown>> | undefined,
    domains: MessageType['headers'],
  ) =>
    // Object.fromEntries, so that a header named __proto__ is one like any other
    Object.fromEntries([
      ...Object.entries(own ?? {}),
      ...[...domains].flatMap(([name, { schema }]) =>
        'const' in schema && !Object.hasOwn(own ?? {}, name) ? [[name, schema['const']] as const] : [],
      ),
    ]);
  const headers = withConstants(given.headers, type.headers);
  const properties = withConstants(given.properties, type.properties);
  const missing: string[] = [];
  const key =
    given.key ??
    (type.key?.value ?? '').replace(PLACEHOLDER, (whole, name: string) => {
      if (Object.hasOwn(headers, name)) return String(headers[name]);
      missing.push(name);
      return whole;
    });
  return {
    message: {
      type: type.id,
      key,
      headers,
      properties,
      ...(given.body === undefined ? {} : { body: given.body }),
    },
    missing,
  };
}

/** @returns what in a message is not as its type says, a phrase each; nothing where it is one of its type */
export function remarksOn(type: MessageType, message: Message): string[] {
  const found: string[] = [];
  for (const name of type.required)
    if (!Object.hasOwn(message.headers, name) && !Object.hasOwn(message.properties, name))
      found.push(`\`${name}\` is missing, which every ${type.id} has`);
  for (const part of ['headers', 'properties'] as const)
    for (const [name, value] of Object.entries(message[part])) {
      const domain = type[part].get(name);
      const wrong = domain && brokenIn(domain.schema, value);
      if (wrong) found.push(`\`${name}\` is ${textOf(value)}: ${wrong}`);
    }
  const wrong = type.body && message.body !== undefined ? brokenIn(type.body.value, message.body) : undefined;
  if (wrong) found.push(`the body: ${wrong}`);
  if (type.key && !keyFits(type.key.value, message))
    found.push(`the key \`${message.key}\` does not fit \`${type.key.value}\``);
  return found;
}

/** Whether a key is one that a template makes with a message's own headers; levels of MQTT topics are words. */
function keyFits(template: string, { key, headers }: Message): boolean {
  const written = wordsOf(key.replaceAll('/', '.'));
  // how far into the key each way of reading the template so far has come
  let at = new Set([0]);
  for (const part of template.replaceAll('/', '.').split(/\.(?![^{]*\})/)) {
    const next = new Set<number>();
    const whole = /^\{([^{}]*?)(\.\.\.)?\}$/.exec(part);
    for (const i of at) {
      if (whole && !Object.hasOwn(headers, whole[1]!)) {
        if (whole[2]) for (let j = i; j <= written.length; j++) next.add(j);
        else if (i < written.length) next.add(i + 1);
        continue;
      }
      const filled = part.replace(PLACEHOLDER, (it, name: string) =>
        Object.hasOwn(headers, name) ? String(headers[name]) : it,
      );
      const words = filled === '' && template === '' ? [] : filled.split('.');
      if (words.every((word, j) => written[i + j] !== undefined && wordFits(word, written[i + j]!)))
        next.add(i + words.length);
    }
    at = next;
  }
  return at.has(written.length);
}

/** Whether a word is one of a template that may have placeholders within it. */
function wordFits(wanted: string, word: string): boolean {
  if (!wanted.includes('{')) return isWord(wanted, word);
  const [first = '', ...rest] = wanted.split(/\{[^{}]*\}/);
  if (!word.startsWith(first)) return false;
  let at = first.length;
  for (const [i, fixed] of rest.entries()) {
    const found = i === rest.length - 1 ? word.length - fixed.length : word.indexOf(fixed, at);
    if (found < at || !word.startsWith(fixed, found)) return false;
    at = found + fixed.length;
  }
  return at === word.length;
}

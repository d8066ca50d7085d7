/** Values as YAML text, as a person would write them. */
import { typedScalar } from './scalars.ts';

export type Json = string | number | boolean | null | readonly Json[] | { readonly [key: string]: Json };

/** Lines longer than this are written as blocks. */
const WIDEST = 110;

/** A plain scalar must not begin like something else, nor hold what ends it, in block and flow alike. */
const PLAIN = /^[^\s\-?:,[\]{}#&*!|>'"%@`][^,[\]{}\n\r\t]*$|^-[^\s,[\]{}][^,[\]{}\n\r\t]*$/u;

/** @returns a text as a scalar: plain where that reads back as the same text, else in double quotes. */
export function plainOrQuoted(text: string): string {
  const plain =
    PLAIN.test(text) &&
    !/: |:$| #|\s$|\$\{/.test(text) &&
    !/^(---|\.\.\.)/.test(text) &&
    typeof typedScalar(text) === 'string' &&
    !/[\p{Cc}\p{Cs}\u2028\u2029\ufeff]/u.test(text);
  return plain ? text : JSON.stringify(text);
}

/** @returns a value on one line, in flow style: `{ from: sailings, key: "#" }`. */
export function renderFlow(value: Json): string {
  if (typeof value === 'string') return plainOrQuoted(value);
  if (typeof value !== 'object' || value === null) return String(value);
  if (Array.isArray(value)) return `[${value.map(renderFlow).join(', ')}]`;
  const entries = Object.entries(value);
  if (entries.length === 0) return '{}';
  return `{ ${entries.map(([key, inner]) => `${plainOrQuoted(key)}: ${renderFlow(inner)}`).join(', ')} }`;
}

/**
 * @param indent the column of the key the value belongs to
 * @returns a value as it follows `key:`, with the space or line break before it; one line where it fits
 */
export function renderAfterKey(value: Json, indent: number, keyLength: number): string {
  const flow = renderFlow(value);
  if (typeof value !== 'object' || value === null || indent + keyLength + flow.length + 2 <= WIDEST)
    return ` ${flow}`;
  const inner = ' '.repeat(indent + 2);
  if (Array.isArray(value)) return value.map((item: Json) => `\n${inner}- ${renderFlow(item)}`).join('');
  return Object.entries(value)
    .map(([key, each]) => {
      const name = plainOrQuoted(key);
      return `\n${inner}${name}:${renderAfterKey(each, indent + 2, name.length)}`;
    })
    .join('');
}

/** @returns a text that stands for itself where `${name}` would be replaced by a parameter */
export const literalText = (text: string): string => text.replace(/\$\{[^}]*\}/g, (braces) => `$${braces}`);

/** @returns data whose texts all stand for themselves; names are never replaced by parameters */
export function literal(value: Json): Json {
  if (typeof value === 'string') return literalText(value);
  if (typeof value !== 'object' || value === null) return value;
  if (Array.isArray(value)) return value.map((each: Json) => literal(each));
  return Object.fromEntries(Object.entries(value).map(([key, each]) => [key, literal(each as Json)]));
}

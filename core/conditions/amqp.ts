/** The conditions of AMQP 0-9-1 bindings (§3.1.3) as predicates. */
import type { Constant, Predicate } from './predicate.ts';
import { wordsOf } from './words.ts';

const KEY = { in: 'key' } as const;

/** @returns a direct exchange's condition: the routing key equals the binding key (§3.1.3.1). */
export function directKey(key: string): Predicate {
  return { op: 'equals', of: KEY, value: key };
}

/** @returns a topic exchange's condition (§3.1.3.3). */
export function topicKey(pattern: string): Predicate {
  return { op: 'words', of: KEY, pattern: wordsOf(pattern), text: pattern };
}

/**
 * A headers exchange's condition (§3.1.3.4). Names that begin with `x-` are not compared; a null asks
 * only that the header is there; the rest must be equal in type and value. An empty `all` matches
 * everything, an empty `any` nothing.
 */
export function headersMatch(match: 'all' | 'any', values: ReadonlyMap<string, Constant>): Predicate {
  const of: Predicate[] = [];
  for (const [name, value] of values) {
    if (name.startsWith('x-')) continue;
    const header = { in: 'header', name } as const;
    of.push(value === null ? { op: 'present', of: header } : { op: 'equals', of: header, value });
  }
  return { op: match, of };
}

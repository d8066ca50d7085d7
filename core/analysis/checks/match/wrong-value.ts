import { check } from '../check.ts';
import { ofEachCondition } from '../conditions.ts';
import { type Arrival, domainAt } from '../../classes/variety.ts';
import { listed } from '../../../base/phrase.ts';
import { nearest } from '../../../base/similar.ts';
import { attributeName } from '../../../conditions/explain.ts';
import type { Attribute, Predicate, Term } from '../../../conditions/predicate.ts';
import { writing } from '../../../language/finding.ts';

/** One comparison of an attribute with a constant. */
interface Comparison {
  readonly of: Exclude<Attribute, { in: 'key' }>;
  readonly value: string | number | boolean;
  /** An order or a membership in text is asked for, which asks for a kind of value. */
  readonly needs?: 'number' | 'string';
}

/** A condition that compares a header or property with what it can never be. */
export const wrongValue = check({
  id: 'match/wrong-value',
  severity: 'warning',
  finds: 'A condition that compares a header or property with a value of another type, or one it never has.',
  why: 'Values compare by type and value: a number is never equal to a text that looks like it, and such a comparison never holds.',
  of: 'node',
  run: (node, context) =>
    ofEachCondition(node, context, (edge, arrivals) => {
      return comparisonsIn(edge.condition).flatMap(({ of, value, needs }) => {
        const trouble = troubleWith(arrivals, of, value, needs);
        if (!trouble) return [];
        const place = edge.subscription?.decl.filter?.place ?? edge.binding?.headers?.place ?? edge.place;
        const own = edge.binding?.headers?.values?.get(of.name)?.value;
        return [
          {
            message: `\`${of.name}\` is compared with ${JSON.stringify(value)}, but ${trouble.text}.`,
            place: own?.place ?? place,
            about: edge.subscription?.id ?? edge.to,
            also: [node.id, edge.to],
            mends:
              own && !own.from && trouble.instead !== undefined
                ? [writing(own.place, JSON.stringify(trouble.instead))]
                : [],
          },
        ];
      });
    }),
});

function troubleWith(
  arrivals: readonly Arrival[],
  of: Comparison['of'],
  value: Comparison['value'],
  needs: Comparison['needs'],
): { readonly text: string; readonly instead?: unknown } | undefined {
  const kinds = new Set<string>();
  const values = new Set<unknown>();
  let all = true;
  for (const arrival of arrivals) {
    const domain = domainAt(arrival, of);
    if (domain === undefined) continue;
    if (domain === 'open') return undefined;
    const { schema } = domain;
    const known: unknown[] | undefined =
      'const' in schema ? [schema['const']] : Array.isArray(schema['enum']) ? schema['enum'] : undefined;
    known?.forEach((each) => {
      values.add(each);
      kinds.add(typeof each);
    });
    if (known) continue;
    all = false;
    const type = schema['type'] === 'integer' ? 'number' : schema['type'];
    if (typeof type !== 'string') return undefined;
    kinds.add(type);
  }
  if (kinds.size === 0) return undefined;
  const wanted = needs ?? typeof value;
  if (!kinds.has(wanted)) {
    const instead = [...values].find((each) => String(each) === String(value)) ?? converted(value, kinds);
    return {
      text: `it is ${listed(
        [...kinds].map((kind) => KINDS[kind] ?? kind),
        4,
        'or',
      )}`,
      instead,
    };
  }
  if (!all || needs === 'number' || values.has(value)) return undefined;
  const hint = nearest(String(value), [...values].map(String));
  return {
    text: `it is only ever ${listed(
      [...values].map((each) => JSON.stringify(each)),
      6,
      'or',
    )}`,
    ...(hint === undefined ? {} : { instead: [...values].find((each) => String(each) === hint) }),
  };
}

const KINDS: Readonly<Record<string, string>> = {
  number: 'a number',
  string: 'a text',
  boolean: 'true or false',
};

function converted(value: unknown, kinds: ReadonlySet<string>): unknown {
  if (kinds.has('boolean') && (value === 'true' || value === 'false')) return value === 'true';
  if (
    kinds.has('number') &&
    typeof value === 'string' &&
    value.trim() !== '' &&
    Number.isFinite(Number(value))
  )
    return Number(value);
  return kinds.has('string') ? String(value) : undefined;
}

function comparisonsIn(condition: Predicate): Comparison[] {
  const found: Comparison[] = [];
  const note = (of: Attribute, value: unknown, needs?: Comparison['needs']) => {
    if (of.in === 'key' || !['string', 'number', 'boolean'].includes(typeof value)) return;
    found.push({ of, value: value as Comparison['value'], ...(needs ? { needs } : {}) });
  };
  const constant = (term: Term) => (term.is === 'number' || term.is === 'constant' ? term.value : undefined);
  const walk = (p: Predicate): void => {
    if (p.op === 'all' || p.op === 'any') return p.of.forEach(walk);
    if (p.op === 'not') return walk(p.of);
    if (p.op === 'equals') return note(p.of, p.value);
    if (p.op === 'in') return p.values.forEach((value) => note(p.of, value));
    if (p.op === 'prefix' || p.op === 'suffix') return undefined;
    if (p.op !== 'compare') return undefined;
    const ordered = p.relation !== '=' && p.relation !== '<>' ? 'number' : undefined;
    const [left, right] = [constant(p.left), constant(p.right)];
    if (p.left.is === 'attribute' && right !== undefined) note(p.left.of, right, ordered);
    if (p.right.is === 'attribute' && left !== undefined) note(p.right.of, left, ordered);
    return undefined;
  };
  walk(condition);
  return found.filter(({ of }) => attributeName(of) !== '');
}

import { textOf } from '../base/values.ts';
import { evaluate } from './evaluate.ts';
import type { Message } from './message.ts';
import {
  type Attribute,
  type Predicate,
  type Term,
  type Truth,
  attributeValue,
  stepsOf,
} from './predicate.ts';
import { wordsMisfit, wordsOf } from './words.ts';
import type { Place } from '../syntax/place.ts';

/** Why a condition came out as it did, down to the operands that decided. */
export interface Reason {
  readonly truth: Truth;
  /** A phrase: ``\`delayMinutes >= 15\` is false: 5``. */
  readonly text: string;
  readonly place?: Place;
  /** The smallest conditions inside it that decided; empty for a leaf. */
  readonly because: readonly Reason[];
  /** What the message has at the attributes that decided; a value that is missing is undefined. */
  readonly operands: readonly { readonly of: Attribute; readonly value: unknown }[];
}

/** @returns the reason for a condition's outcome on a message. */
export function explain(predicate: Predicate, message: Message): Reason {
  const truth = evaluate(predicate, message);
  const spot = predicate.place ? { place: predicate.place } : {};
  if (predicate.op === 'all' || predicate.op === 'any') {
    // one part that is false decides `all`, one that is true decides `any`; otherwise every part did
    const decisive = predicate.op === 'all' ? false : true;
    const parts = predicate.of.map((part) => explain(part, message));
    const because =
      truth === decisive
        ? [parts.find((part) => part.truth === decisive)!]
        : parts.filter((part) => part.truth === truth);
    if (because.length === 1) return { ...because[0]!, truth };
    const text = because.map((reason) => reason.text).join('; ') || show(predicate);
    return { truth, text, because, operands: because.flatMap((reason) => reason.operands), ...spot };
  }
  if (predicate.op === 'not') {
    const inner = explain(predicate.of, message);
    const because = inner.because.length ? inner.because : [inner];
    return { truth, text: inner.text, because, operands: inner.operands, ...spot };
  }
  const operands = operandsOf(predicate).map((of) => ({ of, value: attributeValue(of, message) }));
  return { truth, text: leafText(predicate, message, truth), because: [], operands, ...spot };
}

function leafText(predicate: Predicate, message: Message, truth: Truth): string {
  const verdict = truth === undefined ? 'unknown' : String(truth);
  switch (predicate.op) {
    case 'always':
      return 'admits everything';
    case 'never':
      return predicate.why ?? 'admits nothing';
    case 'words': {
      const key = attributeValue(predicate.of, message);
      if (typeof key !== 'string') return `there is no ${attributeName(predicate.of)}`;
      if (truth) return `\`${predicate.text}\` matches \`${key}\``;
      return `\`${predicate.text}\` does not match \`${key}\`: ${wordsMisfit(predicate.pattern, wordsOf(key))}`;
    }
    case 'compare':
    case 'between':
    case 'holds': {
      const operands = operandsOf(predicate);
      return `\`${show(predicate)}\` is ${verdict}: ${operands.map((of) => saw(of, message)).join(', ') || 'always'}`;
    }
    case 'all':
    case 'any':
    case 'not':
      return show(predicate);
    default:
      return `\`${show(predicate)}\` is ${verdict}: ${saw(predicate.of, message)}`;
  }
}

function saw(attribute: Attribute, message: Message): string {
  const value = attributeValue(attribute, message);
  const name = attributeName(attribute);
  return value === undefined ? `${name} is missing` : `${name} is ${textOf(value)}`;
}

/** @returns the attributes a condition reads, each once, in order of appearance. */
export function operandsOf(predicate: Predicate): Attribute[] {
  const found = new Map<string, Attribute>();
  const add = (attribute: Attribute) => {
    const id = `${attribute.in}:${attributeName(attribute)}`;
    if (!found.has(id)) found.set(id, attribute);
  };
  const term = (t: Term): void => {
    if (t.is === 'attribute') add(t.of);
    else if (t.is === 'negate') term(t.of);
    else if (t.is === 'arithmetic') {
      const { first, steps } = stepsOf(t);
      term(first);
      for (const { right } of steps) term(right);
    }
  };
  const walk = (p: Predicate): void => {
    switch (p.op) {
      case 'always':
      case 'never':
        return;
      case 'all':
      case 'any':
        return p.of.forEach(walk);
      case 'not':
        return walk(p.of);
      case 'compare':
        return [p.left, p.right].forEach(term);
      case 'between':
        return [p.term, p.low, p.high].forEach(term);
      case 'holds':
        return term(p.of);
      default:
        add(p.of);
    }
  };
  walk(predicate);
  return [...found.values()];
}

/** @returns an attribute's name as a person says it: `key`, or the name. */
export function attributeName(attribute: Attribute): string {
  return attribute.in === 'key' ? 'key' : attribute.name;
}

/** @returns a condition as one line of text. */
export function show(predicate: Predicate): string {
  switch (predicate.op) {
    case 'always':
      return 'everything';
    case 'never':
      return predicate.why ? `nothing: ${predicate.why}` : 'nothing';
    case 'all':
    case 'any':
      if (predicate.of.length === 1) return show(predicate.of[0]!);
      return predicate.of
        .map((part) => (part.op === 'all' || part.op === 'any' ? `(${show(part)})` : show(part)))
        .join(predicate.op === 'all' ? ' and ' : ' or ');
    case 'not':
      return `not (${show(predicate.of)})`;
    case 'compare':
      return `${showTerm(predicate.left)} ${predicate.relation} ${showTerm(predicate.right)}`;
    case 'between':
      return `${showTerm(predicate.term)} between ${showTerm(predicate.low)} and ${showTerm(predicate.high)}`;
    case 'in':
      return `${attributeName(predicate.of)} in (${predicate.values.map((value) => `'${value}'`).join(', ')})`;
    case 'like':
      return `${attributeName(predicate.of)} like '${predicate.text}'`;
    case 'null':
      return `${attributeName(predicate.of)} is null`;
    case 'holds':
      return showTerm(predicate.of);
    case 'equals':
      return `${attributeName(predicate.of)} = ${predicate.value === null ? 'null' : JSON.stringify(predicate.value)}`;
    case 'present':
      return `${attributeName(predicate.of)} is present`;
    case 'prefix':
      return `${attributeName(predicate.of)} begins ${predicate.value}`;
    case 'suffix':
      return `${attributeName(predicate.of)} ends ${predicate.value}`;
    case 'words':
      return predicate.text;
  }
}

function showTerm(term: Term): string {
  switch (term.is) {
    case 'attribute':
      return attributeName(term.of);
    case 'constant':
      return typeof term.value === 'string' ? `'${term.value}'` : String(term.value).toUpperCase();
    case 'number':
      return term.single ? `${term.value}f` : String(term.value);
    case 'negate':
      return `-${showTerm(term.of)}`;
    case 'arithmetic': {
      const { first, steps } = stepsOf(term);
      return `(${showTerm(first)}${steps.map(({ op, right }) => ` ${op} ${showTerm(right)}`).join('')})`;
    }
  }
}

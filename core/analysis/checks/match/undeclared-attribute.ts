import { check } from '../check.ts';
import { ofEachCondition } from '../conditions.ts';
import { verdictAt } from '../../classes/verdicts.ts';
import { type Arrival, domainAt } from '../../classes/variety.ts';
import { listed } from '../../../base/phrase.ts';
import { similarity } from '../../../base/similar.ts';
import { attributeName, operandsOf } from '../../../conditions/explain.ts';
import type { Attribute, Predicate, Term } from '../../../conditions/predicate.ts';
import { renameInSelector } from '../../../conditions/selector.ts';
import { addressOf } from '../../../language/thing.ts';
import { writeText } from '../../../syntax/edit/edit.ts';
import { together } from '../../../syntax/edit/proved.ts';
import { type Place, placeOf } from '../../../syntax/place.ts';
import { type Node, type ScalarNode, keyText } from '../../../syntax/tree.ts';
import type { Mend } from '../../../topology/topology.ts';

/** A condition on a header or property that no message coming to it declares. */
export const undeclaredAttribute = check({
  id: 'match/undeclared-attribute',
  severity: 'error',
  finds: 'A condition on a header or property that no message type which comes there declares.',
  why: 'Nobody sends what is asked for, so the condition never holds; or somebody does, and the message type should say so.',
  of: 'node',
  run: (node, context) =>
    ofEachCondition(node, context, (edge, arrivals) => {
      const missing = operandsOf(edge.condition).filter(
        (each): each is Exclude<Attribute, { in: 'key' }> =>
          each.in !== 'key' && arrivals.every((arrival) => domainAt(arrival, each) === undefined),
      );
      if (missing.length === 0) return [];
      const never = !arrivals.some((arrival) => verdictAt(edge, arrival).some);
      const declared = declaredIn(arrivals);
      const where = edge.subscription
        ? `Subscription ${edge.label}`
        : `The binding from ${addressOf(node.thing)} to ${addressOf(context.node(edge.to)!.thing)}`;
      const place = edge.subscription?.decl.filter?.place ?? edge.binding?.headers?.place ?? edge.place;
      return missing.map((attribute) => {
        const { name } = attribute;
        const kin = declared
          .filter(({ schema }) => suits(schema, edge.condition, attribute))
          .map((each) => each.name)
          .filter((each) => each !== name)
          .sort((a, b) => similarity(b, name) - similarity(a, name));
        const known = declared.length
          ? ` They have ${listed(
              declared.map((each) => each.name),
              6,
            )}.`
          : ' They declare none at all.';
        const types = listed([...new Set(arrivals.map(({ type }) => type.id))]);
        return {
          message: `${where} asks for \`${name}\`, which no message that comes here declares (${types}).${known}${never ? ' Nothing is ever admitted.' : ''}`,
          place,
          about: edge.subscription?.id ?? edge.to,
          also: [node.id, edge.to],
          severity: never ? ('error' as const) : ('warning' as const),
          mends: kin.slice(0, 4).map((other) => renaming(place, name, other)),
        };
      });
    }),
});

function declaredIn(arrivals: readonly Arrival[]) {
  const found = new Map<string, Readonly<Record<string, unknown>>>();
  for (const { type, wrapped } of arrivals) {
    if (!wrapped) for (const [name, { schema }] of type.headers) found.set(name, schema);
    for (const [name, { schema }] of type.properties)
      if (!wrapped || name === 'subject') found.set(name, schema);
  }
  return [...found].map(([name, schema]) => ({ name, schema }));
}

/** Whether an attribute may be meant by what a condition compares another with. */
function suits(schema: Readonly<Record<string, unknown>>, condition: Predicate, asked: Attribute): boolean {
  const kinds = comparedKinds(condition, attributeName(asked));
  const values: unknown[] =
    'const' in schema ? [schema['const']] : Array.isArray(schema['enum']) ? schema['enum'] : [];
  const kind = values.length
    ? typeof values[0]
    : schema['type'] === 'integer' || schema['type'] === 'number'
      ? 'number'
      : schema['type'];
  return kinds.size === 0 || (typeof kind === 'string' && kinds.has(kind));
}

/** The kinds of values (`number`, `string`, `boolean`) that a condition compares an attribute with. */
export function comparedKinds(condition: Predicate, name: string): Set<string> {
  const found = new Set<string>();
  const is = (term: Term) => term.is === 'attribute' && attributeName(term.of) === name;
  const kindOf = (term: Term) => {
    if (term.is === 'number') found.add('number');
    if (term.is === 'constant') found.add(typeof term.value);
  };
  const walk = (p: Predicate): void => {
    if (p.op === 'all' || p.op === 'any') p.of.forEach(walk);
    else if (p.op === 'not') walk(p.of);
    else if (p.op === 'compare') {
      if (is(p.left)) kindOf(p.right);
      if (is(p.right)) kindOf(p.left);
      if (p.relation !== '=' && p.relation !== '<>' && (is(p.left) || is(p.right))) found.add('number');
    } else if (p.op === 'between') {
      if (is(p.term)) found.add('number');
    } else if (
      p.op === 'equals' ||
      p.op === 'in' ||
      p.op === 'like' ||
      p.op === 'prefix' ||
      p.op === 'suffix'
    ) {
      if (attributeName(p.of) === name)
        found.add(p.op !== 'equals' ? 'string' : p.value === null ? 'any' : typeof p.value);
    } else if (p.op === 'holds' && is(p.of)) found.add('boolean');
  };
  walk(condition);
  return found;
}

/** Writes another name wherever a condition asks for one. */
function renaming(place: Place, name: string, other: string): Mend {
  return {
    title: `Ask for \`${other}\` instead`,
    offered: () => place.node !== undefined && namingsIn(place.node, name, other).length > 0,
    edit: (topology) => {
      const edits = place.node ? namingsIn(place.node, name, other) : [];
      return edits.length
        ? together(
            topology,
            edits.map(({ node, text }) => writeText(topology, placeOf(place.doc, node), text)),
          )
        : { ok: false, message: `The text does not say \`${name}\` as it is; write \`${other}\` by hand.` };
    },
  };
}

interface Naming {
  readonly node: ScalarNode;
  /** What it is to say instead. */
  readonly text: string;
}

/** Where a condition names an attribute: as a key of what it compares, or inside a selector. */
function namingsIn(node: Node, name: string, other: string): Naming[] {
  if (node.kind === 'list') return node.items.flatMap((item) => namingsIn(item, name, other));
  if (node.kind !== 'map') return [];
  return node.entries.flatMap(({ name: key, value }): Naming[] => {
    if (key === 'selector' && value.kind === 'scalar') {
      const text = renameInSelector(keyText(value), name, other);
      return text === undefined ? [] : [{ node: value, text }];
    }
    if (value.kind !== 'map' || key === 'not') return namingsIn(value, name, other);
    return value.entries.flatMap((each) => (each.name === name ? [{ node: each.key, text: other }] : []));
  });
}

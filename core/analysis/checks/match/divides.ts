import { type Complaint, check } from '../check.ts';
import { messageAmong } from '../../classes/verdicts.ts';
import { listed } from '../../../base/phrase.ts';
import { evaluate } from '../../../conditions/evaluate.ts';
import { operandsOf } from '../../../conditions/explain.ts';
import type { Message } from '../../../conditions/message.ts';
import { type Predicate, attributeValue } from '../../../conditions/predicate.ts';
import { addressOf } from '../../../language/thing.ts';

/** More ways than this are not tried together. */
const MOST_WAYS = 60;

/** Ways that are meant to divide messages, but overlap or leave a gap. */
export const divides = check({
  id: 'match/divides',
  severity: 'warning',
  finds: 'Conditions that are meant to divide messages (`divides: true`), but overlap or leave a gap.',
  why: 'In an overlap the work is done twice; in a gap it is not done at all.',
  of: 'node',
  run: (node, context) => {
    if ((node.role !== 'exchange' && node.role !== 'topic') || !node.decl.divides?.value) return [];
    const ways = context
      .out(node.id)
      .filter((edge) => edge.kind === 'binding' || edge.kind === 'subscription');
    if (ways.length === 0 || ways.length > MOST_WAYS) return [];
    const conditions = ways.map(({ condition }) => condition);
    const name = addressOf(node.thing);
    const place = node.decl.divides.place;
    const found: Complaint[] = [];
    for (const arrival of context.arrivals(node.id)) {
      const passes = (message: Message) =>
        ways.filter(({ condition }) => evaluate(condition, message) === true);
      const gap = messageAmong(conditions, arrival, (passing, diagrams) =>
        diagrams.not(diagrams.all(diagrams.or, passing, diagrams.no)),
      );
      const overlap = messageAmong(conditions, arrival, (passing, diagrams) => {
        const { and, or, no } = diagrams;
        let [seen, twice] = [no, no];
        for (const to of new Set(ways.map((each) => each.to))) {
          const own = diagrams.all(
            or,
            passing.filter((_, i) => ways[i]!.to === to),
            no,
          );
          twice = diagrams.apply(or, twice, diagrams.apply(and, seen, own));
          seen = diagrams.apply(or, seen, own);
        }
        return twice;
      });
      const such = (message: Message) => `a ${arrival.type.id}${seen(conditions, message)}`;
      if (gap)
        found.push({
          message: `${name} is to divide its messages, but ${such(gap)} goes no way at all.`,
          place,
          about: node.id,
        });
      if (overlap)
        found.push({
          message: `${name} is to divide its messages, but ${such(overlap)} goes ${passes(overlap).length} ways: to ${listed([...new Set(passes(overlap).map(({ to }) => addressOf(context.node(to)!.thing)))])}.`,
          place,
          about: node.id,
          related: passes(overlap).map((edge) => ({ place: edge.place, message: 'a way it goes' })),
        });
    }
    return found;
  },
});

/** What of a message the conditions look at, in words. */
function seen(conditions: readonly Predicate[], message: Message): string {
  const attributes = new Map(
    conditions.flatMap(operandsOf).map((each) => [each.in === 'key' ? 'key' : each.name, each]),
  );
  const parts = [...attributes].map(([name, each]) => {
    const value = attributeValue(each, message);
    return value === undefined ? `no ${name}` : `${name} ${JSON.stringify(value)}`;
  });
  return parts.length ? ` with ${listed(parts)}` : '';
}

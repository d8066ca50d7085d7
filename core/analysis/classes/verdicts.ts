/** Messages of a type in the forms they come in, and what the conditions of ways do to them. */
import { type Arrival, type Verdict, keyPattern, verdictOn } from './variety.ts';
import type { Edge } from '../../brokers/terms.ts';
import { remembered } from '../../incremental/memory.ts';
import type { MessageType } from '../../topology/messages.ts';

const formsOf = remembered((_: MessageType) => new Map<string, Arrival>());

/** @returns messages of a type in a form: one object for the same */
export function arrivalOf(type: MessageType, key: string | undefined, wrapped: boolean): Arrival {
  const forms = formsOf(type);
  const id = `${wrapped ? 'w' : 'p'}${key === undefined ? '' : `=${key}`}`;
  let found = forms.get(id);
  if (!found) forms.set(id, (found = { type, key, wrapped }));
  return found;
}

/** What was asked of a way, pair by pair: most are asked about few arrivals. */
const verdictsOf = remembered((_: Edge): { readonly arrival: Arrival; readonly verdict: Verdict }[] => []);

/** So many verdicts are remembered of one way. */
const MOST_VERDICTS = 2_000;

/** @returns what a way's condition does to messages that come to it */
export function verdictAt(edge: Edge, arrival: Arrival): Verdict {
  // these are told sooner than looked up
  if (edge.condition.op === 'always' || keyPattern(edge.condition) !== undefined)
    return verdictOn(edge.condition, arrival);
  const known = verdictsOf(edge);
  for (const each of known) if (each.arrival === arrival) return each.verdict;
  const verdict = verdictOn(edge.condition, arrival);
  // types that are edited come again and again as others
  if (known.length >= MOST_VERDICTS) known.length = 0;
  known.push({ arrival, verdict });
  return verdict;
}

/**
 * Whether a proposal may become a revision, by the rules of the revision it goes on from: a proposal cannot loosen
 * the rules it is held to.
 */
import { counted } from '../../base/phrase.ts';
import type { Topology } from '../../topology/topology.ts';
import { review } from '../checks/review.ts';
import { compareDeclared } from '../compare/settings.ts';

/** What stands between a proposal and a revision. */
export interface Agreement {
  /** Whether the rules want anybody's approval at all. */
  readonly ruled: boolean;
  /** What is lacking, a sentence each; none where it may become a revision. */
  readonly lacking: readonly string[];
  /** Whose approval would help, by handle; `anybody` where it is not said whose. */
  readonly asked: readonly string[];
}

/** Whose proposal it is, and who approves it as it is now, by handle. */
export interface Voices {
  /** Everyone who wrote it, and who proposed it: their approval does not count. */
  readonly authors: readonly string[];
  /** The author who wrote last, and so has seen all of it. */
  readonly last: string;
  readonly approvedBy: readonly string[];
}

/** @returns whether a topology says that proposals need anybody's approval */
export const isRuled = ({ declared: { review: rules } }: Topology): boolean =>
  (rules?.approvals?.value ?? 0) > 0 || (rules?.owners?.items.length ?? 0) > 0;

/**
 * @param before the newest revision, whose rules count; a topology of no documents where there is none
 * @param after what is proposed
 */
export function agreementOn(
  before: Topology,
  after: Topology,
  { authors, last, approvedBy }: Voices,
): Agreement {
  const rules = before.declared.review;
  const others = new Set(approvedBy.filter((handle) => !authors.includes(handle)));
  const lacking: string[] = [];
  const asked = new Set<string>();
  const more = (rules?.approvals?.value ?? 0) - others.size;
  if (more > 0) {
    lacking.push(
      `${counted(more, 'more approval')} ${more === 1 ? 'is' : 'are'} needed, by others than ${authors.join(', ')}.`,
    );
    asked.add('anybody');
  }
  const touched = touchedBy(before, after);
  for (const { of, who } of rules?.owners?.items ?? []) {
    if (!of || !touched.has(of.value)) continue;
    const people = who?.items.map(({ value }) => value) ?? [];
    // an owner who wrote last has agreed; one who wrote before has not seen what came after
    if (people.some((handle) => others.has(handle) || handle === last)) continue;
    lacking.push(`It touches ${of.value}, for which ${people.join(' or ')} has to approve.`);
    for (const handle of people) asked.add(handle);
  }
  const { findings } = review(after);
  const isBroken = (check: string) => check.startsWith('expectation/');
  const errors = findings.filter(({ check, severity }) => severity === 'error' && !isBroken(check)).length;
  if (errors && !rules?.withErrors?.value)
    lacking.push(`${counted(errors, 'error')} ${errors === 1 ? 'has' : 'have'} to be mended.`);
  const broken = findings.filter(({ check }) => isBroken(check)).length;
  if (broken && !rules?.withBroken?.value)
    lacking.push(`${counted(broken, 'expectation')} ${broken === 1 ? 'is' : 'are'} not kept.`);
  return { ruled: isRuled(before), lacking, asked: [...asked] };
}

/** What a proposal touches: tenants by their ids, and documents. */
function touchedBy(before: Topology, after: Topology): ReadonlySet<string> {
  const touched = new Set<string>();
  const was = new Map(before.documents.map(({ name, text }) => [name, text]));
  for (const { name, text } of after.documents) {
    if (was.get(name) !== text) touched.add(name);
    was.delete(name);
  }
  for (const name of was.keys()) touched.add(name);
  for (const { tenants } of compareDeclared(before, after))
    for (const tenant of tenants) touched.add(`tenant:${tenant}`);
  return touched;
}

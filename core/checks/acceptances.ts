/** Findings that are meant: `accept`, written where they stand, each with a reason. */
import type { AcceptanceDecl, DocumentDecl } from '../language/language.ts';
import type { Finding } from '../model/finding.ts';
import { thing, type ThingKind } from '../model/address.ts';
import type { Place } from '../model/place.ts';
import { nearest } from '../model/values.ts';
import { removeItem, setIn, type Edited } from '../language/edit.ts';
import type { Topology } from '../language/read.ts';
import { writing } from '../model/finding.ts';
import type { Complaint } from './check.ts';

/** A finding that somebody said is meant. */
export interface Accepted {
  readonly finding: Finding;
  readonly because: string;
  /** Where it is said. */
  readonly place: Place;
}

/** Something that may carry acceptances: a declaration with the things it makes. */
interface Owner {
  readonly decl: { readonly place: Place; readonly accept?: { readonly items: readonly AcceptanceDecl[] } };
  /** The place of its name, which stands before its text. */
  readonly key?: Place;
  readonly ids: readonly string[];
}

/** @param all whether also those that carry none yet */
function* ownersIn(declared: DocumentDecl, all = false): Generator<Owner> {
  type Named = ReadonlyMap<
    string,
    { readonly name: string; readonly key: Place; readonly value: Owner['decl'] }
  >;
  function* named(items: Named | undefined, kind: ThingKind, broker = ''): Generator<Owner> {
    for (const { name, key, value } of items?.values() ?? [])
      if (all || value.accept) yield { decl: value, key, ids: [thing(kind, name, broker).id] };
  }
  yield* named(declared.tenants, 'tenant');
  yield* named(declared.messages, 'message');
  for (const { name, key, value } of declared.parameters?.values() ?? [])
    if (all || value.accept) yield { decl: value, key, ids: [`parameter:${name}`] };
  for (const { name, key, value } of declared.apps?.values() ?? []) {
    for (const each of [...(value.publishes?.items ?? []), ...(value.consumes?.items ?? [])])
      if (all || each.accept) yield { decl: each, ids: [] };
    if (all || value.accept)
      yield { decl: value, key, ids: [`app:${name}`, `publisher:${name}`, `taker:${name}`] };
  }
  for (const { name, key, value } of declared.brokers?.values() ?? []) {
    yield* named(value.queues, 'queue', name);
    yield* named(value.aliases, 'alias', name);
    if (value.variant === 'amqp') {
      yield* named(value.exchanges, 'exchange', name);
      for (const each of value.bindings?.items ?? []) if (all || each.accept) yield { decl: each, ids: [] };
    } else {
      yield* named(value.topics, 'topic', name);
      yield* named(value.subscriptions, 'subscription', name);
    }
    if (all || value.accept) yield { decl: value, key, ids: [thing('broker', name).id] };
  }
  yield* named(declared.links, 'link');
  yield* named(declared.spreads, 'spread');
  for (const each of declared.access?.items ?? []) if (all || each.accept) yield { decl: each, ids: [] };
}

const inside = (place: Place, whole: Place) =>
  place.doc === whole.doc && place.start >= whole.start && place.end <= whole.end;

/** Whether a finding stands at what an owner declares, or is about it. */
function isAt({ place, about }: Finding, { decl, key, ids }: Owner): boolean {
  if (about !== undefined && ids.includes(about)) return true;
  return inside(place, decl.place) || (key !== undefined && inside(place, key));
}

/**
 * Divides findings into those that stand and those that are meant.
 * @param checks the ids of all checks
 * @param written whether any document has an acceptance at all; most have none, and all would be looked at
 * @returns also what is wrong with the acceptances themselves
 */
export function accepting(
  declared: DocumentDecl,
  findings: readonly Finding[],
  checks: ReadonlySet<string>,
  written: boolean,
): {
  standing: readonly Finding[];
  accepted: readonly Accepted[];
  unused: readonly Complaint[];
  unknown: readonly Complaint[];
} {
  const owners = written ? [...ownersIn(declared)] : [];
  if (owners.length === 0) return { standing: findings, accepted: [], unused: [], unknown: [] };
  const accepted: Accepted[] = [];
  const gone = new Set<Finding>();
  const unused: Complaint[] = [];
  const unknown: Complaint[] = [];
  for (const owner of owners) {
    owner.decl.accept!.items.forEach(({ check, because, place }) => {
      if (!check) return;
      const about = owner.ids[0] ?? '';
      if (!checks.has(check.value)) {
        const hint = nearest(check.value, checks);
        unknown.push({
          message: `There is no check \`${check.value}\`.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
          place: check.place,
          about,
          ...(hint ? { mends: [writing(check.place, hint)] } : {}),
        });
        return;
      }
      const found = findings.filter(
        (finding) => finding.check === check.value && !gone.has(finding) && isAt(finding, owner),
      );
      for (const finding of found) {
        gone.add(finding);
        accepted.push({ finding, because: because?.value ?? '', place: check.place });
      }
      if (found.length === 0)
        unused.push({
          message: `\`${check.value}\` finds nothing here, so there is nothing to accept.`,
          place: check.place,
          about,
          mends: [
            { title: 'Take the acceptance away', edit: ({ documents }) => removeItem(documents, place) },
          ],
        });
    });
  }
  return { standing: findings.filter((finding) => !gone.has(finding)), accepted, unused, unknown };
}

/** @returns the edits that write down, at the smallest thing it stands at, that a finding is meant */
export function acceptFinding({ declared, documents }: Topology, finding: Finding, because: string): Edited {
  if (because.trim() === '') return { ok: false, message: 'Say in a few words why it is meant.' };
  let best: Owner | undefined;
  for (const owner of ownersIn(declared, true)) {
    if (!isAt(finding, owner)) continue;
    const length = ({ decl }: Owner) => decl.place.end - decl.place.start;
    if (!best || length(owner) < length(best)) best = owner;
  }
  if (!best)
    return {
      ok: false,
      message: 'Nothing here can carry an acceptance; mend it, or write it beside the thing itself.',
    };
  const before = (best.decl.accept?.items ?? []).map(({ check, because: why }) => ({
    check: check?.value ?? '',
    because: why?.value ?? '',
  }));
  return setIn(
    documents,
    best.decl.place,
    ['accept'],
    [...before, { check: finding.check, because: because.trim() }],
  );
}

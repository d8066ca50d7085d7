/** Findings that are meant: `accept`, written where they stand, each with a reason. */
import { kindOf } from '../../brokers/kinds.ts';
import type { Complaint } from './check.ts';
import { nearest } from '../../base/similar.ts';
import type { AcceptanceDecl } from '../../language/acceptance.ts';
import { writing } from '../../language/finding.ts';
import { type ThingKind, thing } from '../../language/thing.ts';
import { removeItem } from '../../syntax/edit/edit.ts';
import { type Place, spanOf } from '../../syntax/place.ts';
import type { DocumentDecl } from '../../topology/document.ts';
import type { Finding, Topology } from '../../topology/topology.ts';

/** What checks were called before: an acceptance that says so still counts. */
const FORMER_IDS: Readonly<Record<string, string>> = {
  'access/missing-leave': 'access/missing-permission',
};

/** A finding that somebody said is meant. */
export interface Accepted {
  readonly finding: Finding;
  readonly because: string;
  /** Where it is said. */
  readonly place: Place;
}

/** Something that may carry acceptances: a declaration with the things it makes. */
export interface Owner {
  readonly decl: { readonly place: Place; readonly accept?: { readonly items: readonly AcceptanceDecl[] } };
  /** The place of its name, which stands before its text. */
  readonly key?: Place;
  readonly ids: readonly string[];
}

/** @param all whether also those that carry none yet */
export function* ownersIn(declared: DocumentDecl, all = false): Generator<Owner> {
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
    const broker = kindOf(value);
    for (const [kind, items] of broker.resources(value)) yield* named(items, kind, name);
    for (const each of broker.unnamed(value)) if (all || each.accept) yield { decl: each, ids: [] };
    if (all || value.accept) yield { decl: value, key, ids: [thing('broker', name).id] };
  }
  yield* named(declared.links, 'link');
  yield* named(declared.spreads, 'spread');
  for (const each of declared.access?.items ?? []) if (all || each.accept) yield { decl: each, ids: [] };
}

/** Whether a finding stands at what an owner declares, or is about it. */
export function isAt(topology: Topology, { place, about }: Finding, { decl, key, ids }: Owner): boolean {
  if (about !== undefined && ids.includes(about)) return true;
  const inside = (whole: Place) => {
    if (place.doc !== whole.doc) return false;
    const [own, around] = [spanOf(topology, place), spanOf(topology, whole)];
    return own.start >= around.start && own.end <= around.end;
  };
  return inside(decl.place) || (key !== undefined && inside(key));
}

/**
 * Divides findings into those that stand and those that are meant.
 * @param checks the ids of all checks
 * @param written whether any document has an acceptance at all; most have none, and all would be looked at
 * @returns also what is wrong with the acceptances themselves
 */
export function accepting(
  topology: Topology,
  findings: readonly Finding[],
  checks: ReadonlySet<string>,
  written: boolean,
): {
  standing: readonly Finding[];
  accepted: readonly Accepted[];
  unused: readonly Complaint[];
  unknown: readonly Complaint[];
} {
  const owners = written ? [...ownersIn(topology.declared)] : [];
  if (owners.length === 0) return { standing: findings, accepted: [], unused: [], unknown: [] };
  const accepted: Accepted[] = [];
  const gone = new Set<Finding>();
  const unused: Complaint[] = [];
  const unknown: Complaint[] = [];
  for (const owner of owners) {
    owner.decl.accept!.items.forEach(({ check, because, place }) => {
      if (!check) return;
      const about = owner.ids[0] ?? '';
      const id = FORMER_IDS[check.value] ?? check.value;
      if (!checks.has(id)) {
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
        (finding) => finding.check === id && !gone.has(finding) && isAt(topology, finding, owner),
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
          mends: [{ title: 'Take the acceptance away', edit: (topology) => removeItem(topology, place) }],
        });
    });
  }
  return { standing: findings.filter((finding) => !gone.has(finding)), accepted, unused, unknown };
}

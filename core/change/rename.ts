/**
 * Renaming: a declaration and everything that names it. After it every reference means what it meant, which
 * is seen by reading the documents again; where a bare name would come to mean something else, it is written
 * with its kind, and where that does not help either, the rename is refused.
 */
import { type Edited, applyEdits } from '../base/edits.ts';
import { byteLength } from '../base/values.ts';
import { ID } from '../language/shape.ts';
import { type Thing, addressOf, thing } from '../language/thing.ts';
import { covers } from '../routing/permission.ts';
import { renameKey, writeText } from '../syntax/edit/edit.ts';
import { type Proved, together } from '../syntax/edit/proved.ts';
import type { Located } from '../syntax/place.ts';
import { literalText } from '../syntax/render.ts';
import { declarationOf, declarationsIn, pathOf } from '../topology/declarations.ts';
import { readTopology } from '../topology/read.ts';
import type { Topology } from '../topology/topology.ts';
import { type Use, meantBy, usesIn } from '../topology/uses.ts';

const refused = (message: string): Edited => ({ ok: false, message });

/**
 * Renames a thing everywhere: its declaration (in every document that adds to it) and every use.
 * @returns the edits, or why not: a name taken, not allowed, made from a parameter somewhere, or one with
 *   which a reference or an access statement would mean something else
 */
export function rename(topology: Topology, of: Thing, name: string): Edited {
  const { declared } = topology;
  if (name === of.name) return { ok: true, edits: [] };
  if (of.broker === '' && !ID.test(name))
    return refused('Ids are small letters, digits and hyphens, a letter first.');
  if (name === '' || byteLength(name) > 255) return refused('A name has 1 to 255 bytes.');
  const broken = [...topology.trees].find(([, tree]) => tree.problems.length > 0);
  if (broken) return refused(`${broken[0]} cannot be edited: mend its syntax first.`);
  if (!declarationOf(topology, of)) return refused(`${addressOf(of)} is not declared.`);
  if (declarationOf(topology, thing(of.kind, name, of.broker)))
    return refused(`There is a ${of.kind} \`${name}\` already.`);

  const renaming: Renaming = { of, name };
  const uses = [...usesIn(declared)];
  const texts = uses.map((use) => textAfter(topology, use, renaming));
  const made = uses.findIndex(({ value }, i) => value.from && texts[i] !== value.value);
  if (made >= 0) {
    const { place, from } = uses[made]!.value;
    return refused(`A use in ${place.doc} is made from parameter \`${from![0]}\`; change it there by hand.`);
  }
  const keys = renameKey(topology, pathOf(of), name);
  const first = written(topology, keys, uses, texts);
  if (!first.ok) return first;
  const strays = changedMeanings(topology, uses, first, renaming);
  if (typeof strays === 'string') return refused(strays);
  if (strays.length === 0) return first;
  for (const i of strays) texts[i] = withKind(topology, uses[i]!, renaming) ?? texts[i]!;
  const second = written(topology, keys, uses, texts);
  if (!second.ok) return second;
  const left = changedMeanings(topology, uses, second, renaming);
  if (typeof left === 'string') return refused(left);
  if (left.length === 0) return second;
  const { value, place } = uses[left[0]!]!.value;
  return refused(`With this name, \`${value}\` in ${place.doc} would come to mean something else.`);
}

interface Renaming {
  readonly of: Thing;
  readonly name: string;
}

/** What an app subscribes to by MQTT: stores that are called after the app. */
function* sessionsIn({ declared }: Topology): Generator<Thing> {
  for (const [app, { value }] of declared.apps ?? [])
    for (const { via, from, topic } of value.consumes?.items ?? [])
      if (via?.value === 'mqtt' && from && topic)
        yield thing('subscription', `${app}:${topic.value}`, from.value);
}

/** What a thing is called after it. */
function after(it: Thing, { of, name }: Renaming): Thing {
  if (it.id === of.id) return thing(of.kind, name, of.broker);
  if (of.kind === 'app' && it.kind === 'subscription' && it.name.startsWith(`${of.name}:`))
    return thing(it.kind, name + it.name.slice(of.name.length), it.broker);
  return of.kind === 'broker' && it.broker === of.name ? thing(it.kind, it.name, name) : it;
}

const ON_BROKER = /^((?:exchange|queue|topic|subscription|alias):)?([^/]*)\//;

/** What a use says after it: the renamed thing by its new name, all else as it is. */
function textAfter(topology: Topology, use: Use, renaming: Renaming): string {
  const { of, name } = renaming;
  const { value } = use.value;
  const meant = meantBy(topology.names, use);
  if (of.kind === 'app' && use.means.by === 'wide' && !meant)
    for (const session of sessionsIn(topology))
      if (value === addressOf(session) || value === session.id) {
        const now = after(session, renaming);
        return value === session.id ? now.id : addressOf(now);
      }
  if (of.kind === 'broker') {
    if (meant?.id === of.id) return value.slice(0, value.length - of.name.length) + name;
    // everything on it names it, patterns too
    const isAddress = use.means.by !== 'id' && !meant?.id.startsWith('spread:');
    const prefix = isAddress ? ON_BROKER.exec(value) : null;
    return prefix?.[2] === of.name ? `${prefix[1] ?? ''}${name}/${value.slice(prefix[0].length)}` : value;
  }
  if (meant?.id !== of.id || !value.endsWith(of.name)) return value;
  return value.slice(0, value.length - of.name.length) + name;
}

/** What a use says with the kind of what it means. */
function withKind({ names }: Topology, use: Use, renaming: Renaming): string | undefined {
  const meant = meantBy(names, use);
  if (!meant?.broker || use.means.by === 'id') return undefined;
  const now = after(meant, renaming);
  const bare =
    use.means.by === 'address' && use.means.home === meant.broker && !use.value.value.includes('/');
  return `${now.kind}:${bare ? now.name : addressOf(now)}`;
}

function written(topology: Topology, keys: Proved, uses: readonly Use[], texts: readonly string[]): Proved {
  return together(topology, [
    keys,
    ...uses.flatMap(({ value }, i) =>
      texts[i] === value.value ? [] : [writeText(topology, value.place, literalText(texts[i]!))],
    ),
  ]);
}

/** The uses that mean something else with the edits made; or in words what else would. */
function changedMeanings(
  topology: Topology,
  uses: readonly Use[],
  edited: Proved & { ok: true },
  renaming: Renaming,
): number[] | string {
  const { environment } = topology;
  const now = readTopology(
    applyEdits(topology.documents, edited.edits),
    environment === undefined ? {} : { environment },
  );
  const usesNow = [...usesIn(now.declared)];
  if (usesNow.length !== uses.length) return 'With this name, something would no longer be read.';
  const strays: number[] = [];
  for (const [i, use] of uses.entries()) {
    const meant = meantBy(topology.names, use);
    const meantNow = meantBy(now.names, usesNow[i]!);
    if (meantNow?.id !== (meant && after(meant, renaming).id)) strays.push(i);
    else if (!meant && use.means.by === 'wide') {
      const stray = strayPattern(topology, use.value, usesNow[i]!.value, renaming);
      if (stray) return stray;
    }
  }
  return strays;
}

/** Why a pattern would no longer cover the same things; undefined where it does. */
function strayPattern(
  topology: Topology,
  before: Located<string>,
  now: Located<string>,
  renaming: Renaming,
): string | undefined {
  const things = [...[...declarationsIn(topology)].map(({ of }) => of), ...sessionsIn(topology)];
  for (const of of things) {
    const then = after(of, renaming);
    if (then === of) continue;
    const [was, is] = [covers(before.value, of), covers(now.value, then)];
    if (was !== is)
      return `The pattern \`${before.value}\` in ${before.place.doc} ${was ? 'covers' : 'does not cover'} ${addressOf(of)}, and ${was ? 'would not cover' : 'would cover'} ${addressOf(then)}; change the pattern first.`;
  }
  return undefined;
}

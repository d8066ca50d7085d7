/**
 * What is declared otherwise in one topology than in another: things that came, went, are called otherwise, or have
 * other settings, and what stands beside them. It compares what documents say, whichever of them says it and in
 * whatever order, so that moving a declaration to another document is no change.
 */
import type { Thing } from '../../language/thing.ts';
import { addressOf } from '../../language/thing.ts';
import { plainOrQuoted } from '../../syntax/render.ts';
import { type Node, isNothing, keyText } from '../../syntax/tree.ts';
import { declarationsIn, pathOf } from '../../topology/declarations.ts';
import { tenantOf } from '../../topology/owner.ts';
import type { Topology } from '../../topology/topology.ts';

/** One setting that is another now, as it is written; undefined for a side where it is not. */
export interface SettingChange {
  /** Its keys, with dots between: `deadLetter.to`; empty for a thing that is one value. */
  readonly name: string;
  readonly before: string | undefined;
  readonly after: string | undefined;
}

export type DeclaredKind = 'added' | 'removed' | 'changed' | 'renamed';

/** One thing, or one thing that has no name of its own, that is declared otherwise. */
export interface DeclaredChange {
  readonly kind: DeclaredKind;
  /** What it is: `queue`, `binding`, `statement`, `expectation`, … */
  readonly what: string;
  /** What it is called, where it is declared after; of what was removed, before. */
  readonly name: string;
  /** What it was called before, where that was otherwise. */
  readonly was?: string;
  /** The thing, where it has an id. */
  readonly of?: Thing;
  /** The settings that are others; of what came or went, all it says. */
  readonly settings: readonly SettingChange[];
  /** The documents it stands in, before and after. */
  readonly documents: readonly string[];
  /** Who owns it, before and after. */
  readonly tenants: readonly string[];
}

/** What one declaration says: its settings by name, as written. */
type Said = ReadonlyMap<string, string>;

interface Declared {
  readonly what: string;
  readonly name: string;
  readonly of?: Thing;
  readonly said: Said;
  readonly documents: ReadonlySet<string>;
  readonly tenant: string | undefined;
}

/** Settings are told apart to this depth of maps; what is deeper, and every list, is one value. */
const DEEPEST = 3;

/**
 * @returns the differences: what was renamed and changed first, in the order of the declarations after, then what
 *   came, then what went
 */
export function compareDeclared(before: Topology, after: Topology): DeclaredChange[] {
  const [was, is] = [declaredIn(before), declaredIn(after)];
  const gone = [...was.values()].filter(({ what, name }) => !is.has(idOf(what, name)));
  const come = [...is.values()].filter(({ what, name }) => !was.has(idOf(what, name)));
  const renamed = pairs(gone, come);
  const changes: DeclaredChange[] = [];
  for (const now of is.values()) {
    const then = was.get(idOf(now.what, now.name)) ?? renamed.get(now);
    if (!then) continue;
    const settings = settingsBetween(then.said, now.said);
    const other = then.name !== now.name;
    if (other || settings.length) changes.push(change(other ? 'renamed' : 'changed', then, now, settings));
  }
  const taken = new Set(renamed.values());
  for (const now of come) if (!renamed.has(now)) changes.push(change('added', undefined, now));
  for (const then of gone) if (!taken.has(then)) changes.push(change('removed', then, undefined));
  return changes;
}

const idOf = (what: string, name: string) => `${what} ${name}`;

function change(
  kind: DeclaredKind,
  then: Declared | undefined,
  now: Declared | undefined,
  settings = settingsBetween(then?.said ?? new Map(), now?.said ?? new Map()),
): DeclaredChange {
  const { what, name, of } = (now ?? then)!;
  const sides = [then, now].flatMap((each) => each ?? []);
  return {
    kind,
    what,
    name,
    ...(kind === 'renamed' ? { was: then!.name } : {}),
    ...(of ? { of } : {}),
    settings,
    documents: [...new Set(sides.flatMap(({ documents }) => [...documents]))],
    tenants: [...new Set(sides.flatMap(({ tenant }) => tenant ?? []))],
  };
}

function settingsBetween(before: Said, after: Said): SettingChange[] {
  return [...new Set([...after.keys(), ...before.keys()])].flatMap((name) => {
    const [then, now] = [before.get(name), after.get(name)];
    return then === now ? [] : [{ name, before: then, after: now }];
  });
}

/** Lists whose items have no name: what each is called, and under which key it stands. */
const ITEMS: Readonly<Record<string, string>> = {
  bindings: 'binding',
  access: 'statement',
  samples: 'sample',
  expectations: 'expectation',
  watch: 'alert',
  taps: 'tap',
};

/** Everything that documents declare, by what it is and its name. */
function declaredIn(topology: Topology): Map<string, Declared> {
  const found = new Map<string, Declared>();
  const add = (what: string, name: string, doc: string, said: Said, of?: Thing) => {
    const known = found.get(idOf(what, name));
    // several documents may each say a part of one thing
    found.set(idOf(what, name), {
      what,
      name,
      ...(of ? { of } : {}),
      said: known ? new Map([...known.said, ...said]) : said,
      documents: new Set([...(known?.documents ?? []), doc]),
      tenant: of ? tenantOf(topology, of) : undefined,
    });
  };
  const things = new Map([...declarationsIn(topology)].map(({ of }) => [JSON.stringify(pathOf(of)), of]));
  const walk = (doc: string, node: Node, path: readonly string[]): void => {
    if (node.kind !== 'map') return;
    const rest = new Map<string, string>();
    for (const { name, value } of node.entries) {
      const inner = [...path, name];
      const of = things.get(JSON.stringify(inner));
      if (of) {
        if (of.kind === 'broker') walk(doc, value, inner);
        else add(of.kind, addressOf(of), doc, saidBy(value), of);
      } else if (value.kind === 'map' && isSection(inner)) walk(doc, value, inner);
      else if (value.kind === 'list' && ITEMS[name] && isSection(inner)) items(doc, value.items, inner);
      else if (isSection(inner) && value.kind === 'scalar' && isNothing(value)) continue;
      else if (path.length === 1 && !things.has(JSON.stringify(path)))
        add(path[0]!.replace(/s$/, ''), name, doc, saidBy(value));
      else for (const [key, text] of saidBy(value)) rest.set(key ? `${name}.${key}` : name, text);
    }
    const of = things.get(JSON.stringify(path));
    if (of) add('broker', of.name, doc, rest, of);
    else if (path.length === 0 && rest.size) add('topology', topology.name, doc, rest);
  };
  const items = (doc: string, all: readonly Node[], path: readonly string[]) => {
    const what = ITEMS[path.at(-1)!]!;
    const on = path.length > 1 ? `${path[1]!}: ` : '';
    for (const item of all) {
      const said = saidBy(item);
      const name = said.get('name');
      const text =
        on + (name ?? [...said].map(([key, value]) => (key ? `${key} ${value}` : value)).join(', '));
      let [id, twin] = [text, 1];
      // the same twice is two
      while (found.has(idOf(what, id))) id = `${text} (${++twin})`;
      add(what, id, doc, name === undefined ? new Map() : said);
    }
  };
  for (const [doc, { root }] of topology.trees) if (root) walk(doc, root, []);
  return found;
}

/** Whether a key holds declarations: a section of the document, or of a broker. */
const isSection = (path: readonly string[]): boolean =>
  path.length === 1 || (path.length === 3 && path[0] === 'brokers');

/** What a declaration says, by the dotted names of its settings. */
function saidBy(node: Node, depth = 0): Map<string, string> {
  const said = new Map<string, string>();
  if (node.kind === 'map' && depth < DEEPEST) {
    for (const { name, value } of node.entries)
      for (const [key, text] of saidBy(value, depth + 1)) said.set(key ? `${name}.${key}` : name, text);
    return said;
  }
  if (node.kind === 'scalar' && isNothing(node) && depth === 0) return said;
  said.set('', written(node));
  return said;
}

/** What a value says, in one line, alike for all ways to write the same. */
function written(node: Node): string {
  if (node.kind === 'scalar') {
    // a number is a name somewhere, so that its spelling counts
    if (typeof node.value === 'number') return keyText(node);
    return typeof node.value === 'string' ? plainOrQuoted(node.value) : String(node.value);
  }
  if (node.kind === 'list') return `[${node.items.map(written).join(', ')}]`;
  const entries = node.entries.map(({ name, value }) => `${plainOrQuoted(name)}: ${written(value)}`);
  return entries.length ? `{ ${entries.join(', ')} }` : '{}';
}

/** How alike two things have to be for one to be the other under another name; 0 to 1. */
const ALIKE = 0.6;
/** More things than this that came and went are not compared each with each. */
const MOST_PAIRS = 40_000;

/** Finds what was only called otherwise. @returns for what came, what it was */
function pairs(gone: readonly Declared[], come: readonly Declared[]): Map<Declared, Declared> {
  const found = new Map<Declared, Declared>();
  // what has no name of its own came and went, and is another
  const named = (all: readonly Declared[]) =>
    all.filter(({ of, what }) => of !== undefined || what === 'expectation' || what === 'statement');
  const [before, after] = [named(gone), named(come)];
  if (before.length * after.length > MOST_PAIRS) return found;
  const all = before.flatMap((then) =>
    after.flatMap((now) => {
      const like = likeness(then, now, before.length === 1 && after.length === 1);
      return like >= ALIKE ? [{ then, now, like }] : [];
    }),
  );
  const taken = new Set<Declared>();
  for (const { then, now } of all.sort((a, b) => b.like - a.like)) {
    if (found.has(now) || taken.has(then)) continue;
    found.set(now, then);
    taken.add(then);
  }
  return found;
}

/** How much of two declarations of one kind says the same; what says nothing is told by its being the only one. */
function likeness(then: Declared, now: Declared, only: boolean): number {
  if (then.what !== now.what || then.of?.broker !== now.of?.broker) return 0;
  const names = new Set([...then.said.keys(), ...now.said.keys()].filter((name) => name !== 'name'));
  if (names.size === 0) return only ? 1 : 0;
  return [...names].filter((name) => then.said.get(name) === now.said.get(name)).length / names.size;
}

/** @returns a change in one sentence: `queue mainland/storm: ttl 5m → 6m` */
export function declaredText({ kind, what, name, was, settings }: DeclaredChange): string {
  if (kind === 'added' || kind === 'removed')
    return `${what} ${name} is ${kind === 'added' ? 'new' : 'gone'}`;
  const changed = settings.map((each) =>
    each.before === undefined
      ? `${each.name} ${each.after!} is new`
      : each.after === undefined
        ? `${each.name} ${each.before} is gone`
        : `${each.name} ${each.before} → ${each.after}`.trim(),
  );
  const renamed = kind === 'renamed' ? [`called ${was!} before`] : [];
  return `${what} ${name}: ${[...renamed, ...changed].join(', ')}`;
}

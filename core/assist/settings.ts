/** The settings of one declared thing, as a form needs them, and the edits that change them. */
import type { Edited } from '../base/edits.ts';
import type { Items, Shape } from '../language/shape.ts';
import type { Thing } from '../language/thing.ts';
import { removeAt, setText } from '../syntax/edit/edit.ts';
import { type Located, type Place, writtenAt } from '../syntax/place.ts';
import { keyText } from '../syntax/tree.ts';
import { pathOf } from '../topology/declarations.ts';
import { shapeAt } from '../topology/shape-at.ts';
import type { Topology } from '../topology/topology.ts';

/** One setting that a thing of its kind may have. */
export interface Setting {
  /** Its key; with a dot for one inside another, as in `deadLetter.to`. */
  readonly name: string;
  readonly about: string;
  /** The values there are to choose from. */
  readonly values?: readonly string[];
  /** What it names, where it names something. */
  readonly names?: string;
  /** As it is written, parameters and all; undefined where it is not stated. */
  readonly written?: string;
  /** The parameters its value is made from. */
  readonly from?: readonly string[];
  readonly place?: Place;
}

/** @returns what a thing declares, or undefined for what no document declares. */
export function declOf(topology: Topology, of: Thing): object | undefined {
  const [section, id, ...rest] = pathOf(of);
  const top = (topology.declared as Record<string, unknown>)[section!] as Items<object> | undefined;
  const first = top?.get(id!)?.value;
  if (!rest.length) return first;
  return ((first as Record<string, unknown> | undefined)?.[rest[0]!] as Items<object> | undefined)?.get(
    rest[1]!,
  )?.value;
}

/** @returns the scalar settings of a thing in the language's order, stated or not. */
export function settingsOf(topology: Topology, of: Thing): Setting[] {
  const shape = shapeAt(topology, pathOf(of));
  const decl = declOf(topology, of);
  return shape && decl ? settings(topology, shape, decl, '') : [];
}

function settings(topology: Topology, shape: Shape<unknown>, decl: object, prefix: string): Setting[] {
  return Object.entries(shape.fields ?? {}).flatMap(([key, { about, shape: inner }]): Setting[] => {
    const value = (decl as Record<string, unknown>)[key];
    const name = `${prefix}${key}`;
    if (inner.fields && !inner.items && !prefix)
      return settings(topology, inner, (value as object) ?? {}, `${name}.`);
    if (inner.items || inner.fields || inner.variants || inner.names === 'an attribute') return [];
    const stated = value as Located<unknown> | undefined;
    return [
      {
        name,
        about,
        ...(inner.values ? { values: inner.values } : {}),
        ...(inner.names ? { names: inner.names } : {}),
        ...(stated ? { written: wordsAt(topology, stated.place), place: stated.place } : {}),
        ...(stated?.from ? { from: stated.from } : {}),
      },
    ];
  });
}

/** As a person would write it in a form: a text without its quotes. */
export function wordsAt(topology: Topology, place: Place): string {
  return place.node?.kind === 'scalar' ? keyText(place.node) : writtenAt(topology, place);
}

/**
 * States a setting, or takes it away.
 * @param written as a person writes it; empty to take it away
 */
export function changeSetting(topology: Topology, of: Thing, name: string, written: string): Edited {
  const inner = name.split('.');
  const path = [...pathOf(of), ...inner];
  const text = written.trim();
  const all = settingsOf(topology, of);
  const own = all.find((each) => each.name === name);
  if (text === (own?.written ?? '').trim()) return { ok: true, edits: [] };
  if (text !== '') return setText(topology, path, text);
  // a map whose last key goes would be left empty
  const siblings = all.filter(
    (each) => each.written !== undefined && each.name !== name && each.name.startsWith(`${inner[0]}.`),
  );
  return removeAt(topology, inner.length > 1 && siblings.length === 0 ? path.slice(0, -1) : path);
}

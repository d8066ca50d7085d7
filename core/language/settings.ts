/** The settings of one declared thing, as a form needs them, and the edits that change them. */
import type { Thing } from '../model/address.ts';
import type { Place, Val } from '../model/place.ts';
import { shapeAt } from './complete.ts';
import { pathOf, removeAt, setAt, type Edited } from './edit.ts';
import type { Topology } from './read.ts';
import type { Json } from './render.ts';
import type { Items, Shape } from './shape.ts';

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
    const stated = value as Val<unknown> | undefined;
    return [
      {
        name,
        about,
        ...(inner.values ? { values: inner.values } : {}),
        ...(inner.names ? { names: inner.names } : {}),
        ...(stated ? { written: writtenAt(topology, stated.place), place: stated.place } : {}),
        ...(stated?.from ? { from: stated.from } : {}),
      },
    ];
  });
}

function writtenAt(topology: Topology, { doc, start, end }: Place): string {
  const text = topology.documents.find(({ name }) => name === doc)?.text.slice(start, end) ?? '';
  const quoted = /^(["'])(.*)\1$/s.exec(text);
  return quoted ? quoted[2]! : text;
}

/**
 * States a setting, or takes it away.
 * @param written as a person writes it; empty to take it away
 */
export function changeSetting(topology: Topology, of: Thing, name: string, written: string): Edited {
  const { documents } = topology;
  const inner = name.split('.');
  const path = [...pathOf(of), ...inner];
  const text = written.trim();
  if (text !== '') return setAt(documents, path, jsonOf(text));
  // a map whose last key goes would be left empty
  const siblings = settingsOf(topology, of).filter(
    (each) => each.written !== undefined && each.name !== name && each.name.startsWith(`${inner[0]}.`),
  );
  return removeAt(documents, inner.length > 1 && siblings.length === 0 ? path.slice(0, -1) : path);
}

/** What was written, as the value it stands for: numbers and truth values are not to be quoted. */
function jsonOf(text: string): Json {
  if (text === 'true' || text === 'false') return text === 'true';
  return /^-?\d+$/.test(text) && String(Number(text)) === text ? Number(text) : text;
}

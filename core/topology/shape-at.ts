/** What the language lets stand where. */
import { shapeOf } from '../brokers/kinds.ts';
import type { Field, Shape } from '../language/shape.ts';
import { document } from './document.ts';
import type { Topology } from './topology.ts';

/** @returns what the language lets stand at a path of keys from the root, `#` for an item of a list */
export function shapeAt(topology: Topology, path: readonly string[]): Shape<unknown> | undefined {
  let shape: Shape<unknown> | undefined = document;
  for (const [i, step] of path.entries()) {
    if (!shape) return undefined;
    const own: Shape<unknown> = variantOf(topology, shape, path.slice(0, i));
    // one item may stand for a list of one, and keys may follow the dash of an item
    if (step === '#') shape = own.items ?? own;
    else shape = fieldOf(own, step)?.shape ?? (own.fields ? undefined : own.items);
  }
  return shape && variantOf(topology, shape, path);
}

function fieldOf({ fields, items, byName }: Shape<unknown>, name: string): Field<unknown> | undefined {
  const known = fields ?? (byName ? undefined : items?.fields);
  return known && Object.hasOwn(known, name) ? known[name] : undefined;
}

/** @returns the setting whose key a path ends in; undefined where that is a name that somebody gave */
export function settingAt(topology: Topology, path: readonly string[]): Field<unknown> | undefined {
  const around = shapeAt(topology, path.slice(0, -1));
  return around?.fields && fieldOf(around, path.at(-1)!);
}

function variantOf(topology: Topology, shape: Shape<unknown>, path: readonly string[]): Shape<unknown> {
  if (!shape.variants) return shape;
  const chosen = topology.declared.brokers?.get(path[1] ?? '')?.value;
  if (chosen) return shapeOf(chosen);
  const fields = Object.assign(
    {},
    ...Object.values(shape.variants).map((each) => each.fields),
  ) as NonNullable<Shape<unknown>['fields']>;
  return { ...shape, fields };
}

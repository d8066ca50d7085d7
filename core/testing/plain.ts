import { isMap } from '../incremental/layered.ts';
import { type Place, type Placed, spanOf } from '../syntax/place.ts';

const isPlace = (value: object): value is Place => 'doc' in value && 'from' in value && 'to' in value;

/**
 * @param placed what tells where places stand, which are told by their spans
 * @returns the same with lists of entries in place of maps, whose order counts here, and of which layered
 *   ones differ by what was before; objects of other classes stay as they are
 */
export function plain<T>(value: T, placed: Placed, done = new Map<unknown, unknown>()): T {
  if (typeof value !== 'object' || value === null) return value;
  const known = done.get(value);
  if (known) return known as T;
  if (isPlace(value)) return spanOf(placed, value) as T;
  if (isMap(value)) {
    const entries: [unknown, unknown][] = [];
    done.set(value, entries);
    for (const [key, each] of value) entries.push([key, plain(each, placed, done)]);
    return entries as T;
  }
  if (Array.isArray(value)) {
    const list: unknown[] = [];
    done.set(value, list);
    for (const each of value) list.push(plain(each, placed, done));
    return list as T;
  }
  if (Object.getPrototypeOf(value) !== Object.prototype) return value;
  const made: Record<string, unknown> = {};
  done.set(value, made);
  for (const [key, each] of Object.entries(value)) if (key !== 'trees') made[key] = plain(each, placed, done);
  return made as T;
}

import type { Val } from '../../model/place.ts';
import { nearest } from '../../model/values.ts';
import { plainOrQuoted } from '../../language/render.ts';
import { writing } from '../../model/finding.ts';
import { covers } from '../../access/decide.ts';
import { thing } from '../../model/address.ts';
import type { Look } from '../look.ts';
import { check, type Complaint } from '../check.ts';

/** A statement about a caller or a thing that is not there. */
export const aboutNothing = check({
  id: 'access/about-nothing',
  severity: 'warning',
  finds: 'A statement about callers or things that do not exist.',
  why: 'It allows and denies nothing. Usually something was renamed, and whoever it was meant for has no leave now.',
  of: 'statement',
  run: (statement, look) => {
    const name = statement.name?.value;
    const of = name === undefined ? 'This statement' : `“${name}”`;
    const found: Complaint[] = [];
    for (const each of statement.who?.items ?? [])
      if (!isCaller(look, each.value)) found.push(missing(of, 'names', each, callersLike(look, each.value)));
    for (const each of [
      ...(statement.on?.items ?? []),
      ...(statement.when?.source ? [statement.when.source] : []),
    ])
      if (!isThing(look, each.value)) found.push(missing(of, 'is about', each, look.things().addresses));
    return found;
  },
});

/** @returns the complaint that something names nothing, with what it may have meant */
export function missing(
  of: string,
  verb: string,
  { value, place, from }: Val<string>,
  known: Iterable<string>,
): Complaint {
  const hint = nearest(value, known);
  return {
    message: `${of} ${verb} \`${value}\`, which is not there.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
    place,
    about: '',
    mends: hint && !from ? [writing(place, plainOrQuoted(hint), `Write \`${hint}\``)] : [],
  };
}

/** @returns whether a caller that a statement names is there */
export function isCaller(look: Look, who: string): boolean {
  if (who === 'any') return true;
  const [, kind, name] = /^(\w+):(.+)$/s.exec(who) ?? [];
  switch (kind) {
    case 'app':
      return look.app(name!) !== undefined;
    case 'tenant':
      return look.tenant(name!) !== undefined || look.owner(thing('link', '')) === name;
    case 'broker':
      return look.broker(name!) !== undefined;
    case 'link':
      return look.link(name!) !== undefined;
    default:
      return look.things().addresses.has(who);
  }
}

function callersLike(look: Look, who: string): string[] {
  const kind = /^(\w+):/.exec(who)?.[1];
  const known = look.callers();
  return kind === undefined ? [...known] : known.filter((each) => each.startsWith(`${kind}:`));
}

function isThing(look: Look, address: string): boolean {
  const { all, addresses } = look.things();
  return addresses.has(address) || (address.includes('*') && all.some((each) => covers(address, each)));
}

import { type Complaint, check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { nearest } from '../../../base/similar.ts';
import { writing } from '../../../language/finding.ts';
import { thing } from '../../../language/thing.ts';
import { covers } from '../../../routing/permission.ts';
import type { Located } from '../../../syntax/place.ts';
import { plainOrQuoted } from '../../../syntax/render.ts';

/** A statement about a caller or a thing that is not there. */
export const aboutNothing = check({
  id: 'access/about-nothing',
  severity: 'warning',
  finds: 'A statement about callers or things that do not exist.',
  why: 'It allows and denies nothing. Usually something was renamed, and whoever it was meant for has no permission now.',
  of: 'statement',
  run: (statement, context) => {
    const name = statement.name?.value;
    const of = name === undefined ? 'This statement' : `“${name}”`;
    const found: Complaint[] = [];
    for (const each of statement.who?.items ?? [])
      if (!isCaller(context, each.value))
        found.push(missing(of, 'names', each, callersLike(context, each.value)));
    for (const each of [
      ...(statement.on?.items ?? []),
      ...(statement.when?.source ? [statement.when.source] : []),
    ])
      if (!isThing(context, each.value))
        found.push(missing(of, 'is about', each, context.things().addresses));
    return found;
  },
});

/** @returns the complaint that something names nothing, with what it may have meant */
export function missing(
  of: string,
  verb: string,
  { value, place, from }: Located<string>,
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
export function isCaller(context: CheckContext, who: string): boolean {
  if (who === 'any') return true;
  const [, kind, name] = /^(\w+):(.+)$/s.exec(who) ?? [];
  switch (kind) {
    case 'app':
      return context.app(name!) !== undefined;
    case 'tenant':
      return context.tenant(name!) !== undefined || context.owner(thing('link', '')) === name;
    case 'broker':
      return context.broker(name!) !== undefined;
    case 'link':
      return context.link(name!) !== undefined;
    default:
      return context.things().addresses.has(who);
  }
}

function callersLike(context: CheckContext, who: string): string[] {
  const kind = /^(\w+):/.exec(who)?.[1];
  const known = context.callers();
  return kind === undefined ? [...known] : known.filter((each) => each.startsWith(`${kind}:`));
}

/** @returns whether a place that is named, perhaps by a pattern, is there */
export function isThing(context: CheckContext, address: string): boolean {
  const { all, addresses } = context.things();
  return addresses.has(address) || (address.includes('*') && all.some((each) => covers(address, each)));
}

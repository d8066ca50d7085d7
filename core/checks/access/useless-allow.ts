import { covers } from '../../access/decide.ts';
import { removeItem } from '../../language/edit.ts';
import { thing } from '../../model/address.ts';
import { check } from '../check.ts';
import { targetsOf } from './other-tenant.ts';

/** An allow that a deny takes back whole. */
export const uselessAllow = check({
  id: 'access/useless-allow',
  severity: 'warning',
  finds: 'A statement whose allow another statement’s deny takes back whole.',
  why: 'Deny wins. The statement looks as if it gave leave, and gives none.',
  of: 'statement',
  run: (statement, look) => {
    if (!statement.allow) return [];
    const who = statement.who?.items.map(({ value }) => value) ?? [];
    const actions = statement.allow.items.map(({ value }) => value);
    const targets = targetsOf(look, statement);
    if (targets.length === 0) return [];
    const tenant = (caller: string) =>
      caller.startsWith('app:')
        ? `tenant:${look.owner(thing('app', caller.slice('app:'.length)))}`
        : undefined;
    const deny = look.denials().find((each) => {
      const named = each.who?.items.map(({ value }) => value) ?? [];
      const patterns = each.on?.items.map(({ value }) => value) ?? [];
      return (
        actions.every((action) => each.deny!.items.some(({ value }) => value === action)) &&
        who.every((caller) =>
          named.some((name) => name === 'any' || name === caller || name === tenant(caller)),
        ) &&
        targets.every((target) => patterns.some((pattern) => covers(pattern, target)))
      );
    });
    if (!deny) return [];
    return [
      {
        message: `“${statement.name?.value ?? 'this statement'}” allows nothing: “${deny.name?.value ?? 'another statement'}” denies all of it.`,
        place: statement.name?.place ?? statement.place,
        about: targets[0]!.id,
        related: [{ place: deny.place, message: 'the deny' }],
        mends: [
          {
            title: 'Take the useless statement away',
            edit: ({ documents }) => removeItem(documents, statement.place),
          },
        ],
      },
    ];
  },
});

import { targetsOf } from './other-tenant.ts';
import { check } from '../check.ts';
import { thing } from '../../../language/thing.ts';
import { covers } from '../../../routing/permission.ts';
import { removeItem } from '../../../syntax/edit/edit.ts';

/** An allow that a deny takes back whole. */
export const uselessAllow = check({
  id: 'access/useless-allow',
  severity: 'warning',
  finds: 'A statement whose allow another statement’s deny takes back whole.',
  why: 'Deny wins. The statement looks as if it gave permission, and gives none.',
  of: 'statement',
  run: (statement, context) => {
    if (!statement.allow) return [];
    const who = statement.who?.items.map(({ value }) => value) ?? [];
    const actions = statement.allow.items.map(({ value }) => value);
    const targets = targetsOf(context, statement);
    if (targets.length === 0) return [];
    const tenant = (caller: string) =>
      caller.startsWith('app:')
        ? `tenant:${context.owner(thing('app', caller.slice('app:'.length)))}`
        : undefined;
    const deny = context.denials().find((each) => {
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
            edit: (topology) => removeItem(topology, statement.place),
          },
        ],
      },
    ];
  },
});

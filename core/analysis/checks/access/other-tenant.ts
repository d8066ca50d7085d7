import { check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { listed } from '../../../base/phrase.ts';
import type { StatementDecl } from '../../../language/statement.ts';
import { type Thing, thing } from '../../../language/thing.ts';
import { covers } from '../../../routing/permission.ts';
import { setIn } from '../../../syntax/edit/edit.ts';

/** Another tenant that is allowed something without a `when` that names it. */
export const otherTenant = check({
  id: 'access/other-tenant',
  severity: 'warning',
  finds: 'Another tenant allowed on something it does not own, without a `when` that names the tenant.',
  why: 'An app or topic can change hands, or somebody can call in its name: naming the tenant keeps the permission with whom it was given to.',
  of: 'statement',
  run: (statement, context) => {
    if (!statement.allow || statement.when?.tenant) return [];
    const callers = (statement.who?.items ?? []).map(({ value }) => ({
      value,
      tenant: tenantBehind(context, value),
    }));
    const owners = new Set(targetsOf(context, statement).map((each) => context.owner(each)));
    const foreign = callers.filter(
      ({ tenant }) => tenant !== undefined && [...owners].some((owner) => owner !== tenant),
    );
    if (foreign.length === 0) return [];
    const tenants = new Set(callers.map(({ tenant }) => tenant));
    const [tenant] = foreign.map((each) => each.tenant);
    const name = statement.name?.value;
    return [
      {
        message: `${name === undefined ? 'This' : `“${name}”`} allows ${listed([...new Set(foreign.map(({ value }) => value))])} on what is not ${foreign.length === 1 ? 'its' : 'their'} own${tenants.size === 1 ? '' : ', beside others'}: say \`when: { tenant: ${tenant} }\`.`,
        place: statement.who!.place,
        about: addressesOf(statement)[0] ?? '',
        mends:
          tenants.size === 1
            ? [
                {
                  title: `Allow it to tenant ${tenant} only`,
                  edit: (topology) =>
                    statement.when
                      ? setIn(topology, statement.when.place, ['tenant'], tenant!)
                      : setIn(topology, statement.place, ['when'], { tenant: tenant! }),
                },
              ]
            : [],
      },
    ];
  },
});

/** The tenant a caller belongs to; undefined for everyone, and for what is not there. */
function tenantBehind(context: CheckContext, who: string): string | undefined {
  const [, kind, name] = /^(\w+):(.+)$/s.exec(who) ?? [];
  if (kind === 'tenant') return name;
  if (kind === 'app') return context.app(name!) && context.owner(thing('app', name!));
  if (kind === 'broker') return context.broker(name!)?.tenant;
  const slash = name?.indexOf('/') ?? -1;
  if (kind === 'topic' && slash > 0)
    return context.owner(thing('topic', name!.slice(slash + 1), name!.slice(0, slash)));
  return undefined;
}

/** @returns what a statement speaks of */
export function targetsOf(context: CheckContext, statement: StatementDecl): Thing[] {
  const patterns = addressesOf(statement);
  const wide = patterns.some((pattern) => pattern.includes('*'));
  const { all, byAddress } = context.things();
  if (wide) return all.filter((each) => patterns.some((pattern) => covers(pattern, each)));
  return patterns.flatMap((pattern) => byAddress.get(pattern) ?? []);
}

const addressesOf = ({ on }: StatementDecl): string[] => (on?.items ?? []).map(({ value }) => value);

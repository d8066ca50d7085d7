import type { Need } from '../../access/needs.ts';
import { type Excess, excessOf, usageOf } from '../../access/usage.ts';
import { type Complaint, check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { Question } from '../../../incremental/memory.ts';
import { counted, listed } from '../../../base/phrase.ts';
import type { StatementDecl } from '../../../language/statement.ts';
import { addressOf } from '../../../language/thing.ts';
import type { RoutingGraph } from '../../../routing/graph.ts';
import { titleOf } from '../../../routing/permission.ts';
import { removeItem, replaceItem } from '../../../syntax/edit/edit.ts';
import type { Json } from '../../../syntax/render.ts';
import { tenantOf } from '../../../topology/owner.ts';
import type { Mend } from '../../../topology/topology.ts';

/** A statement with its place among all, the needs it meets, and what it allows beyond. */
interface Wide {
  readonly statement: StatementDecl;
  readonly title: string;
  readonly met: readonly Need[];
  readonly excess: Excess;
}

const WIDE = new Question<readonly Wide[]>('statements that are too wide');

/** Both checks here look at the same; it is worked out once. */
const wideIn = (graph: RoutingGraph, context: CheckContext): readonly Wide[] =>
  graph.topology.memory.latest(WIDE, [graph.topology], () => findWide(graph, context));

function findWide(graph: RoutingGraph, context: CheckContext): Wide[] {
  const { declared } = graph.topology;
  const people = context.peopled();
  if ((!people.publishers && !people.takers) || !declared.access?.items.length) return [];
  const { needs, metBy } = usageOf(graph);
  const byThing = new Map<string, Need[]>();
  for (const need of needs) {
    const list = byThing.get(need.on.id);
    if (list) list.push(need);
    else byThing.set(need.on.id, [need]);
  }
  const { all: named, byAddress } = context.things();
  // a subscription that hands to a queue holds nothing itself
  const all = named.filter(({ id, kind }) => kind !== 'subscription' || graph.nodes.has(id));
  return (declared.access?.items ?? []).flatMap((statement, index) => {
    if (!statement.allow) return [];
    const patterns = statement.on?.items.map(({ value }) => value) ?? [];
    const wild = patterns.some((pattern) => pattern.includes('*'));
    const things = wild ? all : patterns.flatMap((pattern) => byAddress.get(pattern) ?? []);
    const met = metBy.get(statement) ?? [];
    // what everyone may do goes beyond need wherever somebody in particular needs it
    const near = isEveryone(statement)
      ? met
      : wild
        ? needs
        : things.flatMap(({ id }) => byThing.get(id) ?? []);
    const excess = excessOf(statement, near, things);
    return excess ? [{ statement, title: titleOf(statement, index), met, excess }] : [];
  });
}

const isEveryone = ({ who, when }: StatementDecl) =>
  !when && who?.items.some(({ value }) => value === 'any') === true;

/** A statement that allows more than the routes need. */
export const tooWide = check({
  id: 'access/too-wide',
  severity: 'advice',
  finds: 'A statement that allows more than the routes need.',
  why: 'Whatever is allowed beyond need is open to mistakes and misuse, and nobody will miss it when it is closed.',
  of: 'whole',
  run: (graph, context) =>
    wideIn(graph, context).flatMap(({ statement, title, met, excess }): Complaint[] => {
      if (isEveryone(statement) || (excess.who.length === 0 && excess.on.size === 0)) return [];
      const place = statement.name?.place ?? statement.place;
      const about = met[0]?.on.id ?? [...excess.on.values()][0]?.[0]?.id ?? '';
      if (met.length === 0)
        return [
          {
            message: `“${title}” allows what no route needs: ${inWords(excess)}.`,
            place,
            about,
            mends: [
              {
                title: 'Take the statement away',
                edit: (topology) => replaceOrRemove(topology, statement, []),
              },
            ],
          },
        ];
      const foreign = lettingOthersIn(graph, statement, excess);
      return [
        {
          message: `“${title}” allows more than the routes need: also ${inWords(excess)}.`,
          place,
          about,
          ...(foreign ? { severity: 'warning' as const } : {}),
          mends: [narrowing(graph, statement, met)],
        },
      ];
    }),
});

/** A statement that allows everybody, whoever they are. */
export const everyone = check({
  id: 'access/everyone',
  severity: 'warning',
  finds: 'A statement that allows everyone, without a `when` that narrows it.',
  why: 'Everyone is also every partner and every program that nobody thought of.',
  of: 'whole',
  run: (graph, context) =>
    wideIn(graph, context).flatMap(({ statement, title, met, excess }): Complaint[] => {
      if (!isEveryone(statement)) return [];
      const needed = met.length
        ? `The routes need it for ${listed([...new Set(met.map(({ who, action, on }) => `${who.thing.name} to ${VERBS[action]} ${addressOf(on)}`))])} only`
        : 'No route needs it';
      const also = excess.on.size ? `; it also lets everyone ${inWords({ ...excess, who: [] })}` : '';
      return [
        {
          message: `“${title}” allows everyone. ${needed}${also}.`,
          place: statement.who!.place,
          about: met[0]?.on.id ?? '',
          also: met.flatMap(({ who, on, edge }) => [who.thing.id, on.id, edge.to]),
          mends: met.length
            ? [narrowing(graph, statement, met)]
            : [
                {
                  title: 'Take the statement away',
                  edit: (topology) => replaceOrRemove(topology, statement, []),
                },
              ],
        },
      ];
    }),
});

const VERBS: Readonly<Record<string, string>> = { publish: 'publish to', consume: 'consume from' };

function inWords({ who, on }: Excess): string {
  const parts = [...on].map(
    ([action, things]) => `${VERBS[action] ?? action} ${listed(things.map(addressOf))}`,
  );
  if (who.length) parts.push(`${listed(who)}, who ${who.length === 1 ? 'needs' : 'need'} none of it`);
  return parts.join('; ');
}

/** Whether what is allowed beyond need is allowed to others than the owner of the thing. */
function lettingOthersIn({ topology }: RoutingGraph, { who }: StatementDecl, { on }: Excess): boolean {
  const owners = new Set([...on.values()].flat().map((each) => tenantOf(topology, each)));
  return (who?.items ?? []).some(({ value }) => {
    const own = value.startsWith('tenant:') ? value.slice('tenant:'.length) : ownTenant(topology, value);
    return own !== undefined && [...owners].some((owner) => owner !== own);
  });
}

function ownTenant(topology: RoutingGraph['topology'], who: string): string | undefined {
  const app = who.startsWith('app:') ? topology.declared.apps?.get(who.slice('app:'.length)) : undefined;
  return app && (app.value.tenant ?? topology.declared.tenant)?.value;
}

/** The mend that leaves of a statement exactly what the routes need. */
function narrowing({ topology }: RoutingGraph, statement: StatementDecl, met: readonly Need[]): Mend {
  // callers with the same needs share a statement
  const wants = new Map<
    string,
    { readonly action: string; readonly who: Need['who']; readonly on: Set<string> }
  >();
  for (const { who, action, on } of met) {
    const id = `${action} ${who.thing.id}`;
    const want = wants.get(id) ?? { action, who, on: new Set() };
    want.on.add(addressOf(on));
    wants.set(id, want);
  }
  const groups = new Map<string, { action: string; who: string[]; on: string[] }>();
  for (const { action, who, on } of wants.values()) {
    const id = `${action} ${[...on].sort().join(' ')} ${statement.when ? '' : who.tenant}`;
    const group = groups.get(id) ?? { action, who: [], on: [...on] };
    group.who.push(who.thing.id);
    groups.set(id, group);
  }
  const owners = new Map(met.map(({ on }) => [addressOf(on), tenantOf(topology, on)]));
  const tenants = new Map(met.map(({ who }) => [who.thing.id as string, who.tenant]));
  const others = (statement.allow?.items ?? [])
    .map(({ value }) => value)
    .filter((action) => action !== 'publish' && action !== 'consume');
  const name = statement.name?.value;
  const items = [...groups.values()].map(({ action, who, on }, index): Json => {
    const tenant = tenants.get(who[0]!);
    const foreign = on.some((each) => owners.get(each) !== tenant);
    const when = whenOf(statement) ?? (foreign && tenant ? { tenant } : undefined);
    return {
      ...(name === undefined ? {} : { name: index ? `${name} ${index + 1}` : name }),
      allow: [action, ...(index === 0 ? others : [])],
      who: one(who),
      on: one(on),
      ...(when ? { when } : {}),
      ...(index === 0 && statement.note ? { note: statement.note.value } : {}),
    };
  });
  return {
    title:
      items.length === 1
        ? 'Allow only what the routes need'
        : `Allow only what the routes need (${counted(items.length, 'statement')})`,
    edit: (topology) => replaceOrRemove(topology, statement, items),
  };
}

const one = (names: readonly string[]): Json => (names.length === 1 ? names[0]! : names);

function whenOf({ when }: StatementDecl): Json | undefined {
  if (!when) return undefined;
  const { source, tenant, encrypted, key } = when;
  return Object.fromEntries(
    Object.entries({ source, tenant, encrypted, key }).flatMap(([name, value]) =>
      value ? [[name, value.value]] : [],
    ),
  );
}

function replaceOrRemove(
  topology: Parameters<typeof replaceItem>[0],
  { place }: StatementDecl,
  items: readonly Json[],
) {
  return items.length ? replaceItem(topology, place, items) : removeItem(topology, place);
}

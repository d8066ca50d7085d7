import { type Complaint, check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { listed } from '../../../base/phrase.ts';
import { addressOf, thing } from '../../../language/thing.ts';
import { addItem, setAt } from '../../../syntax/edit/edit.ts';
import type { MessageType } from '../../../topology/messages.ts';
import type { Mend } from '../../../topology/topology.ts';

/** A taker of guarded data whose tenant is not cleared for it. */
export const notCleared = check({
  id: 'access/not-cleared',
  severity: 'error',
  finds: 'A taker of guarded data (personal, financial, …) whose tenant is not cleared for it.',
  why: 'Data with such a label may only come to tenants that are cleared for it.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const labels = guardedIn(
      context,
      context.arrivals(node.id).map(({ type }) => type),
    );
    if (labels.size === 0) return [];
    return context.out(node.id).flatMap((edge): Complaint[] => {
      if (edge.kind !== 'take') return [];
      const { name } = context.node(edge.to)!.thing;
      const tenant = context.owner(thing('app', name));
      const clears = new Set(
        tenant === undefined ? [] : context.tenant(tenant)?.clears?.items.map(({ value }) => value),
      );
      const open = [...labels].filter(([label]) => !clears.has(label));
      if (open.length === 0 || tenant === undefined) return [];
      return [
        {
          message: `${name} takes ${listed(open.map(([label]) => label))} data from ${addressOf(node.thing)} (${listed([...new Set(open.flatMap(([, types]) => types))])}), but tenant ${tenant} is not cleared for it.`,
          place: edge.place,
          about: node.id,
          also: [edge.to, `tenant:${tenant}`],
          mends:
            open.length === 1
              ? [clearing(['tenants', tenant], open[0]![0], `Clear tenant ${tenant} for ${open[0]![0]} data`)]
              : [],
        },
      ];
    });
  },
});

function guardedIn(context: CheckContext, types: readonly MessageType[]): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const type of types)
    for (const label of type.labels) {
      const list = found.get(label);
      if (list) list.push(type.id);
      else if (context.guarded(label)) found.set(label, [type.id]);
    }
  return found;
}

function clearing(path: readonly string[], label: string, title: string): Mend {
  return {
    title,
    edit: (topology) => {
      const [section, id] = path as ['tenants' | 'brokers', string];
      const has = topology.declared[section]?.get(id)?.value.clears;
      return has
        ? addItem(topology, [...path, 'clears'], label)
        : setAt(topology, [...path, 'clears'], [label]);
    },
  };
}

/** A broker that guarded data passes, though it is not cleared for it, or plain. */
export const unguardedBroker = check({
  id: 'access/unguarded-broker',
  severity: 'warning',
  finds:
    'A broker that guarded data passes, but that is not cleared for it, or that sends or keeps it in plain text.',
  why: 'Data with such a label may only pass, and lie, where somebody has said that it may, and where nobody can read it on the way.',
  of: 'broker',
  run: ({ name: broker, decl, place }, context) => {
    const labels = context.guardedOn(broker);
    const traits = context.broker(broker);
    if (!traits || labels.size === 0) return [];
    const about = `broker:${broker}`;
    const found = [...labels].flatMap(([label, names]): Complaint[] =>
      traits.clears.has(label)
        ? []
        : [
            {
              message: `Broker ${broker} is not cleared for ${label} data, but ${listed(names)} ${names.length === 1 ? 'passes' : 'pass'} it.`,
              place,
              about,
              mends: [clearing(['brokers', broker], label, `Clear ${broker} for ${label} data`)],
            },
          ],
    );
    const names = listed([...labels.keys()]);
    for (const [what, how] of [
      ['transit', 'sends and receives'],
      ['rest', 'keeps'],
    ] as const) {
      if (traits[what] !== 'plain') continue;
      found.push({
        message: `Broker ${broker} ${how} messages in plain text, and ${names} data is among them.`,
        place: decl[what]?.place ?? place,
        about,
        mends: [
          {
            title: `Say that ${broker} encrypts in ${what}`,
            edit: (topology) => setAt(topology, ['brokers', broker, what], 'encrypted'),
          },
        ],
      });
    }
    return found;
  },
});

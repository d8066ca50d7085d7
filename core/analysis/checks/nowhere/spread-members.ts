import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { addressOf } from '../../../language/thing.ts';
import type { GraphNode } from '../../../brokers/terms.ts';

/** Settings in which the members of a spread should not differ, as a person reads them. */
const SETTINGS = [
  'durable',
  'order',
  'ttl',
  'maxLength',
  'maxBytes',
  'overflow',
  'maxDeliveries',
  'maxPriority',
  'lease',
  'delay',
] as const;

const DEFAULTS: Readonly<Record<string, unknown>> = {
  durable: true,
  order: 'best-effort',
  maxPriority: 0,
  overflow: 'drop-oldest',
};

function settingOf(node: GraphNode, name: string): unknown {
  const value = (node.decl as unknown as Record<string, { readonly value?: unknown } | undefined>)[name]
    ?.value;
  return value ?? DEFAULTS[name];
}

/** A spread whose members treat a message differently. */
export const spreadMembers = check({
  id: 'nowhere/spread-members',
  severity: 'warning',
  finds: 'A spread whose members have different settings.',
  why: 'A spread is one queue in several places: what happens to a message must not depend on where it was put.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'spread') return [];
    const members = context.out(node.id).map((edge) => context.node(edge.to)!);
    const differ = SETTINGS.filter((name) => new Set(members.map((each) => settingOf(each, name))).size > 1);
    if (differ.length === 0) return [];
    return [
      {
        message: `The members of spread ${node.thing.name} differ in ${listed(differ)}: ${members.map((each) => addressOf(each.thing)).join(', ')}.`,
        place: node.place,
        about: node.id,
        related: members.map((each) => ({ place: each.place, message: 'a member' })),
      },
    ];
  },
});

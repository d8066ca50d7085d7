import { check } from '../check.ts';
import { instancesAt } from '../stores.ts';
import { formatDuration } from '../../../base/values.ts';
import { addressOf } from '../../../language/thing.ts';

/** A time to live in which the takers of a full store cannot empty it. */
export const shortTtl = check({
  id: 'loss/short-ttl',
  severity: 'warning',
  finds: 'A time to live that is shorter than its takers need, for one message or for a full queue.',
  why: 'What waits longer than its time to live is dropped: behind slow takers that happens just when there is much to do.',
  of: 'node',
  run: (node, context) => {
    if ((node.role !== 'queue' && node.role !== 'subscription') || !node.decl.ttl) return [];
    const { ttl } = node.decl;
    const takes = context.out(node.id).filter((edge) => edge.kind === 'take');
    const slowest = takes.reduce((most, edge) => Math.max(most, edge.consume?.takes?.value ?? 0), 0);
    if (slowest === 0) return [];
    const perInstance = 'perInstanceOf' in node.decl && node.decl.perInstanceOf;
    const hands = perInstance ? 1 : instancesAt(context, takes);
    const room = 'maxLength' in node.decl ? (node.decl.maxLength?.value ?? 1) : 1;
    const drain = Math.ceil((room * slowest) / Math.max(hands, 1));
    if (drain <= ttl.value) return [];
    const what = room > 1 ? `${room} messages, as many as it holds, take` : 'one message takes';
    return [
      {
        message: `${addressOf(node.thing)} drops what waited ${formatDuration(ttl.value)}, but ${what} its takers ${roughly(drain)}: the last ones expire first.`,
        place: ttl.place,
        about: node.id,
        also: takes.map((edge) => edge.to),
      },
    ];
  },
});

/** A duration in the unit that says it best, not to the millisecond. */
function roughly(ms: number): string {
  const units = [
    ['d', 86_400_000],
    ['h', 3_600_000],
    ['m', 60_000],
    ['s', 1000],
  ] as const;
  const [unit, size] = units.find(([, each]) => ms >= 2 * each) ?? ['ms', 1];
  return `${Math.round(ms / size)}${unit}`;
}

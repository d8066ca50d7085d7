/** What of an environment as it is now is drawn in the picture: counts beside stores and entries, flow on lines. */
import type { LookSeen } from '../../api.ts';

export interface Counted {
  readonly waiting: number;
  readonly inHand: number;
  readonly takers: number;
  readonly comes: number;
  readonly goes: number;
  /** Whether something grave is said of it, or something. */
  readonly tone: '' | 'warning' | 'error';
}

const GRAVE = new Set(['stalls', 'broker away', 'link stands']);

/** @returns by the id of what is declared, its counts: of all instances' queues together */
export function countsById({ stores, entries, said }: LookSeen): Map<string, Counted> {
  const found = new Map<string, Counted>();
  const tones = new Map<string, Counted['tone']>();
  for (const { about, kind } of said)
    if (tones.get(about) !== 'error') tones.set(about, GRAVE.has(kind) ? 'error' : 'warning');
  const none = { waiting: 0, inHand: 0, takers: 0, comes: 0, goes: 0 };
  for (const each of stores) {
    if (each.id === null) continue;
    const { waiting, inHand, takers, comes, goes } = found.get(each.id) ?? none;
    found.set(each.id, {
      waiting: waiting + each.waiting + each.delayed,
      inHand: inHand + each.inHand,
      takers: takers + each.takers.length,
      comes: comes + (each.comes ?? 0),
      goes: goes + (each.goes ?? 0),
      tone: tones.get(each.id) ?? '',
    });
  }
  for (const { id, comes, goes } of entries)
    if (id !== null && !found.has(id))
      found.set(id, { ...none, comes: comes ?? 0, goes: goes ?? 0, tone: tones.get(id) ?? '' });
  return found;
}

const rate = (value: number) => (value >= 10 ? Math.round(value).toLocaleString('en') : value.toFixed(1));

/** @returns counts in few words; nothing where nothing is */
export function inFewWords({ waiting, inHand, comes }: Counted): string {
  return [
    ...(waiting ? [`${waiting.toLocaleString('en')} wait`] : []),
    ...(inHand ? [`${inHand.toLocaleString('en')} in hand`] : []),
    ...(comes >= 0.05 ? [`${rate(comes)}/s`] : []),
  ].join(' · ');
}

/** A line as wide as so many a second make it: one for a few, up to six for thousands. */
export const widthOf = (aSecond: number): number => Math.min(6, 1.5 + Math.log10(1 + aSecond) * 1.5);

/**
 * The lines of which the flow is known: a store's only way in carries all that comes, its only way to a taker all that
 * goes. Where several lead there, nobody counts which brought what.
 */
export function flowsOn(
  edges: readonly {
    readonly id: string;
    readonly from: string;
    readonly to: string;
    readonly kind: string;
  }[],
  counts: ReadonlyMap<string, Counted>,
): Map<string, number> {
  const into = new Map<string, string[]>();
  const out = new Map<string, string[]>();
  for (const { id, from, to, kind } of edges) {
    into.set(to, [...(into.get(to) ?? []), id]);
    if (kind === 'take') out.set(from, [...(out.get(from) ?? []), id]);
  }
  const found = new Map<string, number>();
  for (const [id, { comes, goes }] of counts) {
    const [ways = [], takes = []] = [into.get(id), out.get(id)];
    if (ways.length === 1 && comes > 0) found.set(ways[0]!, comes);
    if (takes.length === 1 && goes > 0) found.set(takes[0]!, goes);
  }
  return found;
}

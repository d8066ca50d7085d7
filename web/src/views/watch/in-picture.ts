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
export function countsById({ stores, entries, said, alerts = [] }: LookSeen): Map<string, Counted> {
  const found = new Map<string, Counted>();
  const tones = new Map<string, Counted['tone']>();
  for (const { about, kind } of said)
    if (tones.get(about) !== 'error') tones.set(about, GRAVE.has(kind) ? 'error' : 'warning');
  for (const { about, off } of alerts) if (off) tones.set(about, 'error');
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

/** Of each store or entry its only way in, and of each store its only way to a taker. */
export type OnlyWays = ReadonlyMap<string, { readonly into?: string; readonly take?: string }>;

/**
 * The lines of which the flow can be known: a store's only way in carries all that comes, its only way to a taker all that
 * goes. Where several lead there, nobody counts which brought what.
 */
export function onlyWays(
  edges: readonly {
    readonly id: string;
    readonly from: string;
    readonly to: string;
    readonly kind: string;
  }[],
): OnlyWays {
  const found = new Map<string, { into?: string; take?: string }>();
  const several = new Set<string>();
  const note = (of: string, which: 'into' | 'take', id: string) => {
    const ways = found.get(of) ?? {};
    found.set(of, ways);
    const key = `${which} ${of}`;
    if (ways[which] !== undefined) several.add(key);
    if (several.has(key)) delete ways[which];
    else ways[which] = id;
  };
  for (const { id, from, to, kind } of edges) {
    note(to, 'into', id);
    if (kind === 'take') note(from, 'take', id);
  }
  return found;
}

/** @returns how many a second flow on the lines of which that is known */
export function flowsOn(ways: OnlyWays, counts: ReadonlyMap<string, Counted>): Map<string, number> {
  const found = new Map<string, number>();
  for (const [id, { comes, goes }] of counts) {
    const { into, take } = ways.get(id) ?? {};
    if (into !== undefined && comes > 0) found.set(into, comes);
    if (take !== undefined && goes > 0) found.set(take, goes);
  }
  return found;
}

/** A part of the picture, in its own units, and how large it is shown. */
export interface View {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly k: number;
}

/** Words of a picture that is shown smaller than this cannot be read. */
const READABLE = 0.45;
/** Where words cannot be read, so many places of which something is said are marked. */
const MOST_MARKED = 400;

export interface Tag {
  readonly id: string;
  readonly x: number;
  readonly y: number;
  /** Empty where they could not be read. */
  readonly words: string;
  readonly tone: Counted['tone'];
}

/**
 * Of a large picture only what can be read is written: counts in the part that is shown, and a little around it. Shown
 * so small that words cannot be read, only those places are marked of which something is said.
 * @param plate how large a node is
 */
export function tagsIn(
  nodes: readonly { readonly id: string; readonly x: number; readonly y: number }[],
  counts: ReadonlyMap<string, Counted>,
  view: View,
  plate: { readonly width: number; readonly height: number },
): Tag[] {
  const readable = view.k >= READABLE;
  const [aside, above] = readable ? [view.width / 2, view.height / 2] : [0, 0];
  const found: Tag[] = [];
  for (const { id, x, y } of nodes) {
    const counted = counts.get(id);
    if (!counted || (!readable && counted.tone === '')) continue;
    if (x + plate.width < view.x - aside || x > view.x + view.width + aside) continue;
    if (y + plate.height < view.y - above || y > view.y + view.height + above) continue;
    const words = inFewWords(counted);
    if (words === '' && counted.tone === '') continue;
    found.push({ id, x, y, words: readable ? words : '', tone: counted.tone });
  }
  if (readable) return found;
  const grave = ({ tone }: Tag) => Number(tone === 'error');
  return found.sort((a, b) => grave(b) - grave(a)).slice(0, MOST_MARKED);
}

/** Where words cannot be read, so many lines are drawn, those on which most flows. */
const MOST_LINES = 300;

interface Line {
  readonly id: string;
  readonly points: readonly { readonly x: number; readonly y: number }[];
}

/** @returns the lines on which flow is drawn: in the part that is shown those that can be told apart, otherwise the strongest */
export function linesIn<L extends Line>(
  lines: readonly L[],
  flows: ReadonlyMap<string, number>,
  view: View,
): { line: L; aSecond: number }[] {
  const [aside, above] = [view.width / 2, view.height / 2];
  const found = lines.flatMap((line) => {
    const aSecond = flows.get(line.id);
    return aSecond === undefined || !crosses(line, view, aside, above) ? [] : [{ line, aSecond }];
  });
  if (view.k >= READABLE) return found;
  return found.sort((a, b) => b.aSecond - a.aSecond).slice(0, MOST_LINES);
}

/** Whether the box around a line meets the part that is shown, with so much around it. */
function crosses({ points }: Line, { x, y, width, height }: View, aside: number, above: number): boolean {
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const point of points) {
    left = Math.min(left, point.x);
    right = Math.max(right, point.x);
    top = Math.min(top, point.y);
    bottom = Math.max(bottom, point.y);
  }
  return right >= x - aside && left <= x + width + aside && bottom >= y - above && top <= y + height + above;
}

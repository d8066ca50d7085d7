/** What of a store is charted. */
export const MEASURES = {
  waiting: 'waiting',
  inHand: 'in hand',
  delayed: 'delayed',
  takers: 'takers',
  comes: 'come a second',
  goes: 'settled a second',
} as const;
export type Measure = keyof typeof MEASURES;

/** How far back, in minutes. */
export const SPANS = {
  15: '15 minutes',
  60: 'an hour',
  2880: 'two days',
  129600: 'ninety days',
} as const;

/** @returns a rate as people read it: nothing where it is not known, or none */
export const perSecond = (value: number | null): string =>
  value === null
    ? ''
    : value === 0
      ? '0'
      : value < 0.1
        ? '<0.1'
        : value.toLocaleString('en', { maximumFractionDigits: 1 });

/** @returns how long ago, in the largest unit that says it */
export const ago = (at: string | null | undefined, now: number): string =>
  at ? lasting(now - Date.parse(at), Math.floor) : '';

/** @returns in how long something will be, in the largest unit that says it */
export const until = (at: string, now: number): string => lasting(Date.parse(at) - now, Math.ceil);

function lasting(ms: number, whole: (count: number) => number): string {
  const seconds = Math.max(0, Math.round(ms / 1000));
  const [size, unit] = (
    [
      [86_400, 'd'],
      [3600, 'h'],
      [60, 'min'],
      [1, 's'],
    ] as const
  ).find(([each]) => seconds >= each) ?? [1, 's'];
  return `${whole(seconds / size)} ${unit}`;
}

const UNITS = [
  ['year', 31_536_000],
  ['month', 2_592_000],
  ['week', 604_800],
  ['day', 86_400],
  ['hour', 3_600],
  ['minute', 60],
] as const;

/** @returns how long ago that was, in words: `3 hours ago`, `just now` */
export function ago(when: string | Date, now = Date.now()): string {
  const seconds = (now - new Date(when).getTime()) / 1000;
  const words = new Intl.RelativeTimeFormat('en', { numeric: 'auto' });
  for (const [unit, size] of UNITS)
    if (seconds >= size) return words.format(-Math.floor(seconds / size), unit);
  return 'just now';
}

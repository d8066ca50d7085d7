/** Measuring side by side: each contender runs in turn, again and again, and medians are compared. */

export interface Measured {
  readonly name: string;
  /** Median milliseconds of one run. */
  readonly ms: number;
}

/** Runs all contenders in turn, `rounds` times after a warm-up. */
export function inTurn(contenders: Record<string, () => unknown>, rounds = 5): Measured[] {
  const names = Object.keys(contenders);
  const times = new Map<string, number[]>(names.map((name) => [name, []]));
  for (let round = -1; round < rounds; round++) {
    for (const name of names) {
      const began = performance.now();
      contenders[name]!();
      if (round >= 0) times.get(name)!.push(performance.now() - began);
    }
  }
  return names.map((name) => ({ name, ms: median(times.get(name)!) }));
}

/** What a thing costs in memory; needs `--expose-gc`. */
export function held<T>(make: () => T): { made: T; megabytes: number } {
  const used = () => {
    globalThis.gc?.();
    const { heapUsed, arrayBuffers } = process.memoryUsage();
    return (heapUsed + arrayBuffers) / 1e6;
  };
  const before = used();
  const made = make();
  return { made, megabytes: used() - before };
}

/** @returns the middle one of some times. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[sorted.length >> 1]!;
}

/** Prints a table: each contender's median, and its ratio to the first. */
export function print(title: string, measured: readonly Measured[], note = ''): void {
  const first = measured[0]!.ms;
  console.log(`\n${title}${note ? ` (${note})` : ''}`);
  for (const { name, ms } of measured) {
    console.log(`  ${name.padEnd(44)} ${ms.toFixed(1).padStart(9)} ms   × ${(ms / first).toFixed(2)}`);
  }
}

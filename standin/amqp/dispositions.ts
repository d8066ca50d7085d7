/**
 * The protocol's package writes what is said of several deliveries as one range, and takes a second one into the
 * range of a single first whatever is said of it: a rejection right behind an acceptance would go out as an
 * acceptance. Here only what is said alike is handed to it at once.
 */
import type rhea from 'rhea';

/** Accepted (AMQP 1.0 §3.4.2): nothing more is said with it, so that any number is said alike. */
const ACCEPTED = 0x24;

interface Said {
  readonly id: number;
  readonly settled: boolean;
  readonly state?: { readonly descriptor?: { readonly value: unknown } };
}
interface Side {
  process(session?: rhea.Session): void;
  updated?: Said[];
  pending_dispositions?: Said[];
}

/** @returns the same, in runs of which each may be written as one range */
export function inRuns<T extends Said>(said: readonly T[]): T[][] {
  const runs: T[][] = [];
  for (const each of said) {
    const run = runs.at(-1);
    const last = run?.at(-1);
    if (last && last.settled === each.settled && last.id + 1 === each.id && alike(last, each))
      run!.push(each);
    else runs.push([each]);
  }
  return runs;
}

function alike(a: Said, b: Said): boolean {
  if (a.state === undefined || b.state === undefined) return a.state === b.state;
  return Number(a.state.descriptor?.value) === ACCEPTED && Number(b.state.descriptor?.value) === ACCEPTED;
}

/** Makes a session say of each delivery what was said of it. */
export function sayEachApart(session: rhea.Session): void {
  const { incoming, outgoing } = session as unknown as { incoming: Side; outgoing: Side };
  for (const [side, list] of [
    [incoming, 'updated'],
    [outgoing, 'pending_dispositions'],
  ] as const) {
    const process = side.process.bind(side);
    side.process = (of) => {
      const [first = [], ...rest] = inRuns(side[list] ?? []);
      side[list] = first;
      process(of);
      for (const run of rest) {
        side[list] = [...(side[list] ?? []), ...run];
        process(of);
      }
    };
  }
}

/** Which revision each environment has, told from the rollouts carried out there. */
import type { RolloutEntry, Target } from '../api.ts';

export interface Standing {
  readonly environment: string;
  /** The revisions its brokers have, oldest first; none where nothing was carried out yet. */
  readonly revisions: readonly number[];
  /** Whether every broker that is declared has some. */
  readonly whole: boolean;
  /** The declared brokers that nothing is connected for. */
  readonly missing: readonly string[];
}

/**
 * @param rollouts newest first
 * @param declared the brokers that the topology declares
 * @returns one for each environment that has targets, in the order of the targets
 */
export function standingsOf(
  targets: readonly Target[],
  rollouts: readonly RolloutEntry[],
  declared: readonly string[],
): Standing[] {
  return [...new Set(targets.map(({ environment }) => environment))].map((environment) => {
    const own = targets.filter((target) => target.environment === environment);
    const has = own.flatMap(({ broker }) => {
      const last = rollouts.find(
        (each) => each.environment === environment && each.broker === broker && each.state === 'applied',
      );
      return last && !last.tearsDown ? [last.revision] : [];
    });
    const missing = declared.filter((each) => !own.some(({ broker }) => broker === each));
    return {
      environment,
      revisions: [...new Set(has)].sort((a, b) => a - b),
      whole: has.length === own.length && missing.length === 0,
      missing,
    };
  });
}

/** @returns what is declared and not connected, as a sentence; nothing where all is */
export const missingInWords = (standings: readonly Standing[]): string =>
  standings
    .filter(({ missing }) => missing.length)
    .map(({ environment, missing }) => `In ${environment} nothing is connected for ${missing.join(', ')}.`)
    .join(' ');

/** @returns a standing in a few letters: `live r2`, `rehearsal nothing yet`, `live r2 and r3` */
export function standingInWords({ environment, revisions, whole }: Standing): string {
  if (revisions.length === 0) return `${environment} nothing yet`;
  return `${environment} ${whole ? '' : 'partly '}${revisions.map((each) => `r${each}`).join(' and ')}`;
}

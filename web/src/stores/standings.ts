/** Which revision each environment has, told from the rollouts carried out there. */
import type { RolloutEntry, Target } from '../api.ts';

export interface Standing {
  readonly environment: string;
  /** The revisions its brokers have, oldest first; none where nothing was carried out yet. */
  readonly revisions: readonly number[];
  /** Whether every one of its brokers has some. */
  readonly whole: boolean;
}

/**
 * @param rollouts newest first
 * @returns one for each environment that has targets, in the order of the targets
 */
export function standingsOf(targets: readonly Target[], rollouts: readonly RolloutEntry[]): Standing[] {
  return [...new Set(targets.map(({ environment }) => environment))].map((environment) => {
    const own = targets.filter((target) => target.environment === environment);
    const has = own.flatMap(({ broker }) => {
      const last = rollouts.find(
        (each) => each.environment === environment && each.broker === broker && each.state === 'applied',
      );
      return last ? [last.revision] : [];
    });
    return {
      environment,
      revisions: [...new Set(has)].sort((a, b) => a - b),
      whole: has.length === own.length,
    };
  });
}

/** @returns a standing in a few letters: `live r2`, `rehearsal nothing yet`, `live r2 and r3` */
export function standingInWords({ environment, revisions, whole }: Standing): string {
  if (revisions.length === 0) return `${environment} nothing yet`;
  return `${environment} ${whole ? '' : 'partly '}${revisions.map((each) => `r${each}`).join(' and ')}`;
}

/** What keeps a topology from being planned with at all. */
import type { Review } from '../checks/review.ts';

/** @returns what could not be read of it, and what a broker would refuse, in words; none where it can be rolled out */
export function obstaclesToPlan({ findings }: Pick<Review, 'findings'>): string[] {
  const unread = findings.filter(
    ({ check, severity }) => severity === 'error' && check.startsWith('language/'),
  );
  const refused = findings.filter(({ check }) => check.startsWith('broker/'));
  return [...unread, ...refused].map(({ message }) => message);
}

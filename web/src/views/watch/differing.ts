/** What is told of a drift, as it is taken in. */
import type { Differing } from '@vondle/core/change';
import type { DriftSeen } from '../../api.ts';

/** @returns the differences that documents could say; what apps may do on a broker is given by the access that is declared */
export const differing = (differences: DriftSeen['differences']): Differing[] =>
  differences.flatMap(({ of, there, applied }) =>
    of === 'rights'
      ? []
      : [{ of, ...(there ? { there } : {}), ...(applied ? { applied } : {}) } as unknown as Differing],
  );

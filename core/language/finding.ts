import type { Edited } from '../base/edits.ts';
import { writeScalar } from '../syntax/edit/edit.ts';
import type { Place, Placed } from '../syntax/place.ts';

/** How much a finding weighs: an error will lose or refuse messages or cannot be read at all. */
export type Severity = 'error' | 'warning' | 'advice';

/**
 * An edit of the documents that removes a finding, with words saying what it does.
 * @typeParam T what it is worked out on: a whole topology, or as much of it as it needs
 */
export interface MendOf<T> {
  readonly title: string;
  /** Works the edits out, only when somebody wants to see them: on the topology the finding is of. */
  readonly edit: (topology: T) => Edited;
  /** Whether there is anything to be done by it there; always, where it does not say. Costs little. */
  readonly offered?: (topology: T) => boolean;
}

/**
 * @param written YAML of the scalar that is written instead
 * @returns the mend that writes another scalar at a place
 */
export function writing(place: Place, written: string, title = `Write \`${written}\``): MendOf<Placed> {
  return { title, edit: (placed) => writeScalar(placed, place, written) };
}

/** One result of reading or checking: what is wrong, where, and how to mend it. */
export interface FindingOf<T> {
  /** Stable id, `group/name`. */
  readonly check: string;
  readonly severity: Severity;
  /** One plain sentence. */
  readonly message: string;
  readonly place: Place;
  /** Other places that belong to it, such as the first of two declarations. */
  readonly related?: readonly { readonly place: Place; readonly message: string }[];
  /** The thing it is about, as a thing id (`queue:mainland/boards`), when there is one. */
  readonly about?: string;
  /** Other things it is as much about: a permission is missing at the topic, the queue and the subscription. */
  readonly also?: readonly string[];
  readonly mends?: readonly MendOf<T>[];
}

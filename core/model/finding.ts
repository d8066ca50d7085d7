import type { Place } from './place.ts';

/** How much a finding weighs: an error will lose or refuse messages or cannot be read at all. */
export type Severity = 'error' | 'warning' | 'advice';

/** A minimal change of one document: replace `start..end` by `text`. */
export interface TextEdit {
  readonly doc: string;
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/** An edit of the documents that removes a finding, with words saying what it does. */
export interface Mend {
  readonly title: string;
  readonly edits: readonly TextEdit[];
}

/** One result of reading or checking: what is wrong, where, and how to mend it. */
export interface Finding {
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
  readonly mends?: readonly Mend[];
}

import type { Edited } from '../language/edit.ts';
import type { Topology } from '../language/read.ts';
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
  /** Works the edits out, only when somebody wants to see them: on the topology the finding is of. */
  readonly edit: (topology: Topology) => Edited;
}

/** @returns the mend that writes other text at a place; the place moves with its text until it is asked for */
export function writing(place: Place, text: string, title = `Write \`${text}\``): Mend {
  return {
    title,
    edit: () => ({ ok: true, edits: [{ doc: place.doc, start: place.start, end: place.end, text }] }),
  };
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
  /** Other things it is as much about: a leave is missing at the topic, the queue and the subscription. */
  readonly also?: readonly string[];
  readonly mends?: readonly Mend[];
}

/** A topology: its documents together, as they were read. */
import type { TextDocument } from '../base/edits.ts';
import type { FindingOf, MendOf } from '../language/finding.ts';
import type { Placed } from '../syntax/place.ts';
import type { DocumentDecl } from './document.ts';
import type { MessageType } from './messages.ts';
import type { Sound } from './references.ts';

/** What the documents declare, typed, merged and with parameters put in; every value knows its place. */
export interface Topology extends Placed {
  readonly name: string;
  /** The environment whose values were put in; undefined for the defaults alone. */
  readonly environment?: string;
  readonly documents: readonly TextDocument[];
  readonly declared: DocumentDecl;
  /** The message types with what they inherit. */
  readonly messages: ReadonlyMap<string, MessageType>;
  /** One object for as long as the same reader finds the same things of the same names. */
  readonly names: Names;
  /** The parameters that some value is made of. */
  readonly usedParameters: ReadonlySet<string>;
  /** What is wrong with the text itself: syntax, keys, values, references. */
  readonly findings: readonly Finding[];
}

/** Stands for all names of a topology; it also knows which declarations name only what is there. */
export interface Names {
  readonly sound: Sound;
}

/** What is wrong with a topology, where, and how to mend it. */
export type Finding = FindingOf<Topology>;

/** An edit of a topology's documents that removes a finding. */
export type Mend = MendOf<Topology>;

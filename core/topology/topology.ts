/** A topology: its documents together, as they were read. */
import type { TextDocument } from '../base/edits.ts';
import type { Memory } from '../incremental/memory.ts';
import type { FindingOf, MendOf } from '../language/finding.ts';
import type { Placed } from '../syntax/place.ts';
import type { Names } from './address.ts';
import type { DocumentDecl } from './document.ts';
import type { MessageType } from './messages.ts';

/** What the documents declare, typed, merged and with parameters put in; every value knows its place. */
export interface Topology extends Placed {
  readonly name: string;
  /** The environment whose values were put in; undefined for the defaults alone. */
  readonly environment?: string;
  readonly documents: readonly TextDocument[];
  readonly declared: DocumentDecl;
  /** The message types with what they inherit. */
  readonly messages: ReadonlyMap<string, MessageType>;
  readonly names: Names;
  /** What is remembered of this topology's states: what is asked of one costs what is otherwise in it. */
  readonly memory: Memory;
  /** The parameters that some value is made of. */
  readonly usedParameters: ReadonlySet<string>;
  /** What is wrong with the text itself: syntax, keys, values, references. */
  readonly findings: readonly Finding[];
}

/** What is wrong with a topology, where, and how to mend it. */
export type Finding = FindingOf<Topology>;

/** An edit of a topology's documents that removes a finding. */
export type Mend = MendOf<Topology>;

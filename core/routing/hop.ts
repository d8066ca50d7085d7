/** One step of a message on its way, and what it is sent and given up by. */
import type { Message } from '../conditions/message.ts';
import type { Edge } from '../brokers/terms.ts';
import type { Decision } from './permission.ts';
import type { Place } from '../syntax/place.ts';

/** How one branch of a trace finishes. */
export type Outcome =
  'held' | 'taken' | 'lost' | 'sent back' | 'refused' | 'waiting' | 'unresolved' | 'looped' | 'endless';

export interface End {
  readonly outcome: Outcome;
  /** A plain phrase: why it ends so here. */
  readonly why: string;
  /** The text that decided, where some did. */
  readonly place?: Place;
  /** How many copies end here; 0 where nothing existed to count. */
  readonly copies: number;
}

/** One step of the way. */
export interface Hop {
  /** The node reached; '' where an address names nothing. */
  readonly node: string;
  /** The address that names nothing, as it was written. */
  readonly address?: string;
  /** The way that led here; absent for the first. */
  readonly edge?: Edge;
  /** The message as it is here: a dead letter may have another key, a wrapped one an envelope. */
  readonly message: Message;
  /** How many copies came this way. */
  readonly copies: number;
  /** Milliseconds since it was sent, from the links travelled. */
  readonly latency: number;
  readonly next: readonly Hop[];
  /** The message had been here before on another way, so nothing more happens. */
  readonly again?: true;
  /** Its copies go on with others like them that came here by other ways: all of them from the hop named so. */
  readonly joins?: Hop;
  /** No binding or subscription here let it on. */
  readonly unmatched?: true;
  /** The permission that was asked for this step, where access is controlled. */
  readonly permission?: Decision;
  readonly end?: End;
  /** Apps and links that take the copies resting here, as thing ids. */
  readonly takers?: readonly string[];
  /** Words about a choice that was made here, such as which member of a spread. */
  readonly note?: string;
}

/** Where and how a message is sent. */
export interface Sending {
  /** An address, or the broker itself with `via: 'mqtt'`. */
  readonly to: string;
  readonly via?: 'amqp' | 'mqtt';
  /** The publishing app's id; without one, nobody's permission to publish is asked. */
  readonly from?: string;
  readonly mandatory?: boolean;
}

/** What a store may do to a copy it gives up on. */
export type DeadLetterReason = 'expired' | 'rejected' | 'overflow' | 'too many deliveries';

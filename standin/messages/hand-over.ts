/** What a topic does with a message: a copy for each subscription whose filter lets it through. */
import { admits, type Message } from '@vondle/core/conditions';
import type { Space, Store, Topic } from '../setup/space.ts';

/** A copy of a message, and where it comes to. */
export interface Copy {
  readonly store: Store;
  /** The subscription whose topic puts an envelope round it, where one does. */
  readonly wrappedBy?: string;
}

/** What became of a message at an entry. */
export interface HandedOver {
  readonly copies: readonly Copy[];
  /** Copies that were not handed over, and why: subscription, reason. */
  readonly refused: readonly (readonly [string, string])[];
}

/** @returns the copies a topic makes; those it may not hand over are told of, and to nobody else */
export function handOver(space: Space, topic: Topic, seen: Message): HandedOver {
  const copies: Copy[] = [];
  const refused: [string, string][] = [];
  for (const { name, predicate, wrap, store, asks } of topic.subscriptions) {
    if (!admits(predicate, seen)) continue;
    const why = store ? asks && space.mayNotHand(topic, store.name) : 'the queue it hands to is gone';
    if (why) refused.push([name, why]);
    else copies.push({ store: store!, ...(wrap ? { wrappedBy: name } : {}) });
  }
  return { copies, refused };
}

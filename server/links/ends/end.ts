/** What a link's carrier needs of both its ends, whatever kind of broker they are on. */
import type { LinkEnd } from '@vondle/core/analysis';
import type { Options } from 'amqplib';

/** A message on its way, with all that it came with, in the terms of AMQP 0-9-1 (§4.2.6 of its specification). */
export interface Travelling {
  readonly key: string;
  readonly content: Buffer;
  readonly properties: Options.Publish;
}

/** A message that was taken and is not settled yet. */
export interface Taken extends Travelling {
  /** Tells the source that it is done with. @throws where the connection is gone */
  settle(): void;
}

/** Where a link takes from. */
export interface Source {
  /**
   * Begins to take.
   * @param most so many may be unsettled at once
   * @param take told of each message
   */
  take(most: number, take: (message: Taken) => void): Promise<void>;
  /** Takes no more; what came is settled still. */
  stop(): Promise<void>;
  /** Ends once all that was settled is told. */
  close(): Promise<void>;
}

/** Where a link delivers: all of one broker. */
export interface Sink {
  /** @param done told once the broker has it for certain, or does not take it */
  publish(to: LinkEnd, message: Travelling, done: (error?: unknown) => void): void;
}

/** A broker that links begin or end on. */
export interface Place {
  /** @param failed told when its connection is gone. @throws BrokerTrouble */
  source(store: string, failed: (error: unknown) => void): Promise<Source & { cut(): void }>;
  /**
   * @param blocked told when the broker accepts no messages for now, with its reason, and with none once it does again
   * @throws BrokerTrouble
   */
  sink(failed: (error: unknown) => void, blocked: (why?: string) => void): Promise<Sink & { cut(): void }>;
}

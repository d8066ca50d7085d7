/**
 * Bounds that the protocol's package does not keep by itself: how large a frame, a message and an array may be,
 * and how far a disposition reaches. What goes beyond ends its connection, and nothing else.
 */
import type { Socket } from 'node:net';
import type rhea from 'rhea';
import { sayEachApart } from './dispositions.ts';
import { Reader } from '../messages/encoding.ts';

/** The largest frame that is taken, which peers are told (AMQP 1.0 §2.7.1 max-frame-size). */
export const LARGEST_FRAME = 64 * 1024;
/** The largest message (§2.7.3 max-message-size). */
export const LARGEST_MESSAGE = 1024 * 1024;
/** A protocol header (§2.2) stands where a frame's size does; this is `AMQP`. */
const HEADER = 0x414d5150;
/** No session has more deliveries under way; a disposition of more is of some that are not. */
const MOST_UNDER_WAY = 2048;

/** Frames of a connection, told apart before anything is kept of them. */
export class FrameGuard {
  /** Bytes of the frame under way that are still to come. */
  private rest = 0;
  private head = Buffer.alloc(0);

  /** @returns whether what came next is within bounds; once not, never again */
  within(chunk: Buffer): boolean {
    let at = 0;
    while (at < chunk.length) {
      if (this.rest > 0) {
        const step = Math.min(this.rest, chunk.length - at);
        this.rest -= step;
        at += step;
        continue;
      }
      const wanted = 4 - this.head.length;
      this.head = Buffer.concat([this.head, chunk.subarray(at, at + wanted)]);
      at += wanted;
      if (this.head.length < 4) return true;
      const size = this.head.readUInt32BE(0);
      this.head = Buffer.alloc(0);
      if (size === HEADER) this.rest = 4;
      else if (size < 8 || size > LARGEST_FRAME) return false;
      else this.rest = size - 4;
    }
    return true;
  }
}

/** Ends a connection at the first frame out of bounds. Stands before whoever reads it. */
export function guardSocket(socket: Socket): void {
  const guard = new FrameGuard();
  socket.prependListener('data', (chunk: Buffer) => {
    // with an error: so the protocol's package hears of the end too
    if (!guard.within(chunk)) socket.destroy(new Error('a frame is out of bounds'));
  });
}

interface Transfer {
  readonly performative: { more?: boolean; aborted?: boolean };
  readonly payload?: Buffer;
}
interface Disposition {
  first: number;
  last?: number;
}
interface Inside {
  readonly links: Record<
    string,
    { name: string; is_receiver(): boolean; readonly local: { readonly handle: number } }
  >;
  on_attach(frame: { readonly performative: { readonly name: string; readonly role: boolean } }): void;
  readonly incoming: {
    on_transfer(frame: Transfer, receiver: Receiving): void;
    on_disposition(fields: Disposition): void;
  };
  readonly outgoing: { on_disposition(fields: Disposition): void };
}
/** A link that receives, with the message it has so far; once whole, its bytes. */
export interface Receiving extends rhea.Receiver {
  soFar?: Buffer[];
  whole?: Buffer;
}

/** Bounds messages and dispositions of a session, and leaves a message's bytes with its link. */
export function guardSession(session: rhea.Session): void {
  sayEachApart(session);
  const inside = session as unknown as Inside;
  const { incoming, outgoing } = inside;
  const onAttach = inside.on_attach.bind(session);
  inside.on_attach = (frame) => {
    // a link that sends and one that receives may have one name (§2.6.1); the package knows them by that alone
    const { name, role } = frame.performative;
    const known = inside.links[name];
    if (known && known.is_receiver() === role) {
      delete inside.links[name];
      known.name = `${name} ${role ? 'in' : 'out'} ${known.local.handle}`;
      inside.links[known.name] = known;
    }
    onAttach(frame);
  };
  const onTransfer = incoming.on_transfer.bind(incoming);
  incoming.on_transfer = (frame, receiver) => {
    if (frame.performative.aborted) throw new Error('an aborted transfer is not known here');
    const parts = (receiver.soFar ??= []);
    parts.push(frame.payload ?? Buffer.alloc(0));
    if (parts.reduce((sum, { length }) => sum + length, 0) > LARGEST_MESSAGE)
      throw new Error(`a message has more than ${LARGEST_MESSAGE} bytes`);
    if (!frame.performative.more) {
      receiver.whole = parts.length === 1 ? parts[0]! : Buffer.concat(parts);
      delete receiver.soFar;
    }
    // what came in small pieces is one piece from here on
    else if (parts.length > 64) receiver.soFar = [Buffer.concat(parts)];
    onTransfer(frame, receiver);
  };
  for (const side of [incoming, outgoing]) {
    const onDisposition = side.on_disposition.bind(side);
    side.on_disposition = (fields) => {
      if ((fields.last ?? fields.first) - fields.first > MOST_UNDER_WAY)
        throw new Error('a disposition is of more than can be under way');
      onDisposition(fields);
    };
  }
}

/** An array of items without width could say any number of them in a few bytes. */
export function guardArrays(): void {
  const { prototype } = Reader;
  if (prototype.guarded) return;
  prototype.guarded = true;
  const read = prototype.read_array_items;
  prototype.read_array_items = function (n, type) {
    if (n > this.remaining()) throw new Error('an array has more items than bytes');
    return read.call(this, n, type);
  };
}

/** What goes wrong with a broker, in words that tell nobody where it is or who we are there. */
import { NotAllowed } from '../allowed.ts';

export type TroubleKind =
  'unreachable' | 'not let in' | 'slow' | 'not allowed' | 'strange' | 'refused' | 'gone';

const WORDS: Readonly<Record<Exclude<TroubleKind, 'refused'>, string>> = {
  unreachable: 'the broker cannot be reached',
  'not let in': "the broker does not let the target's user in",
  slow: 'the broker did not answer in time',
  'not allowed': 'its address is not among those that this server may connect to; an operator can allow it',
  strange: 'what answers there does not speak as an AMQP 0-9-1 broker with its HTTP API does',
  gone: 'the connection to the broker was lost',
};

export class BrokerTrouble extends Error {
  constructor(
    readonly kind: TroubleKind,
    /** For those alone who set targets: what the network said. */
    readonly more = '',
    words?: string,
  ) {
    super(words ?? WORDS[kind as keyof typeof WORDS]);
  }

  /** Whether the broker may be there again in a while: nothing was refused. */
  get mayPass(): boolean {
    return this.kind === 'unreachable' || this.kind === 'gone' || this.kind === 'slow';
  }
}

/** @returns any error met on the way to a broker as one of ours. */
export function brokerTrouble(error: unknown): BrokerTrouble {
  if (error instanceof BrokerTrouble) return error;
  if (error instanceof NotAllowed) return new BrokerTrouble('not allowed');
  const { code, message = String(error) } = error as { code?: unknown; message?: string };
  const cause = (error as { cause?: unknown }).cause;
  if (cause instanceof NotAllowed) return new BrokerTrouble('not allowed');
  const more = message.slice(0, 300);
  // a channel's or connection's own refusal (AMQP 0-9-1 §1.2, reply codes)
  const refused =
    /(?:Operation failed|Channel closed by server|Channel error|Connection closed|Handshake terminated)[^"]*"(.*)"/s.exec(
      message,
    );
  if (typeof code === 'number' && refused) {
    if (code === 403 && /LOGIN|Login/.test(message)) return new BrokerTrouble('not let in', more);
    if (code === 320 || code === 541) return new BrokerTrouble('gone', more);
    if (code >= 400) return new BrokerTrouble('refused', more, plainRefusal(refused[1]!));
  }
  if (/ACCESS_REFUSED.*[Ll]ogin|vhost .* not found|access to vhost|Expected ConnectionOpenOk/.test(message))
    return new BrokerTrouble('not let in', more);
  if (/ETIMEDOUT|timed? ?out/i.test(message)) return new BrokerTrouble('slow', more);
  if (typeof code === 'string' && /^E[A-Z_]+$/.test(code)) {
    const open = code === 'ECONNRESET' || code === 'EPIPE';
    return new BrokerTrouble(open ? 'gone' : 'unreachable', more);
  }
  if (/closed|Closing|heartbeat|Unexpected close|ended|socket hang up/i.test(message))
    return new BrokerTrouble('gone', more);
  return new BrokerTrouble('strange', more);
}

/** A broker's refusal without the name of the user it refused. */
function plainRefusal(words: string): string {
  return words
    .replace(/\b(for |by )?user '[^']*'/g, "$1the target's user")
    .replace(/\(see below\)/g, '')
    .slice(0, 500);
}

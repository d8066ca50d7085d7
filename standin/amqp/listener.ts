/** Clients of AMQP 1.0: who they are (SASL PLAIN, as `space/user`), what they send to and what they take from. */
import type { Server, Socket } from 'node:net';
import pg from 'pg';
import rhea from 'rhea';
import type { Connection } from '../db/connect.ts';
import type { Intake } from '../messages/intake.ts';
import { partsOf } from '../messages/sections.ts';
import { READY } from '../messages/stock.ts';
import type { Signed, Space } from '../setup/space.ts';
import type { Spaces } from '../setup/spaces.ts';
import {
  guardArrays,
  guardSession,
  guardSocket,
  LARGEST_FRAME,
  LARGEST_MESSAGE,
  type Receiving,
} from './guard.ts';
import { Outlet } from './outlet.ts';

/** Who has not signed in by then is sent away. */
const SIGN_IN_MS = 10_000;
const MOST_CONNECTIONS = 2000;
const MOST_SESSIONS = 64;
const MOST_LINKS = 256;
/** So many messages a link may send ahead of their being written down. */
const CREDIT = 500;
const IDLE_MS = 60_000;

interface Wire extends rhea.Connection {
  readonly socket: Socket;
  readonly sasl_transport?: { readonly username?: string };
  signed?: Signed;
  sessions?: number;
  links?: number;
}

export interface Listening {
  readonly port: number;
  close(): Promise<void>;
}

interface Parts {
  readonly connection: Connection;
  readonly spaces: Spaces;
  readonly intake: Intake;
  readonly host: string;
  readonly port: number;
  /** A certificate and its key, both PEM: then clients connect by TLS. */
  readonly tls?: { readonly cert: string; readonly key: string };
}

/** Listens to clients. @throws where the address cannot be had */
export async function listen({ connection, spaces, intake, host, port, tls }: Parts): Promise<Listening> {
  guardArrays();
  const container = rhea.create_container({ id: 'vondle-standin' });
  const outlets = new Map<string, Outlet>();
  const storeIds = new Map<number, string>();
  /** Who signed in by a name: known before the connection is open. */
  const signed = new Map<string, Signed>();

  container.sasl_server_mechanisms.enable_plain(async (name: string, secret: string) => {
    // a connection that does not leave the machine is as good as an encrypted one here
    const who = await spaces.signIn(name ?? '', secret ?? '', true).catch(() => undefined);
    if (!who) return false;
    signed.set(name, who);
    return true;
  });
  const wireOf = (context: rhea.EventContext) => context.connection as Wire;
  container.on('connection_open', (context: rhea.EventContext) => {
    const wire = wireOf(context);
    const who = signed.get(wire.sasl_transport?.username ?? '');
    if (!who) return wire.close({ condition: 'amqp:unauthorized-access', description: 'nobody signed in' });
    wire.signed = who;
    wire.socket.setTimeout(0);
    // a message does not wait for what was settled before it
    wire.socket.setNoDelay(true);
  });
  container.on('session_open', (context: rhea.EventContext) => {
    const wire = wireOf(context);
    wire.sessions = (wire.sessions ?? 0) + 1;
    guardSession(context.session!);
    if (wire.sessions > MOST_SESSIONS)
      wire.close({
        condition: 'amqp:resource-limit-exceeded',
        description: `more than ${MOST_SESSIONS} sessions`,
      });
  });
  container.on('session_close', (context: rhea.EventContext) => {
    const wire = wireOf(context);
    wire.sessions = (wire.sessions ?? 1) - 1;
  });

  /** @returns whether a link more may be there */
  const admitsLink = (wire: Wire): boolean => {
    wire.links = (wire.links ?? 0) + 1;
    if (wire.links <= MOST_LINKS && wire.signed) return true;
    wire.close({ condition: 'amqp:resource-limit-exceeded', description: `more than ${MOST_LINKS} links` });
    return false;
  };
  type Refusal = { condition: string; description: string };
  const refuse = (link: rhea.Sender | rhea.Receiver, { condition, description }: Refusal) =>
    link.close({ condition, description });

  // a client that sends: our end receives
  container.on('receiver_open', (context: rhea.EventContext) => {
    const wire = wireOf(context);
    const receiver = context.receiver as Receiving;
    if (!admitsLink(wire)) return;
    const who = wire.signed!;
    const target = (receiver.target as { address?: string; dynamic?: boolean } | null) ?? {};
    const to = target.address;
    const known = spaces.now(who.space);
    const atOnce = known && refusedAt(known, who, to);
    // a link that will be refused is answered with no target (§2.6.3), where that is known by then
    receiver.set_target((atOnce ? {} : { address: to ?? '' }) as never);
    if (atOnce) return refuse(receiver, atOnce);
    void entryOf(who, to).then((refused) => {
      if (refused) refuse(receiver, refused);
      else receiver.add_credit(CREDIT);
    });
    receiver.on('message', (arrived: rhea.EventContext) => {
      const payload = receiver.whole;
      delete receiver.whole;
      const delivery = arrived.delivery!;
      void sendOn(who, to!, payload).then((refused) => {
        if (refused) delivery.reject(refused as never);
        else delivery.accept();
        if (!receiver.is_open()) return;
        const more = () => receiver.is_open() && receiver.add_credit(1);
        if (intake.full) intake.whenRoom(more);
        else more();
      });
    });
  });
  /** @returns why somebody may not send to an entry */
  const entryOf = async (who: Signed, to: string | undefined): Promise<Refusal | undefined> => {
    const space = await spaces.get(who.space).catch(() => undefined);
    if (!space) return { condition: 'amqp:internal-error', description: 'the space cannot be read now' };
    return refusedAt(space, who, to);
  };
  const refusedAt = (space: Space, who: Signed, to: string | undefined): Refusal | undefined => {
    if (to === undefined || (!space.topics.has(to) && space.stores.get(to)?.kind !== 'queue'))
      return {
        condition: 'amqp:not-found',
        description: `there is no topic or queue ${to ?? 'without a name'}`,
      };
    const why = space.mayNot(who, 'publish', to);
    return why ? { condition: 'amqp:unauthorized-access', description: why } : undefined;
  };
  const sendOn = async (
    who: Signed,
    to: string,
    payload: Buffer | undefined,
  ): Promise<Refusal | undefined> => {
    // what was allowed when the link was made may not be any more
    const refused = await entryOf(who, to);
    if (refused) return refused;
    try {
      const space = (await spaces.get(who.space))!;
      const outcome = await intake.send(space, to, partsOf(payload ?? Buffer.alloc(0)), who.actsAs);
      return outcome.taken ? undefined : { condition: outcome.condition, description: outcome.why };
    } catch (error) {
      return { condition: 'amqp:decode-error', description: (error as Error).message };
    }
  };

  // a client that takes: our end sends
  container.on('sender_open', (context: rhea.EventContext) => {
    const wire = wireOf(context);
    const sender = context.sender!;
    if (!admitsLink(wire)) return;
    const who = wire.signed!;
    const source = (sender.source as { address?: string } | null) ?? {};
    const from = source.address ?? '';
    sender.set_source({ address: from });
    void spaces
      .get(who.space)
      .catch(() => undefined)
      .then((space) => {
        const store = space?.stores.get(from);
        if (!space || !store)
          return refuse(sender, {
            condition: 'amqp:not-found',
            description: `there is no queue ${from}, nor a subscription of that name that keeps its own messages`,
          });
        const why = space.mayNot(who, 'consume', from);
        if (why) return refuse(sender, { condition: 'amqp:unauthorized-access', description: why });
        if (!sender.is_open()) return;
        const key = `${who.space}/${from}`;
        let outlet = outlets.get(key);
        if (!outlet) {
          outlet = new Outlet(connection.db, spaces, who.space, from, () => outlets.delete(key));
          outlets.set(key, outlet);
        }
        storeIds.set(store.id, key);
        outlet.add(sender, who, store);
      });
  });
  const gone = (link: rhea.Sender) => {
    // what came with the end, or right before it, is said first
    setImmediate(() => {
      for (const outlet of [...outlets.values()]) outlet.remove(link);
    });
  };
  container.on('sender_close', (context: rhea.EventContext) => {
    wireOf(context).links = (wireOf(context).links ?? 1) - 1;
    gone(context.sender!);
  });
  container.on('receiver_close', (context: rhea.EventContext) => {
    wireOf(context).links = (wireOf(context).links ?? 1) - 1;
  });
  const goneWith = (context: rhea.EventContext) =>
    context.connection.each_link((link: rhea.Sender | rhea.Receiver) => {
      if (link.is_sender()) gone(link as rhea.Sender);
    });
  container.on('connection_close', goneWith);
  container.on('disconnected', goneWith);
  // what a peer does wrong ends its own connection, and is nobody else's trouble
  for (const event of [
    'protocol_error',
    'error',
    'connection_error',
    'session_error',
    'sender_error',
    'receiver_error',
  ])
    container.on(event, () => {});

  const server = container.listen({
    host,
    port,
    ...(tls ? { transport: 'tls' as const, ...tls } : {}),
    max_frame_size: LARGEST_FRAME,
    idle_time_out: IDLE_MS,
    reconnect: false,
    require_sasl: true,
    receiver_options: {
      autoaccept: false,
      autosettle: true,
      credit_window: 0,
      max_message_size: LARGEST_MESSAGE,
    },
    sender_options: { autosettle: false, treat_modified_as_released: false },
    autoaccept: false,
    credit_window: 0,
    treat_modified_as_released: false,
    autosettle: false,
    max_message_size: LARGEST_MESSAGE,
  } as never) as Server;
  server.maxConnections = MOST_CONNECTIONS;
  const sockets = new Set<Socket>();
  server.prependListener(tls ? 'secureConnection' : 'connection', (socket: Socket) => {
    sockets.add(socket);
    guardSocket(socket);
    socket.on('error', () => {});
    socket.on('close', () => sockets.delete(socket));
    socket.setTimeout(SIGN_IN_MS, () => socket.destroy(new Error('nobody signed in')));
    socket.on('data', () => {
      if (!intake.full) return;
      socket.pause();
      intake.whenRoom(() => socket.resume());
    });
  });
  await new Promise<void>((done, fail) => {
    server.once('listening', done);
    server.once('error', fail);
  });
  const ear = await hear(connection.url, (id) => {
    const key = storeIds.get(id);
    if (key) outlets.get(key)?.look();
  });
  return {
    port: (server.address() as { port: number }).port,
    async close() {
      await ear.close();
      server.close();
      const open = [...outlets.values()];
      for (const socket of sockets) socket.destroy(new Error('the service ends'));
      await Promise.all(open.map((outlet) => outlet.close()));
    },
  };
}

/** Hears from all processes that stores have something new; a connection that breaks is made again. */
async function hear(url: string, tell: (store: number) => void): Promise<{ close(): Promise<void> }> {
  let closed = false;
  let client: pg.Client | undefined;
  const begin = async (): Promise<void> => {
    const next = new pg.Client({ connectionString: url, application_name: 'vondle-standin ear' });
    client = next;
    const again = () => {
      if (!closed && client === next) setTimeout(() => void begin().catch(again), 1000).unref();
    };
    next.on('error', () => {});
    next.on('end', again);
    next.on('notification', ({ payload }) => tell(Number(payload)));
    await next.connect();
    await next.query(`listen ${READY}`);
  };
  await begin();
  return {
    async close() {
      closed = true;
      await client?.end().catch(() => {});
    },
  };
}

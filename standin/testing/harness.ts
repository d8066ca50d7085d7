/** A stand-in of its own for one test file, on a fresh database, and clients of it. */
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { Client } from 'pg';
import rhea from 'rhea';
import { sayEachApart } from '../amqp/dispositions.ts';
import type { Decoded } from '../messages/encoding.ts';
import { type Running, start } from '../service.ts';

export const SECRET = 'the secret of the operator';
const MIGRATIONS = join(process.cwd(), 'standin/migrations');

export interface Answer {
  readonly status: number;
  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- tests look into answers of every shape
  readonly data: any;
}

export interface Harness {
  readonly running: Running;
  readonly databaseUrl: string;
  /** Asks the administration, as the operator where nobody else is named. */
  ask(method: string, path: string, body?: unknown, as?: string): Promise<Answer>;
  /** Asks, and throws where it is not done. */
  must(method: string, path: string, body?: unknown): Promise<Answer['data']>;
  /** A client signed in as a user of a space, made here. @param actsAs `app:x` where nothing else is said */
  client(space: string, user: string, more?: { tenant?: string; actsAs?: string }): Promise<TestClient>;
  /** Another process of the same service. */
  another(): Promise<Running>;
  close(): Promise<void>;
}

export async function standin(more: { mostInStore?: number } = {}): Promise<Harness> {
  const admin = new Client({ connectionString: process.env['TEST_DATABASE_URL'] });
  await admin.connect();
  const name = `standin_${randomBytes(6).toString('hex')}`;
  await admin.query(`create database ${name}`);
  const address = new URL(process.env['TEST_DATABASE_URL']!);
  address.pathname = `/${name}`;
  const databaseUrl = address.href;
  const another = () =>
    start({
      databaseUrl,
      host: '127.0.0.1',
      amqpPort: 0,
      httpPort: 0,
      secret: SECRET,
      migrations: MIGRATIONS,
      ...more,
    });
  const running = await another();
  const others: Running[] = [];
  const clients: TestClient[] = [];
  const ask: Harness['ask'] = async (method, path, body, as = `operator:${SECRET}`) => {
    const response = await fetch(`http://127.0.0.1:${running.httpPort}${path}`, {
      method,
      headers: {
        authorization: `Basic ${Buffer.from(as).toString('base64')}`,
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await response.text();
    return { status: response.status, data: text ? JSON.parse(text) : undefined };
  };
  const must: Harness['must'] = async (method, path, body) => {
    const { status, data } = await ask(method, path, body);
    if (status >= 300) throw new Error(`${method} ${path}: ${status} ${JSON.stringify(data)}`);
    return data;
  };
  await must('PUT', '/tenants/auklet');
  return {
    running,
    databaseUrl,
    ask,
    must,
    async client(space, user, { tenant = 'auklet', actsAs = `app:${user}` } = {}) {
      const { name: username, secret } = await must('PUT', `/spaces/${space}/users/${user}`, {
        tenant,
        actsAs,
      });
      const client = await TestClient.connect(running.amqpPort, username, secret);
      clients.push(client);
      return client;
    },
    async another() {
      const one = await another();
      others.push(one);
      return { ...one, close: () => (others.splice(others.indexOf(one), 1), one.close()) };
    },
    async close() {
      for (const client of clients) client.close();
      // a test may have ended one itself
      for (const each of [...others, running]) await each.close().catch(() => {});
      others.length = 0;
      await admin.query(`drop database ${name} with (force)`);
      await admin.end();
    },
  };
}

/** What a taker was given. */
export interface Got {
  readonly message: Decoded;
  readonly delivery: rhea.Delivery;
}

/** A client of AMQP 1.0 whose links are awaited. */
export class TestClient {
  private constructor(readonly connection: rhea.Connection) {}

  static connect(port: number, username: string, password: string): Promise<TestClient> {
    const container = rhea.create_container();
    return new Promise((done, fail) => {
      const connection = container.connect({
        host: '127.0.0.1',
        port,
        username,
        password,
        reconnect: false,
      } as never);
      const { session_policy } = connection as unknown as {
        session_policy: { get_session(): rhea.Session };
      };
      sayEachApart(session_policy.get_session());
      container.on('connection_open', () => done(new TestClient(connection)));
      for (const event of ['connection_error', 'connection_close', 'disconnected', 'error'])
        container.on(event, (context: rhea.EventContext) =>
          fail(new Error(`${event} ${String((context as { error?: unknown }).error ?? '')}`)),
        );
    });
  }

  /** @returns sends to an entry, each awaited; rejected with the condition and the reason */
  async sender(to: string): Promise<(message: Decoded) => Promise<void>> {
    const sender = this.connection.open_sender({ target: { address: to }, autosettle: true } as never);
    await opened(sender, 'sender');
    const waiting = new Map<rhea.Delivery, { done: () => void; fail: (error: Error) => void }>();
    sender.on('accepted', ({ delivery }: rhea.EventContext) => waiting.get(delivery!)?.done());
    sender.on('rejected', ({ delivery }: rhea.EventContext) => {
      const { error } = delivery!.remote_state as { error?: { condition: string; description: string } };
      waiting.get(delivery!)?.fail(new Error(`${error?.condition}: ${error?.description}`));
    });
    return (message) =>
      new Promise((done, fail) => {
        const send = () => waiting.set(sender.send(message as rhea.Message), { done, fail });
        if (sender.sendable()) send();
        else sender.once('sendable', send);
      });
  }

  /** @returns what comes from a store, with as much credit as is given */
  async receiver(from: string, credit: number, more: object = {}): Promise<Receiving> {
    const receiver = this.connection.open_receiver({
      source: { address: from },
      credit_window: 0,
      autoaccept: false,
      ...more,
    } as never);
    const receiving = new Receiving(receiver);
    await opened(receiver, 'receiver');
    if (credit) receiver.add_credit(credit);
    return receiving;
  }

  close(): void {
    (this.connection as unknown as { socket: { destroy(error: Error): void } }).socket.destroy(
      new Error('the client ends'),
    );
  }
}

export class Receiving {
  private readonly got: Got[] = [];
  private readonly waiting: ((got: Got) => void)[] = [];
  readonly closed: Promise<string>;

  constructor(readonly link: rhea.Receiver) {
    link.on('message', ({ message, delivery }: rhea.EventContext) => {
      const got = { message: message as unknown as Decoded, delivery: delivery! };
      const next = this.waiting.shift();
      if (next) next(got);
      else this.got.push(got);
    });
    this.closed = new Promise((done) =>
      link.on('receiver_close', () =>
        done(String((link as unknown as { error?: { description?: string } }).error?.description)),
      ),
    );
  }

  /** How many came and were not asked for yet. */
  get ahead(): number {
    return this.got.length;
  }

  next(): Promise<Got> {
    const first = this.got.shift();
    return first ? Promise.resolve(first) : new Promise((done) => this.waiting.push(done));
  }
}

/** Waits for the other end; a link that is refused is closed at once, with the reason. */
function opened(link: rhea.Sender | rhea.Receiver, role: 'sender' | 'receiver'): Promise<void> {
  return new Promise((done, fail) => {
    link.on(`${role}_error`, () =>
      fail(
        new Error(
          `${(link as unknown as { error: { condition: string } }).error.condition}: ${(link as unknown as { error: { description: string } }).error.description}`,
        ),
      ),
    );
    // a refusal comes right behind the opening
    link.on(`${role}_open`, () => setTimeout(done, 50));
    if (role === 'sender') link.on('sendable', () => done());
  });
}

/** @returns the body of a message of JSON or text */
export function textOf({ body }: Decoded): string {
  const content = (body as { content?: Buffer } | undefined)?.content;
  return Buffer.isBuffer(content) ? content.toString('utf8') : String(body);
}

/** Waits until something holds. */
export async function until<T>(look: () => Promise<T | undefined | false>, ms = 15_000): Promise<T> {
  const end = Date.now() + ms;
  for (;;) {
    const seen = await look();
    if (seen) return seen;
    if (Date.now() > end) throw new Error('it did not come to be');
    await new Promise((done) => setTimeout(done, 50));
  }
}

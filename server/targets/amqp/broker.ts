/** One AMQP 0-9-1 broker that a target leads to: its protocol and its HTTP API, both within limits. */
import { createHash } from 'node:crypto';
import { connect, type ChannelModel } from 'amqplib';
import type { Allowed } from '../allowed.ts';
import { askHttp } from '../http-api.ts';
import { vhostOf, type AmqpAddresses } from './address.ts';
import { BrokerTrouble, brokerTrouble } from './trouble.ts';

const ANSWER_MS = 20_000;
const CONNECT_MS = 10_000;
/** A broker that is not heard of for twice as long is gone (AMQP 0-9-1 §4.2.7). */
const HEARTBEAT_S = 10;

/** How long things may take, where a test wants less. */
export interface BrokerPatience {
  readonly answerMs: number;
  readonly connectMs: number;
}

export class AmqpBroker {
  readonly vhost: string;

  constructor(
    private readonly addresses: AmqpAddresses,
    private readonly allowed: Allowed,
    private readonly patience: BrokerPatience = { answerMs: ANSWER_MS, connectMs: CONNECT_MS },
  ) {
    this.vhost = vhostOf(addresses.amqp);
  }

  /** @returns the path of something of the target's virtual host in the HTTP API. */
  path(what: string, ...names: readonly string[]): string {
    return ['/api', what, ...[this.vhost, ...names].map(encodeURIComponent)].join('/');
  }

  /**
   * Asks the HTTP API. Redirections are not followed: they are answers like any other that does not fit.
   * @returns the answer's JSON; undefined where there is no such thing (404) or nothing was answered
   * @throws BrokerTrouble
   */
  async ask<T>(path: string, init: { method?: string; body?: unknown } = {}): Promise<T | undefined> {
    try {
      const { status, text } = await askHttp(this.addresses.http, path, init, {
        allowed: this.allowed,
        answerMs: this.patience.answerMs,
      });
      if (status === 404) return undefined;
      if (status === 401 || status === 403)
        throw new BrokerTrouble('not let in', `the HTTP API answered ${status}`);
      if (status < 200 || status >= 300)
        throw new BrokerTrouble('strange', `the HTTP API answered ${status} to ${path}`);
      return text === '' ? undefined : (JSON.parse(text) as T);
    } catch (error) {
      if (error instanceof SyntaxError) throw new BrokerTrouble('strange', 'the HTTP API answered no JSON');
      throw brokerTrouble(error);
    }
  }

  /** @returns which broker and virtual host this is by the broker's own word, hashed: one for all its addresses */
  async identity(): Promise<string> {
    const overview = await this.ask<{ cluster_name?: unknown }>('/api/overview');
    if (typeof overview?.cluster_name !== 'string')
      throw new BrokerTrouble('strange', 'the HTTP API does not say which cluster it is');
    return createHash('sha256')
      .update(JSON.stringify([overview.cluster_name, this.vhost]))
      .digest('hex');
  }

  /** Opens a connection. @param name what it is called on the broker. @throws BrokerTrouble */
  async connect(name = 'vondle'): Promise<ChannelModel> {
    const url = new URL(this.addresses.amqp);
    url.searchParams.set('heartbeat', String(HEARTBEAT_S));
    let late = false;
    const opening = (async () => {
      this.allowed.check(url.hostname);
      return connect(url.href, {
        timeout: this.patience.connectMs,
        lookup: this.allowed.lookup,
        // an acknowledgement does not wait for what comes behind it
        noDelay: true,
        clientProperties: { connection_name: name },
      });
    })();
    try {
      const connection = await within(opening, this.patience.connectMs);
      // a lost connection shows in what needs it; unheard it would end the process
      connection.on('error', () => {});
      return connection;
    } catch (error) {
      late = true;
      throw brokerTrouble(error);
    } finally {
      void opening.then(
        (connection) => {
          if (late) cut(connection);
        },
        () => {},
      );
    }
  }
}

/** Ends a connection at once, whether or not the other side answers. */
export function cut(connection: ChannelModel): void {
  connection.on('error', () => {});
  const { stream, heartbeater } = connection.connection as unknown as {
    stream: { destroy(): void };
    heartbeater?: { clear(): void };
  };
  stream.destroy();
  // nobody is there to be heard of any more; what waits for that would keep a process from ending
  heartbeater?.clear();
}

/** Ends a connection as the protocol has it, but does not wait long for it, and not at all where it is cut. */
export async function end(connection: ChannelModel): Promise<void> {
  const { stream } = connection.connection as unknown as { stream: { destroyed: boolean } };
  if (stream.destroyed) return;
  await within(connection.close(), 2000).catch(() => cut(connection));
}

/** @throws BrokerTrouble `slow` when something takes longer; it is not ended by that */
export function within<T>(work: Promise<T>, ms: number): Promise<T> {
  return new Promise((done, fail) => {
    const timer = setTimeout(() => fail(new BrokerTrouble('slow')), ms);
    work.then(done, fail).finally(() => clearTimeout(timer));
  });
}

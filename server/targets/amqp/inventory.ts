/** Reads what a broker has, through its HTTP API. */
import type { Arguments, Inventory } from '@vondle/core';
import { vhostOf, type AmqpAddresses } from './address.ts';

interface HttpExchange {
  name: string;
  type: string;
  durable: boolean;
  auto_delete: boolean;
  internal: boolean;
  arguments: Arguments;
}

interface HttpQueue {
  name: string;
  durable: boolean;
  auto_delete: boolean;
  exclusive: boolean;
  arguments: Arguments;
}

interface HttpBinding {
  source: string;
  destination: string;
  destination_type: 'queue' | 'exchange';
  routing_key: string;
  arguments: Arguments;
}

const PATIENCE_MS = 15_000;

/** Asks a broker's HTTP API. @throws Error with its status, never with the address */
export async function askBroker(
  addresses: AmqpAddresses,
  path: string,
  init: RequestInit = {},
): Promise<Response> {
  const url = new URL(addresses.http);
  const credentials = `${decodeURIComponent(url.username)}:${decodeURIComponent(url.password)}`;
  const authorization = `Basic ${Buffer.from(credentials).toString('base64')}`;
  const response = await fetch(`${url.protocol}//${url.host}${path}`, {
    ...init,
    headers: { authorization, 'content-type': 'application/json' },
    signal: AbortSignal.timeout(PATIENCE_MS),
  });
  if (!response.ok) throw new Error(`the broker's HTTP API answered ${response.status} to ${path}`);
  return response;
}

/** @returns the exchanges, queues and bindings of the target's virtual host. */
export async function readInventory(addresses: AmqpAddresses): Promise<Inventory> {
  const vhost = encodeURIComponent(vhostOf(addresses.amqp));
  const list = async <T>(what: string) =>
    (await askBroker(addresses, `/api/${what}/${vhost}`)).json() as Promise<T[]>;
  const [exchanges, queues, bindings] = await Promise.all([
    list<HttpExchange>('exchanges'),
    list<HttpQueue>('queues'),
    list<HttpBinding>('bindings'),
  ]);
  return {
    exchanges: exchanges.map(({ name, type, durable, auto_delete, internal, arguments: terms }) => ({
      name,
      type,
      durable,
      autoDelete: auto_delete,
      internal,
      arguments: terms,
    })),
    queues: queues.map(({ name, durable, auto_delete, exclusive, arguments: terms }) => ({
      name,
      durable,
      autoDelete: auto_delete,
      exclusive,
      arguments: terms,
    })),
    bindings: bindings
      // every queue is bound to the unnamed exchange by the protocol itself (§3.1.3.1)
      .filter((binding) => binding.source !== '')
      .map(({ source, destination, destination_type, routing_key, arguments: terms }) => ({
        source,
        destination,
        to: destination_type,
        key: routing_key,
        arguments: withVoids(terms),
      })),
  };
}

/** The HTTP API writes the void value of a header binding as the text `undefined`. */
function withVoids(terms: Arguments): Arguments {
  if (!('x-match' in terms)) return terms;
  return Object.fromEntries(
    Object.entries(terms).map(([name, value]) => [name, value === 'undefined' ? null : value]),
  );
}

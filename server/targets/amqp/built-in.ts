/** The broker that comes with an installation: a place of one's own on it, to try a topology out. */
import { Problem } from '../../http/problem.ts';
import type { Allowed } from '../allowed.ts';
import type { AmqpAddresses } from './address.ts';
import { AmqpBroker } from './broker.ts';

/** Where it is. */
export interface BuiltIn {
  readonly amqp: string;
  readonly http: string;
  readonly mqtt?: string;
}

/** So many virtual hosts it may have: each costs it memory. */
const MOST_PLACES = 200;

/**
 * Makes sure that a virtual host is there, and may be used whole by whoever the broker is reached as.
 * @throws Problem 409 where there are too many; what the broker's answer was, where it could not be made
 */
export async function placeOn(
  { amqp, http, mqtt }: BuiltIn,
  allowed: Allowed,
  vhost: string,
): Promise<AmqpAddresses> {
  const addresses = { amqp: `${amqp}/${encodeURIComponent(vhost)}`, http, ...(mqtt ? { mqtt } : {}) };
  const reached = new AmqpBroker(addresses, allowed);
  const there = (await reached.ask<readonly { readonly name: string }[]>('/api/vhosts')) ?? [];
  if (there.length >= MOST_PLACES && !there.some(({ name }) => name === vhost))
    throw new Problem(
      409,
      'No room',
      `The built-in broker has ${MOST_PLACES} virtual hosts, the most there may be. Connect a broker of your own.`,
    );
  const user = decodeURIComponent(new URL(amqp).username);
  await reached.ask(reached.path('vhosts'), { method: 'PUT', body: {} });
  const all = { configure: '.*', write: '.*', read: '.*' };
  await reached.ask(reached.path('permissions', user), { method: 'PUT', body: all });
  return addresses;
}

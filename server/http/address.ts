/** Whose request it is, as far as the network tells. */
import { getConnInfo } from '@hono/node-server/conninfo';
import type { Context } from 'hono';
import ipaddr from 'ipaddr.js';

/** @returns the address requests are counted by. */
export type AddressOf = (c: Context) => string;

/**
 * @param proxies addresses of proxies whose X-Forwarded-For is believed; everybody else's is not
 * @returns the client's address: the last one in the chain that no believed proxy stands for. An IPv6
 *   address counts as its /64, of which one client commonly has all.
 */
export function addressReader(proxies: readonly string[]): AddressOf {
  const believed = new Set(proxies.map(plain));
  return (c) => {
    let at = plain(peerOf(c) ?? 'unknown');
    const chain = (c.req.header('x-forwarded-for') ?? '').split(',').slice(-20);
    while (believed.has(at) && chain.length) {
      const before = plain(chain.pop()!.trim());
      if (before === '') break;
      at = before;
    }
    return at;
  };
}

function peerOf(c: Context): string | undefined {
  try {
    return getConnInfo(c).remote.address;
  } catch {
    // asked without a network, as tests do
    return undefined;
  }
}

function plain(address: string): string {
  if (!ipaddr.isValid(address)) return address.slice(0, 60);
  const read = ipaddr.process(address);
  if (read instanceof ipaddr.IPv6)
    return `${read.parts
      .slice(0, 4)
      .map((part) => part.toString(16))
      .join(':')}::/64`;
  return read.toString();
}

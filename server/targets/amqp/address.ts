import { object, string, type InferType } from 'yup';

const LONGEST = 1000;

function address(protocols: readonly string[], says: string) {
  return string()
    .required()
    .max(LONGEST)
    .test('address', says, (text) => {
      if (text === undefined) return true;
      try {
        const { protocol, hostname, username, password } = new URL(text);
        // what is in an address is written there percent-encoded (RFC 3986 §2.1), and has to decode
        for (const part of [username, password, new URL(text).pathname]) decodeURIComponent(part);
        return protocols.includes(protocol) && hostname !== '';
      } catch {
        return false;
      }
    });
}

/** How one AMQP 0-9-1 broker is reached: the protocol's address and its HTTP API's, with user and password. */
export const amqpAddresses = object({
  amqp: address(['amqp:', 'amqps:'], 'an AMQP address begins amqp:// or amqps:// and names a host'),
  http: address(
    ['http:', 'https:'],
    'the address of the HTTP API begins http:// or https:// and names a host',
  ),
}).noUnknown();

export type AmqpAddresses = InferType<typeof amqpAddresses>;

/** @returns the virtual host an AMQP address names (AMQP URI specification); `/` when it names none. */
export function vhostOf(amqp: string): string {
  const path = new URL(amqp).pathname;
  return path === '' || path === '/' ? '/' : decodeURIComponent(path.slice(1));
}

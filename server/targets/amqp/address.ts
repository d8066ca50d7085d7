export type { AmqpAddresses } from '@vondle/api';

/** @returns the virtual host an AMQP address names (AMQP URI specification); `/` when it names none. */
export function vhostOf(amqp: string): string {
  const path = new URL(amqp).pathname;
  return path === '' || path === '/' ? '/' : decodeURIComponent(path.slice(1));
}

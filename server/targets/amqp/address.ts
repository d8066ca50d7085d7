import { object, string, type InferType } from 'yup';

/** How one AMQP 0-9-1 broker is reached: the protocol's address and its HTTP API's, with user and password. */
export const amqpAddresses = object({
  amqp: string()
    .required()
    .matches(/^amqps?:\/\//, 'an AMQP address begins amqp:// or amqps://'),
  http: string()
    .required()
    .matches(/^https?:\/\//, 'the address of the HTTP API begins http:// or https://'),
}).noUnknown();

export type AmqpAddresses = InferType<typeof amqpAddresses>;

/** @returns the virtual host an AMQP address names (AMQP URI specification); `/` when it names none. */
export function vhostOf(amqp: string): string {
  const path = new URL(amqp).pathname;
  return path === '' || path === '/' ? '/' : decodeURIComponent(path.slice(1));
}

/** @returns what went wrong with a broker, in words, without any address or password in it. */
export function plainError(error: unknown): string {
  const message = error instanceof Error ? error.message : String(error);
  return message.replace(/\b(amqps?|https?|mqtts?):\/\/[^\s@/]*@/g, '$1://');
}

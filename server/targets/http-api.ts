/** A broker's HTTP API, asked within limits. */
import { request as plainRequest, type RequestOptions } from 'node:http';
import { request as secureRequest } from 'node:https';
import type { Allowed } from './allowed.ts';
import { BrokerTrouble } from './amqp/trouble.ts';

/** The largest answer that is read: an inventory of some 100,000 bindings. */
const LARGEST_ANSWER = 96 * 1024 * 1024;

export interface HttpLimits {
  readonly allowed: Allowed;
  readonly answerMs: number;
}

/**
 * Asks an HTTP API, signed in by what its address says (HTTP Basic, RFC 7617). Redirections are not followed: they
 * are answers like any other.
 * @throws BrokerTrouble `slow`, and what the network says
 */
export async function askHttp(
  address: string,
  path: string,
  { method = 'GET', body: said }: { method?: string; body?: unknown },
  { allowed, answerMs }: HttpLimits,
): Promise<{ status: number; text: string }> {
  const url = new URL(address);
  const body = said === undefined ? undefined : Buffer.from(JSON.stringify(said));
  const auth = `${decodeURIComponent(url.username)}:${decodeURIComponent(url.password)}`;
  const options: RequestOptions = {
    method,
    host: url.hostname.replace(/^\[|\]$/g, ''),
    port: url.port || (url.protocol === 'https:' ? 443 : 80),
    path,
    lookup: allowed.lookup,
    agent: false,
    signal: AbortSignal.timeout(answerMs),
    headers: {
      authorization: `Basic ${Buffer.from(auth).toString('base64')}`,
      accept: 'application/json',
      ...(body ? { 'content-type': 'application/json', 'content-length': body.byteLength } : {}),
    },
  };
  allowed.check(url.hostname);
  try {
    return await answered(url.protocol === 'https:' ? secureRequest : plainRequest, options, body);
  } catch (error) {
    if ((error as Error).name === 'TimeoutError' || (error as Error).name === 'AbortError')
      throw new BrokerTrouble('slow');
    throw error;
  }
}

function answered(
  request: typeof plainRequest,
  options: RequestOptions,
  body: Buffer | undefined,
): Promise<{ status: number; text: string }> {
  return new Promise((done, fail) => {
    const asked = request(options, (response) => {
      const parts: Buffer[] = [];
      let size = 0;
      response.on('data', (part: Buffer) => {
        size += part.byteLength;
        if (size > LARGEST_ANSWER) {
          fail(new BrokerTrouble('strange', 'the HTTP API answered more than is read'));
          asked.destroy();
        } else parts.push(part);
      });
      response.on('end', () =>
        done({ status: response.statusCode ?? 0, text: Buffer.concat(parts).toString('utf8') }),
      );
      response.on('error', fail);
      response.on('close', () => fail(new BrokerTrouble('gone')));
    });
    asked.on('error', fail);
    asked.end(body);
  });
}

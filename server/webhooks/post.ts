/** Sends one event to one receiver: HTTP 1.1 Web Hooks for Event Delivery, with CloudEvents 1.0 in structured JSON. */
import { request as plainRequest, type IncomingHttpHeaders } from 'node:http';
import { request as secureRequest } from 'node:https';
import { NotAllowed, type Allowed } from '../targets/allowed.ts';

/** A receiver that does not answer for so long is not waited for. */
const ANSWER_MS = 10_000;

export interface Receiver {
  readonly url: string;
  readonly token?: string | undefined;
}
export interface Reply {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
}

/** Nothing was answered, in fixed words: what the network said is not for everybody. */
export class NotReached extends Error {}

/**
 * @param body of nothing where there is none
 * @returns the answer's head; its body is thrown away, and redirections are answers like any other
 * @throws NotReached
 */
export function send(
  method: 'OPTIONS' | 'POST',
  { url, token }: Receiver,
  allowed: Allowed,
  headers: Readonly<Record<string, string>>,
  body?: string,
): Promise<Reply> {
  const to = new URL(url);
  const bytes = body === undefined ? undefined : Buffer.from(body);
  return new Promise<Reply>((done, fail) => {
    try {
      allowed.check(to.hostname);
    } catch (error) {
      return fail(wordsOf(error));
    }
    const request = (to.protocol === 'https:' ? secureRequest : plainRequest)(
      {
        method,
        host: to.hostname.replace(/^\[|\]$/g, ''),
        port: to.port || (to.protocol === 'https:' ? 443 : 80),
        path: `${to.pathname}${to.search}`,
        lookup: allowed.lookup,
        agent: false,
        signal: AbortSignal.timeout(ANSWER_MS),
        headers: {
          ...headers,
          ...(token ? { authorization: `Bearer ${token}` } : {}),
          ...(bytes ? { 'content-length': bytes.byteLength } : {}),
        },
      },
      (response) => {
        // what it says beyond its head is of no use, and may be without end
        done({ status: response.statusCode ?? 0, headers: response.headers });
        request.destroy();
      },
    );
    request.on('error', (error) => fail(wordsOf(error)));
    request.end(bytes);
  });
}

function wordsOf(error: unknown): NotReached {
  if (error instanceof NotAllowed) return new NotReached(error.message);
  if (['TimeoutError', 'AbortError'].includes((error as Error).name))
    return new NotReached(`it did not answer within ${ANSWER_MS / 1000} seconds`);
  return new NotReached('it cannot be reached');
}

/**
 * Asks a receiver whether it agrees to be sent events (§4).
 * @param origin by which it knows us
 * @returns undefined where it agrees, else why not, in words
 */
export async function agrees(
  receiver: Receiver,
  allowed: Allowed,
  origin: string,
): Promise<string | undefined> {
  try {
    const { status, headers } = await send('OPTIONS', receiver, allowed, {
      'webhook-request-origin': origin,
    });
    if (status < 200 || status >= 300) return `it answered ${status} to OPTIONS`;
    const said = headers['webhook-allowed-origin'];
    if (said === undefined) return 'its answer to OPTIONS has no WebHook-Allowed-Origin';
    const origins = String(said)
      .split(',')
      .map((each) => each.trim());
    if (!origins.includes('*') && !origins.includes(origin))
      return `its WebHook-Allowed-Origin does not name ${origin}`;
    return undefined;
  } catch (error) {
    if (error instanceof NotReached) return error.message;
    throw error;
  }
}

/** An event as it is sent (CloudEvents 1.0 §3.1). */
export interface CloudEvent {
  readonly specversion: '1.0';
  readonly id: string;
  readonly source: string;
  readonly type: string;
  readonly subject?: string;
  readonly time: string;
  readonly datacontenttype: 'application/json';
  readonly data: unknown;
}

/** @returns the answer's head @throws NotReached */
export const deliver = (receiver: Receiver, allowed: Allowed, event: CloudEvent): Promise<Reply> =>
  send(
    'POST',
    receiver,
    allowed,
    { 'content-type': 'application/cloudevents+json; charset=utf-8' },
    JSON.stringify(event),
  );

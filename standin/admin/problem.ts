/** Errors of the administration are problem details (RFC 9457). */
import type { Context } from 'hono';
import type { ContentfulStatusCode } from 'hono/utils/http-status';

export class Problem extends Error {
  constructor(
    readonly status: ContentfulStatusCode,
    readonly title: string,
    readonly detail: string,
    readonly more: Readonly<Record<string, unknown>> = {},
  ) {
    super(`${title}: ${detail}`);
  }
}

export const none = (what: string) =>
  new Problem(404, 'Not found', `There is no ${what}, or it is not yours to see.`);

/** @returns a problem as its response */
export const answerOf = (c: Context, { status, title, detail, more }: Problem): Response =>
  c.body(JSON.stringify({ type: 'about:blank', status, title, detail, ...more }), status, {
    'content-type': 'application/problem+json',
    ...(status === 413 ? { connection: 'close' } : {}),
    ...(status === 401 ? { 'www-authenticate': 'Basic realm="stand-in"' } : {}),
  });

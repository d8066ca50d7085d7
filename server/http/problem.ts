/** Errors at the API are problem details (RFC 9457): what, where, and how to mend it. */
import type { Context } from 'hono';
import type { ContentfulStatusCode } from 'hono/utils/http-status';

export class Problem extends Error {
  constructor(
    readonly status: ContentfulStatusCode,
    readonly title: string,
    readonly detail: string,
    /** Further members of the problem document, such as both sides of a conflict. */
    readonly more: Readonly<Record<string, unknown>> = {},
    /** Seconds after which the same may go through (RFC 9110 §10.2.3). */
    readonly retryAfter?: number,
  ) {
    super(`${title}: ${detail}`);
  }
}

export const notFound = (what: string) =>
  new Problem(404, 'Not found', `There is no ${what}, or it is not yours to see.`);

export const forbidden = (detail: string) => new Problem(403, 'Not allowed', detail);

/** The database is away for a moment: nothing was changed that was not acknowledged. */
export const away = () =>
  new Problem(
    503,
    'Not now',
    'The database cannot be reached at the moment. Nothing was lost; try again in a few seconds.',
    {},
    2,
  );

export const tooMuchAtOnce = (detail: string, after = 1) =>
  new Problem(429, 'Too much at once', detail, {}, after);

/** @returns a problem as its HTTP response. */
export function problemResponse(c: Context, problem: Problem): Response {
  const { status, title, detail, more, retryAfter } = problem;
  return c.body(JSON.stringify({ type: 'about:blank', status, title, detail, ...more }), status, {
    'content-type': 'application/problem+json',
    ...(retryAfter === undefined ? {} : { 'retry-after': String(retryAfter) }),
  });
}

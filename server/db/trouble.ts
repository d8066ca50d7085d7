/** What went wrong in the database, told apart by its code (PostgreSQL, appendix A). */

interface Coded {
  readonly code?: unknown;
  readonly message?: unknown;
  readonly cause?: unknown;
}

/** An error and what caused it, from the outside in. */
function* causes(error: unknown): Generator<Coded> {
  for (let at = error, depth = 0; typeof at === 'object' && at !== null && depth < 8; depth++) {
    yield at as Coded;
    at = (at as Coded).cause;
  }
}

const AWAY_CODES =
  /^(08...|57P0[1-5]|57014|53...|25P03|40001|40P01|ECONN\w+|EPIPE|ETIMEDOUT|EHOSTUNREACH|ENOTFOUND|EAI_AGAIN)$/;
const AWAY_WORDS =
  /^(Connection terminated|Client has encountered a connection error|timeout exceeded when trying to connect|Client was closed|Query read timeout|timeout expired|Cannot use a pool after calling end)/;

/** What an error says that ended a connection on which nothing answered. */
export const SILENCE = 'Query read timeout';

/** @returns whether the database could not be reached, or went away meanwhile: the same may go through later. */
export function isAway(error: unknown): boolean {
  for (const { code, message } of causes(error)) {
    if (typeof code === 'string' && AWAY_CODES.test(code)) return true;
    if (typeof message === 'string' && AWAY_WORDS.test(message)) return true;
  }
  return false;
}

/** @returns whether a connection was given up since nothing answered on it */
export function isSilence(error: unknown): boolean {
  for (const { message } of causes(error)) if (message === SILENCE) return true;
  return false;
}

/** @returns whether a statement was given up since it took longer than it may. */
export function isTooSlow(error: unknown): boolean {
  for (const { code } of causes(error)) if (code === '57014') return true;
  return false;
}

/** @returns whether the database refused a value: of a kind its column cannot hold, or beyond its range. */
export function isValueRefused(error: unknown): boolean {
  for (const { code } of causes(error))
    if (typeof code === 'string' && /^22/.test(code) && code.length === 5) return true;
  return false;
}

/** @returns whether a unique index of this name stood in the way. */
export function isTaken(error: unknown, index: string): boolean {
  for (const each of causes(error))
    if (each.code === '23505' && (each as { constraint?: unknown }).constraint === index) return true;
  return false;
}

/**
 * An error as the log may have it: what went wrong and where, never the values of a statement, which
 * may be documents or secrets.
 */
export function forTheLog(error: unknown): Record<string, unknown> {
  const list = [...causes(error)];
  // a failed query names its parameters in its own message; its cause does not
  const told = list.find((each) => !('params' in each)) ?? list[0];
  const query = list.find(
    (each): each is Coded & { query: string } => typeof (each as { query?: unknown }).query === 'string',
  );
  if (!told) return { message: String(error).slice(0, 500) };
  const { name, stack, code } = told as { name?: string; stack?: string; code?: unknown };
  return {
    type: name ?? 'Error',
    message: String(told.message ?? '').slice(0, 500),
    ...(code === undefined ? {} : { code }),
    ...(query ? { query: query.query.slice(0, 300) } : {}),
    ...(stack ? { stack: 'params' in told ? '' : stack.slice(0, 4000) } : {}),
  };
}

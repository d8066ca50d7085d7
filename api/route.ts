/** What there is to say of a route. */
import type { Schema } from 'yup';

/** What somebody may want to do with a topology. */
export type Want = 'read' | 'write' | 'approve' | 'operate' | 'manage';

/** Open to everybody; to whoever is signed in; to members who may do that. */
export type Door = 'open' | 'signed in' | Want;

export interface Route {
  /** What it is for, in a line. */
  readonly what: string;
  /** What else there is to know. */
  readonly more?: string;
  readonly door: Door;
  /** What stands after the question mark; every value is text there. */
  readonly query?: Schema;
  /** The JSON it takes. */
  readonly body?: Schema;
  /** Whether the body may be left out. */
  readonly bodyOptional?: true;
  /** Whether the body may be as large as a topology; small ones have at most 4 KiB. */
  readonly large?: true;
  /** The status of an answer that is no problem; 200 with an answer, 204 without one, where nothing is said. */
  readonly status?: 200 | 201 | 202 | 204 | 302;
  /** What it answers; in a stream, each line or event of it. */
  readonly answer?: Schema;
  /** What kind of text is answered, where it is no JSON. */
  readonly type?: 'text/event-stream' | 'application/x-ndjson' | 'text/plain' | 'text/html';
}

/** Routes by method and path, as in `GET /topologies/:slug`. */
export type Routes = Readonly<Record<`${'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE'} /${string}`, Route>>;

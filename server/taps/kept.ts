/** What is kept of messages that passed a tap: made on a thread, since it takes the topology to know what they are. */
import { createHash } from 'node:crypto';
import { recognise } from '@vondle/core/analysis';
import type { Message } from '@vondle/core/conditions';
import { buildGraph } from '@vondle/core/routing';
import { guardedLabels, type Topology } from '@vondle/core/topology';
import type { Database } from '../db/connect.ts';
import { bodyOf, mayBeIn } from '../messages/told.ts';
import type { Peeked } from '../messages/peek.ts';
import { topologyAt } from '../rollouts/planning.ts';

/** So much of a payload is kept, and so much of all headers together, in characters. */
const MOST_BODY = 64 * 1024;
const MOST_HEADERS = 16 * 1024;
/** So much of any other text. */
const MOST_TEXT = 1000;
/** So many topologies are kept read. */
const MOST_READ = 4;

export interface ToKeep {
  readonly topologyId: number;
  readonly environment: string;
  readonly revision: number;
  /** The topology's id of the place. */
  readonly on: string;
  readonly body: boolean;
  readonly messages: readonly (Pick<
    Peeked,
    'key' | 'headers' | 'properties' | 'body' | 'deaths' | 'sentBy'
  > & {
    /** Milliseconds since 1970. */
    readonly at: number;
    /** Of its payload, of which only the beginning may be here, in bytes. */
    readonly size: number;
  })[];
}

/** What is kept of one copy. */
export interface Kept {
  readonly at: number;
  readonly same: string;
  readonly key: string;
  readonly messageId: string | null;
  readonly correlationId: string | null;
  readonly who: string | null;
  readonly type: string | null;
  readonly died: string | null;
  readonly size: number;
  readonly headers: Record<string, unknown> | null;
  readonly body: string | null;
}

interface Known {
  readonly topology: Topology;
  readonly mayBe: (on: string) => ReadonlySet<string>;
  readonly guarded: ReadonlySet<string>;
}

/** Of one thread, the one read last at the end. */
const read = new Map<string, Promise<Known>>();

function knownOf(db: Database, { topologyId, revision, environment }: ToKeep): Promise<Known> {
  const id = JSON.stringify([topologyId, revision, environment]);
  let known = read.get(id);
  if (known) read.delete(id);
  else
    known = topologyAt(db, topologyId, revision, environment).then((topology) => {
      const graph = buildGraph(topology);
      const memory = new Map<string, ReadonlySet<string>>();
      return {
        topology,
        guarded: guardedLabels(topology.declared),
        mayBe(on) {
          const before = memory.get(on);
          if (before) return before;
          const found = mayBeIn(graph, on);
          memory.set(on, found);
          return found;
        },
      };
    });
  read.set(id, known);
  known.catch(() => read.delete(id));
  for (const oldest of read.keys()) if (read.size > MOST_READ) read.delete(oldest);
  return known;
}

/** @returns what is kept of messages: headers and payload only of such as are of a declared type none of whose labels is guarded */
export async function keptOf(db: Database, asked: ToKeep): Promise<Kept[]> {
  const { topology, mayBe, guarded } = await knownOf(db, asked);
  const types = [...topology.messages.values()];
  return asked.messages.map((peeked): Kept => {
    const body = bodyOf(peeked);
    const message: Message = {
      key: peeked.key,
      headers: peeked.headers,
      properties: peeked.properties,
      // what has no payload at all is as good as null to a schema
      body: body.value ?? null,
    };
    const fitting = recognise(types, message, mayBe(asked.on), 'bytes' in peeked.body).filter(
      ({ remarks }) => remarks.length === 0,
    );
    const open =
      asked.body &&
      fitting.length > 0 &&
      !fitting.some(({ labels }) => labels.some((each) => guarded.has(each)));
    const headers = headersOf(peeked);
    const [death] = peeked.deaths;
    return {
      at: peeked.at,
      same: sameOf(peeked),
      key: clip(peeked.key),
      messageId: textOf(peeked.properties['messageId']),
      correlationId: textOf(peeked.properties['correlationId']),
      who: textOf(peeked.sentBy ?? peeked.properties['appId']) ?? textOf(peeked.properties['userId']),
      type: fitting[0]?.type ?? null,
      died: death ? clip(`${death.why} at ${death.at}`) : null,
      size: peeked.size,
      headers: open && JSON.stringify(headers).length <= MOST_HEADERS ? headers : null,
      body:
        open && body.as !== 'nothing' && body.as !== 'bytes'
          ? (body.as === 'json' ? JSON.stringify(body.value) : String(body.value)).slice(0, MOST_BODY)
          : null,
    };
  });
}

const clip = (text: string): string => text.replaceAll('\0', '').slice(0, MOST_TEXT);

const textOf = (value: unknown): string | null =>
  typeof value === 'string' || typeof value === 'number' ? clip(String(value)) : null;

/** @returns how large a payload is, in bytes */
export const sizeOf = (body: Peeked['body']): number =>
  'bytes' in body ? body.bytes.byteLength : Buffer.byteLength(JSON.stringify(body.value ?? null));

/** What a broker writes there itself on the way is not the message's own. */
const BROKERS_OWN = /^x-(death|first-death-|last-death-|delivery-count|opt-)/;

const headersOf = ({ headers }: Pick<Peeked, 'headers'>): Record<string, unknown> =>
  Object.fromEntries(Object.entries(headers).filter(([name]) => !BROKERS_OWN.test(name)));

/** The same for all copies of a message: its id where it has one; otherwise what all of it says. */
function sameOf(peeked: Pick<Peeked, 'headers' | 'properties' | 'body'>): string {
  const id = peeked.properties['messageId'];
  if (typeof id === 'string' && id !== '') return `id ${clip(id)}`;
  const hash = createHash('sha256');
  const { type, timestamp, appId, correlationId } = peeked.properties;
  hash.update(JSON.stringify([sorted(headersOf(peeked)), type, timestamp, appId, correlationId]));
  hash.update('bytes' in peeked.body ? peeked.body.bytes : JSON.stringify(peeked.body.value ?? null));
  return `says ${hash.digest('hex').slice(0, 32)}`;
}

const sorted = (headers: Record<string, unknown>) =>
  Object.entries(headers).sort(([a], [b]) => (a < b ? -1 : 1));

/**
 * Messages that come in. What comes at the same moment is written together, so that a thousand a second are some
 * tens of transactions; each is answered for only when its transaction is.
 */
import { sql } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import type { Space } from '../setup/space.ts';
import type { Parts } from './sections.ts';
import { namesOf } from './seen.ts';
import { type Arriving, copiesOf, countIn, put } from './stock.ts';

/** A store holds no more messages than this. */
export const MOST_IN_STORE = 100_000;
/** So many are written together. */
const MOST_TOGETHER = 250;
/** Nobody sends more while so much waits to be written. */
const MOST_BYTES = 64 * 1024 * 1024;
/** How long a count of a full store is believed. */
const COUNT_MS = 1000;

/** What became of a message that was sent. */
export type Outcome =
  | { readonly taken: true; readonly copies: number; readonly repeated?: true }
  | { readonly taken: false; readonly condition: string; readonly why: string };

interface Incoming {
  readonly space: Space;
  readonly to: string;
  readonly parts: Parts;
  readonly sentBy: string;
  readonly settle: (outcome: Outcome) => void;
}

export class Intake {
  private waiting: Incoming[] = [];
  private bytes = 0;
  private writing = false;
  private readonly counted = new Map<number, { count: number; at: number }>();
  private readonly room: (() => void)[] = [];

  constructor(
    private readonly db: Database,
    private readonly mostInStore = MOST_IN_STORE,
  ) {}

  /** Whether so much waits to be written that nobody should send more for now. */
  get full(): boolean {
    return this.bytes > MOST_BYTES;
  }

  /** Calls back once there is room again. */
  whenRoom(callback: () => void): void {
    this.room.push(callback);
  }

  /**
   * Puts a message to an entry that is there and may be published to.
   * @param sentBy as whom, as statements speak of them
   * @returns what became of it, once that is written
   */
  send(space: Space, to: string, parts: Parts, sentBy: string): Promise<Outcome> {
    this.bytes += parts.bare.length;
    return new Promise((settle) => {
      this.waiting.push({ space, to, parts, sentBy, settle });
      if (!this.writing) void this.write();
    });
  }

  private async write(): Promise<void> {
    this.writing = true;
    // what else comes in this turn goes with it
    await new Promise(setImmediate);
    while (this.waiting.length) {
      const these = this.waiting.splice(0, MOST_TOGETHER);
      let outcomes: Outcome[];
      try {
        outcomes = await this.writeThese(these);
      } catch (error) {
        // never what was to be written: that is somebody's message
        const { code } = ((error as Error).cause ?? error) as { code?: unknown };
        console.error(`messages could not be written: ${typeof code === 'string' ? code : 'no code'}`);
        outcomes = these.map(() => ({
          taken: false,
          condition: 'amqp:internal-error',
          why: 'it could not be written down; send it again',
        }));
      }
      for (const [i, { settle, parts }] of these.entries()) {
        this.bytes -= parts.bare.length;
        settle(outcomes[i]!);
      }
      if (!this.full) for (const callback of this.room.splice(0)) callback();
    }
    this.writing = false;
  }

  private writeThese(these: readonly Incoming[]): Promise<Outcome[]> {
    return this.db.transaction(async (tx) => {
      const repeated = await this.repeats(tx, these);
      const arriving: Arriving[] = [];
      const outcomes: Outcome[] = [];
      for (const [i, { space, to, parts, sentBy }] of these.entries()) {
        if (repeated.has(i)) {
          outcomes.push({ taken: true, copies: 0, repeated: true });
          continue;
        }
        const { bare, annotations, durable, priority, ttlMs, decoded } = parts;
        const { group } = namesOf(decoded);
        const whole = { bare, annotations, sentBy, durable, priority, ttlMs, group };
        const store = space.stores.get(to);
        const copies = store ? [{ ...whole, store }] : copiesOf(space, to, decoded, whole);
        const full = await this.firstFull(tx, copies);
        if (full) {
          outcomes.push({
            taken: false,
            condition: 'amqp:resource-limit-exceeded',
            why: `${full} holds ${this.mostInStore} messages and takes no more`,
          });
          continue;
        }
        arriving.push(...copies);
        outcomes.push({ taken: true, copies: copies.length });
      }
      await put(tx, arriving);
      const sent = these.flatMap(({ space, to }, i) =>
        outcomes[i]!.taken ? (space.topics.get(to)?.id ?? []) : [],
      );
      if (sent.length)
        await tx.execute(sql`
          insert into standin.passages (thing, came)
          select each.id, count(*) from unnest(${sql.param(sent)}::int[]) as each(id)
          join standin.things on things.id = each.id group by each.id`);
      return outcomes;
    });
  }

  /** @returns the name of the first store that is full */
  private async firstFull(
    tx: Parameters<typeof countIn>[0],
    copies: readonly Arriving[],
  ): Promise<string | undefined> {
    for (const { store } of copies) {
      let known = this.counted.get(store.id);
      if (!known || (known.count >= this.mostInStore && Date.now() - known.at > COUNT_MS)) {
        known = { count: await countIn(tx, store.id, this.mostInStore), at: Date.now() };
        if (this.counted.size > 100_000) this.counted.clear();
        this.counted.set(store.id, known);
      }
      if (known.count >= this.mostInStore) return store.name;
    }
    for (const { store } of copies) this.counted.get(store.id)!.count++;
    return undefined;
  }

  /** @returns which of the messages their topics had already, by message id (a repeat in the same batch too) */
  private async repeats(tx: Parameters<typeof countIn>[0], these: readonly Incoming[]): Promise<Set<number>> {
    const asked = these.flatMap(({ space, to, parts }, i) => {
      const topic = space.topics.get(to);
      const { id } = namesOf(parts.decoded);
      return topic && topic.dedupeMs > 0 && id !== undefined
        ? [{ i, topic: topic.id, id, ms: topic.dedupeMs, key: `${topic.id} ${id}` }]
        : [];
    });
    if (asked.length === 0) return new Set();
    const first = new Map(asked.map((each) => [each.key, each] as const).reverse());
    const fresh = [...first.values()].sort((a, b) => (a.key < b.key ? -1 : 1));
    const { rows } = await tx.execute<{ topic: number; message_id: string }>(sql`
      insert into standin.repeats (topic, message_id, until)
      select each.topic, each.id, now() + each.ms * interval '1 ms'
      from unnest(${sql.param(fresh.map(({ topic }) => topic))}::int[], ${sql.param(fresh.map(({ id }) => id))}::text[],
        ${sql.param(fresh.map(({ ms }) => ms))}::float8[]) as each(topic, id, ms)
      join standin.things on things.id = each.topic
      on conflict (topic, message_id) do update set until = excluded.until where repeats.until <= now()
      returning topic, message_id`);
    const taken = new Set(rows.map(({ topic, message_id }) => `${topic} ${message_id}`));
    return new Set(
      asked.filter((each) => !taken.has(each.key) || first.get(each.key) !== each).map(({ i }) => i),
    );
  }
}

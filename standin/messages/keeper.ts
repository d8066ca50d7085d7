/** What time does to messages when nobody takes: expiry into dead letters, the forgetting of what is over, the adding up of counts. */
import { sql } from 'drizzle-orm';
import type { Connection } from '../db/connect.ts';
import type { Spaces } from '../setup/spaces.ts';
import { sweep } from './stock.ts';

const EVERY_MS = 1000;
const LOCK = 5691;

/** Keeps stores swept; one process at a time does. @returns ends it */
export function keep({ db, pool }: Connection, spaces: Spaces): () => Promise<void> {
  let ended = false;
  let timer: NodeJS.Timeout | undefined;
  let round: Promise<void> = Promise.resolve();
  const work = async (): Promise<void> => {
    const client = await pool.connect();
    try {
      const { rows } = await client.query<{ mine: boolean }>(`select pg_try_advisory_lock(${LOCK}) as mine`);
      if (!rows[0]?.mine) return;
      try {
        const due = await db.execute<{ space: string; name: string }>(sql`
          select t.space, t.name from standin.things t where t.id in (
            select distinct m.store from standin.messages m
            where m.expires_at <= now() and m.ready_at <= now() limit 200)`);
        for (const { space: in_, name } of due.rows) {
          const space = await spaces.get(in_);
          const store = space?.stores.get(name);
          if (space && store) await sweep(db, space, store);
        }
        await db.execute(sql`delete from standin.repeats where until <= now()`);
        await db.execute(sql`
          with added as (delete from standin.passages where thing in (
            select thing from standin.passages group by thing having count(*) > 1 limit 1000) returning *)
          insert into standin.passages (thing, came, went) select thing, sum(came), sum(went) from added group by thing`);
        await db.execute(sql`delete from standin.takers where seen_at < now() - interval '1 min'`);
      } finally {
        await client.query(`select pg_advisory_unlock(${LOCK})`);
      }
    } finally {
      client.release();
    }
  };
  const next = () => {
    if (ended) return;
    round = work().catch(() => {});
    void round.then(() => {
      if (!ended) timer = setTimeout(next, EVERY_MS);
    });
  };
  next();
  return async () => {
    ended = true;
    clearTimeout(timer);
    await round;
  };
}

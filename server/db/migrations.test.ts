/** An older server's data, brought up to date: nothing of it is lost. */
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { randomBytes } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Client } from 'pg';
import { mainDocumentsOf } from '../drafts/store.ts';
import { bringUpToDate, connect } from './connect.ts';
import { probes, rollouts } from './schema.ts';

const ALL = join(__dirname, '../migrations');

test('drafts, rollouts and probes of a server of before are there afterwards', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'vondle-migrations-'));
  cpSync(ALL, folder, { recursive: true });
  const journal = JSON.parse(readFileSync(join(folder, 'meta/_journal.json'), 'utf8')) as {
    entries: unknown[];
  };
  writeFileSync(
    join(folder, 'meta/_journal.json'),
    JSON.stringify({ ...journal, entries: journal.entries.slice(0, 2) }),
  );
  const url = new URL(String(process.env['TEST_DATABASE_URL']));
  const name = `test_${randomBytes(6).toString('hex')}`;
  const admin = new Client({ connectionString: url.href });
  await admin.connect();
  await admin.query(`create database ${name}`);
  url.pathname = `/${name}`;
  const connection = connect(url.href, 2);
  try {
    await bringUpToDate(connection, folder);
    const documents = [
      { name: 'b.yaml', text: 'vondle: 1\n# Möwe\n' },
      { name: 'a.yaml', text: '' },
    ];
    const { pool, db } = connection;
    await pool.query(`insert into people (handle, name, password) values ('mara', 'Mara', 'x')`);
    await pool.query(`insert into topologies (slug, name) values ('quay', 'Quay'), ('empty', 'Empty')`);
    await pool.query(
      `insert into drafts (topology_id, base, version, documents) values (1, 0, 7, $1), (2, 0, 1, '[]')`,
      [JSON.stringify(documents)],
    );
    await pool.query(
      `insert into targets (topology_id, environment, broker, kind, sealed_addresses) values (1, 'live', 'm', 'amqp', 'x')`,
    );
    await pool.query(
      `insert into rollouts (topology_id, target_id, revision, state, kept, left_to_others, in_place, created_by, override, overridden_by)
       values (1, 1, 1, 'applied', '[]', '[]', 0, 1, 'for a reason', 1), (1, 1, 2, 'applying', '[]', '[]', 0, 1, null, null)`,
    );
    await pool.query(
      `insert into probes (rollout_id, sent, predicted, observed, agrees, created_by)
       values (1, '{}', '{"queues": {"q": 1}, "returned": false}', '{"queues": {}, "returned": false, "unseen": ["q"]}', true, 1)`,
    );

    await bringUpToDate(connection, ALL);
    expect(await mainDocumentsOf(db, 1)).toEqual(documents);
    expect(await mainDocumentsOf(db, 2)).toEqual([]);
    expect(await db.select().from(rollouts).orderBy(rollouts.id)).toMatchObject([
      { environment: 'live', broker: 'm', state: 'applied', consentBy: 1, consentWords: 'for a reason' },
      // nobody carries it on: it does not say what it was planned against
      { environment: 'live', broker: 'm', state: 'interrupted' },
    ]);
    const [probe] = await db.select().from(probes);
    expect(probe!.observed).toEqual({
      queues: {},
      returned: false,
      refused: false,
      stays: [],
      unseen: [{ queue: 'q', why: 'it held more messages than were looked through' }],
    });
    // once more changes nothing
    await bringUpToDate(connection, ALL);
  } finally {
    await connection.close();
    await admin.query(`drop database ${name} with (force)`);
    await admin.end();
    rmSync(folder, { recursive: true });
  }
});

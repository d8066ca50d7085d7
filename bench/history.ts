/** A long history of a large topology: what it takes of room, and how long the server takes to tell of it. */
import { execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { Client } from 'pg';
import { freePort } from '../server/testing/free-port.ts';
import { Measured, MEASURED_PASSWORD } from './server-process.ts';
import { teams } from './topologies.ts';

const ROOT = process.cwd();
const REVISIONS = 2000;
const TEAMS = 50;
const TIMES = 15;

const sha = (text: string) => createHash('sha256').update(text).digest('hex');

/** Writes revisions as the server does, each of which changes one document by a line. */
async function writeHistory(client: Client, topology: number): Promise<number> {
  const documents = teams(TEAMS).map(({ name, text }) => ({ name, text, hash: sha(text) }));
  const put = (hashes: string[], texts: string[]) =>
    client.query(
      'insert into contents (hash, text) select * from unnest($1::text[], $2::text[]) on conflict do nothing',
      [hashes, texts],
    );
  await put(
    documents.map(({ hash }) => hash),
    documents.map(({ text }) => text),
  );
  const size = documents.reduce((sum, { text }) => sum + text.length, 0);
  for (let number = 1; number <= REVISIONS; number++) {
    const changed = documents[1 + (number % TEAMS)]!;
    changed.text = `${changed.text.replace(/# revision \d+\n$/, '')}# revision ${number}\n`;
    changed.hash = sha(changed.text);
    await put([changed.hash], [changed.text]);
    const { rows } = await client.query<{ id: number }>(
      `insert into revisions (topology_id, number, parent, author_id, words)
       select $1, $2, nullif($2 - 1, 0), (select id from people where handle = 'mara'), $3 returning id`,
      [topology, number, `change ${number}`],
    );
    await client.query(
      'insert into revision_documents (revision_id, position, name, hash) select $1, * from unnest($2::int[], $3::text[], $4::text[])',
      [
        rows[0]!.id,
        documents.map((_, i) => i),
        documents.map(({ name }) => name),
        documents.map(({ hash }) => hash),
      ],
    );
  }
  await client.query('vacuum analyze');
  return size;
}

/** Prints the figures of a history of 2,000 revisions of 10,000 resources. */
export async function history(): Promise<void> {
  const home = mkdtempSync('/var/tmp/vondle-bench-');
  chmodSync(home, 0o755);
  const service = (what: string) =>
    execFileSync(process.execPath, [join(ROOT, 'tools/setup/service.mjs'), what, home, 'postgres'], {
      encoding: 'utf8',
    });
  let server: Measured | undefined;
  try {
    execFileSync(process.execPath, [join(ROOT, 'tools/setup/build.mjs')], { stdio: 'inherit' });
    const database = JSON.parse(service('again')) as string;
    server = await Measured.start(await freePort(), database);
    const at = `http://127.0.0.1:${server.port}/api`;
    const { headers } = await fetch(`${at}/session`, {
      method: 'POST',
      body: JSON.stringify({ handle: 'mara', password: MEASURED_PASSWORD }),
    });
    const cookie = headers
      .getSetCookie()
      .map((each) => each.split(';')[0])
      .join('; ');
    const ask = async (path: string, init: RequestInit = {}) => {
      const response = await fetch(at + path, { ...init, headers: { cookie } });
      const text = await response.text();
      if (!response.ok) throw new Error(`${path}: ${text.slice(0, 300)}`);
      return text;
    };
    const { slug } = JSON.parse(
      await ask('/topologies', { method: 'POST', body: JSON.stringify({ name: 'long' }) }),
    ) as { slug: string };
    const client = new Client({ connectionString: database });
    await client.connect();
    const { rows } = await client.query<{ id: number }>('select id from topologies where slug = $1', [slug]);
    const size = await writeHistory(client, rows[0]!.id);
    await client.query(
      `insert into draft_documents (draft_id, position, name, text, bytes)
       select d.id, rd.position, rd.name, c.text, octet_length(c.text) from drafts d, revisions r
       join revision_documents rd on rd.revision_id = r.id join contents c on c.hash = rd.hash
       where d.topology_id = $1 and r.topology_id = $1 and r.number = $2
       on conflict do nothing`,
      [rows[0]!.id, REVISIONS],
    );
    await client.query('update drafts set base = $2 where topology_id = $1', [rows[0]!.id, REVISIONS]);
    const room = await client.query<{ name: string; size: string }>(
      `select relname as name, pg_total_relation_size(oid) as size from pg_class
       where relname in ('contents', 'revisions', 'revision_documents') order by relname`,
    );
    await client.end();
    const mega = (bytes: number) => `${(bytes / 1e6).toFixed(1)} MB`;
    const all = room.rows.reduce((sum, each) => sum + Number(each.size), 0);
    console.log(
      `\n${REVISIONS} revisions of 10,000 resources in ${TEAMS + 1} documents (${mega(size)} of text), each with one changed`,
    );
    for (const each of room.rows)
      console.log(`  ${each.name.padEnd(20)} ${mega(Number(each.size)).padStart(10)}`);
    console.log(
      `  each document kept once by its content: ${mega(all)}, where whole copies would be ${mega(size * REVISIONS)} (${((100 * all) / (size * REVISIONS)).toFixed(1)} %)`,
    );
    for (const [what, path] of [
      ['its revisions', '/revisions'],
      ['the documents of one', '/revisions/1000'],
      ['how one stood, the first time', '/revisions/1000/glance'],
      ['how one stood, again', '/revisions/1000/glance'],
      ['who changed each line of a document', '/blame?doc=team-7.yaml'],
      ['the draft', ''],
    ] as const) {
      const times: number[] = [];
      const once = what.endsWith('first time');
      for (let i = 0; i < (once ? 1 : TIMES); i++) {
        const began = performance.now();
        await ask(`/topologies/${slug}${path}`);
        times.push(performance.now() - began);
      }
      times.sort((a, b) => a - b);
      console.log(
        `  ${what.padEnd(38)} ${times[times.length >> 1]!.toFixed(0).padStart(6)} ms   at most ${times.at(-1)!.toFixed(0)} ms`,
      );
    }
  } finally {
    server?.end();
    service('stop');
    rmSync(home, { recursive: true, force: true });
  }
}

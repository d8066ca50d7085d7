/** Locks of the database that go with one connection: of several processes, one holds each. */
import pg from 'pg';

export class Held {
  private client: pg.Client | undefined;
  /** What is held: taken again it would have to be let go twice. */
  private readonly ids = new Set<string>();

  /**
   * @param space a number that tells these locks from others of the database
   * @param what what the connection is called
   * @param lost called when the connection went, and with it all that was held: others may hold it now
   */
  constructor(
    private readonly databaseUrl: string,
    private readonly space: number,
    private readonly what: string,
    private readonly lost: () => void,
  ) {}

  /** Takes a lock, or has it already. @returns whether it is held here */
  async take(id: string): Promise<boolean> {
    if (this.ids.has(id)) return true;
    const client = this.client ?? (await this.connected());
    const { rows } = await client.query<{ mine: boolean }>(
      `select pg_try_advisory_lock($1, hashtext($2)) as mine`,
      [this.space, id],
    );
    if (rows[0]?.mine === true) this.ids.add(id);
    return this.ids.has(id);
  }

  /** Lets go of all that is held but for these. */
  async keepOnly(wanted: { has(id: string): boolean }): Promise<void> {
    for (const id of this.ids)
      if (!wanted.has(id)) {
        this.ids.delete(id);
        await this.client?.query('select pg_advisory_unlock($1, hashtext($2))', [this.space, id]);
      }
  }

  async close(): Promise<void> {
    await this.client?.end().catch(() => {});
  }

  private async connected(): Promise<pg.Client> {
    const client = new pg.Client({ connectionString: this.databaseUrl, application_name: this.what });
    client.on('error', () => {});
    client.on('end', () => {
      if (this.client !== client) return;
      this.client = undefined;
      this.ids.clear();
      this.lost();
    });
    await client.connect();
    return (this.client = client);
  }
}

/** Carries links without serving anybody: a process of its own, beside any number of servers on one database. */
import { fileURLToPath } from 'node:url';
import { pino, type Logger } from 'pino';
import { connect } from '../db/connect.ts';
import { forTheLog } from '../db/trouble.ts';
import { sealer } from '../secrets.ts';
import { settingsFrom } from '../settings.ts';
import { allowedAddresses } from '../targets/allowed.ts';
import { Work } from '../work/pool.ts';
import { Links } from './service.ts';

/**
 * Begins to carry every link that nobody else carries.
 * @param environment `DATABASE_URL`, `VONDLE_SECRET` and what else a server is told
 * @param log told when a link runs and when it stands; nothing where it is left out but what goes wrong
 * @returns what ends it, once what is on its way has arrived
 * @throws Error that says what is missing
 */
export function forward(
  environment: NodeJS.ProcessEnv,
  log: Logger = pino({
    base: null,
    serializers: { err: (error: unknown) => (error instanceof Error ? forTheLog(error) : error) },
  }),
): { close(): Promise<void> } {
  const { databaseUrl, secret, olderSecrets, allowedTargets } = settingsFrom(environment);
  const openers = { sealer: sealer(secret, olderSecrets), allowed: allowedAddresses(allowedTargets) };
  const thread = fileURLToPath(new URL('./thread.mjs', import.meta.url));
  const work = new Work(thread, { databaseUrl, secret, olderSecrets, allowed: allowedTargets });
  const { db, close } = connect(databaseUrl, 3);
  const links = new Links({ db, databaseUrl, openers, work, log });
  links.start();
  return {
    async close() {
      await links.close();
      await work.close();
      await close();
    },
  };
}

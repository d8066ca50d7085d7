/** Seals the addresses of all targets, the passwords of apps and the tokens of webhooks anew under VONDLE_SECRET; VONDLE_OLD_SECRETS has what they are sealed under now. */
import { connect } from './db/connect.ts';
import { sealPasswordsAgain } from './credentials/store.ts';
import { sealAgain } from './environments/store.ts';
import { sealer } from './secrets.ts';
import { sealWebhooksAgain } from './webhooks/store.ts';
import { settingsFrom } from './settings.ts';

try {
  const { databaseUrl, secret, olderSecrets } = settingsFrom(process.env);
  const { db, close } = connect(databaseUrl, 1);
  const seal = sealer(secret, olderSecrets);
  const [targets, passwords, webhooks] = await db.transaction(async (tx) => [
    await sealAgain(tx, seal),
    await sealPasswordsAgain(tx, seal),
    await sealWebhooksAgain(tx, seal),
  ]);
  await close();
  console.log(
    `${targets.sealed} of ${targets.of} targets, ${passwords.sealed} of ${passwords.of} passwords and ${webhooks.sealed} of ${webhooks.of} webhooks were sealed anew; VONDLE_OLD_SECRETS is not needed any more.`,
  );
} catch (error) {
  console.error(`Nothing was changed: ${(error as Error).message}.`);
  process.exitCode = 1;
}

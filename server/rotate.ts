/** Seals the addresses of all targets anew under VONDLE_SECRET; VONDLE_OLD_SECRETS has what they are sealed under now. */
import { connect } from './db/connect.ts';
import { sealAgain } from './environments/store.ts';
import { sealer } from './secrets.ts';
import { settingsFrom } from './settings.ts';

try {
  const { databaseUrl, secret, olderSecrets } = settingsFrom(process.env);
  const { db, close } = connect(databaseUrl, 1);
  const { sealed, of } = await db.transaction((tx) => sealAgain(tx, sealer(secret, olderSecrets)));
  await close();
  console.log(
    `${sealed} of ${of} targets were sealed anew; VONDLE_OLD_SECRETS is not needed for targets any more.`,
  );
} catch (error) {
  console.error(`Nothing was changed: ${(error as Error).message}.`);
  process.exitCode = 1;
}

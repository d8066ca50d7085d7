/** The server process: configuration from the environment, then serve until told to stop. */
import type { Server } from 'node:http';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { serve } from '@hono/node-server';
import { pino } from 'pino';
import { createApp } from './app.ts';
import { bringUpToDate, connect, whenReached } from './db/connect.ts';
import { forTheLog, isAway } from './db/trouble.ts';
import { MadeUpApps } from './demo/made-up.ts';
import { connectDemo, seedDemo } from './demo/seed.ts';
import { Jobs } from './jobs/queue.ts';
import { Changes } from './live/changes.ts';
import { Links } from './links/service.ts';
import { Messages } from './messages/service.ts';
import { Metrics, serveMetrics } from './metrics/metrics.ts';
import { OpenIdConnect } from './people/openid.ts';
import { Rollouts, ROLLOUT_SETTINGS } from './rollouts/service.ts';
import { sealer as sealerFor } from './secrets.ts';
import { settingsFrom } from './settings.ts';
import { allowedAddresses } from './targets/allowed.ts';
import { Taps } from './taps/service.ts';
import { Watching } from './watch/service.ts';
import { Deliveries } from './webhooks/deliveries.ts';
import { Work } from './work/pool.ts';

/** How long requests under way may take to end once the server is told to. */
const GRACE_MS = 5000;
/** How long the first visitor waits for the demo's environments. */
const DEMO_MS = 30_000;

function orExit<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    console.error(`The server cannot start: ${(error as Error).message}.`);
    // what is wrong here is wrong at every start
    process.exit(78);
  }
}
const settings = orExit(() => settingsFrom(process.env));
const { databaseUrl, secret, olderSecrets, allowedTargets } = settings;
const sealer = orExit(() => sealerFor(secret, olderSecrets));
const allowed = orExit(() => allowedAddresses(allowedTargets));

const log = pino({
  level: settings.logLevel,
  serializers: { err: (error: unknown) => (error instanceof Error ? forTheLog(error) : error) },
  redact: ['password', '*.password', 'addresses', '*.addresses', 'headers.cookie', '*.headers.cookie'],
});

// what nobody caught ends the process, said in the log without the values that an error's own words may have
for (const kind of ['uncaughtException', 'unhandledRejection'] as const)
  process.on(kind, (error: unknown) => {
    // the database, or a broker, went in the midst of something that nobody waits for: all of it is tried again anyway
    if (isAway(error))
      return void log.error({ err: forTheLog(error), kind }, 'went, and nobody waited for it');
    log.fatal({ err: forTheLog(error) }, 'the server ends');
    process.exitCode = 1;
    setTimeout(() => process.exit(1), 100);
  });

const root = process.cwd();
const connection = connect(databaseUrl);
const thread = fileURLToPath(new URL('./thread.mjs', import.meta.url));
const work = new Work(thread, { databaseUrl, secret, olderSecrets, allowed: allowedTargets });
const changes = new Changes(databaseUrl);
const jobs = new Jobs(databaseUrl, log);
const openers = { sealer, allowed };
const rollouts = new Rollouts(connection.db, openers, work, log, jobs, {
  ...ROLLOUT_SETTINGS,
  claimMs: settings.claimMs,
});

const links = new Links({ db: connection.db, databaseUrl, openers, work, log });
const messages = new Messages(connection.db, openers, work, log);
const taps = new Taps({ db: connection.db, databaseUrl, openers, work, log });
const watching = new Watching({
  db: connection.db,
  databaseUrl,
  work,
  log,
});
const madeUp = settings.demoBroker
  ? new MadeUpApps(
      fileURLToPath(new URL('./apps.mjs', import.meta.url)),
      connection.db,
      openers,
      { broker: settings.demoBroker, ...(settings.demoHosted ? { hosted: settings.demoHosted } : {}) },
      log,
    )
  : undefined;
const metrics = new Metrics({
  pool: connection.pool,
  lanes: () => work.lanesNow(),
  carrying: () => rollouts.carriedNow,
  links: () => links.standing(),
  watched: () => watching.newest(),
  rounds: () => [watching, taps, links].map(({ health }) => health),
});
if (settings.metricsPort !== undefined) serveMetrics(metrics, settings.host, settings.metricsPort);

const deliveries = new Deliveries({ db: connection.db, sealer, allowed, log, metrics, changes });

let ready = false;
const app = createApp({
  connection,
  log,
  sealer,
  allowed,
  ...(settings.demoBroker ? { builtIn: settings.demoBroker } : {}),
  ...(settings.demoHosted ? { builtInHosted: settings.demoHosted } : {}),
  rollouts,
  messages,
  taps,
  watching,
  ...(madeUp ? { madeUp } : {}),
  rounds: [watching, taps, ...(settings.carriesLinks ? [links] : [])],
  work,
  changes,
  metrics,
  secret,
  ...(settings.openId ? { issuer: new OpenIdConnect(settings.openId, sealer) } : {}),
  ...(settings.url ? { origin: new URL(settings.url).host } : {}),
  ready: () => ready,
  proxies: settings.proxies,
  web: join(root, 'web/dist'),
});
const server = serve({ fetch: app.fetch, hostname: settings.host, port: settings.port }, ({ port }) =>
  log.info({ port }, 'serving'),
) as Server;
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(`The server cannot listen: ${error.code ?? error.message}.`);
  process.exit(1);
});
// whoever sends slowly, or nothing, is not waited for without end
server.headersTimeout = 15_000;
server.requestTimeout = 90_000;
server.keepAliveTimeout = 30_000;
server.maxConnections = 4000;

let ending = false;
const end = async () => {
  if (ending) return;
  ending = true;
  ready = false;
  setTimeout(() => process.exit(0), 3 * GRACE_MS).unref();
  server.close();
  madeUp?.close();
  await rollouts.close();
  await Promise.race([links.close(), pause(GRACE_MS)]);
  await Promise.race([messages.close(), pause(GRACE_MS)]);
  await Promise.race([taps.close(), pause(GRACE_MS)]);
  await Promise.race([watching.close(), pause(GRACE_MS)]);
  await Promise.race([deliveries.close(), pause(GRACE_MS)]);
  await Promise.race([jobs.close(), pause(GRACE_MS)]);
  await changes.close();
  server.closeAllConnections();
  await work.close();
  await Promise.race([connection.close(), pause(GRACE_MS)]);
  process.exit(0);
};
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => void end());

await whenReached(
  () => bringUpToDate(connection, join(root, 'server/migrations')),
  () => {
    if (ending) throw new Error('ending');
  },
);
if (settings.demoPassword)
  await whenReached(() => seedDemo(connection.db, join(root, 'demo'), settings.demoPassword!));
rollouts.start();
if (settings.carriesLinks) links.start();
watching.start();
taps.start();
deliveries.start();
await jobs.start((id) => rollouts.carry(id));
if (settings.demoBroker) {
  const { demoBroker, demoHosted } = settings;
  const set = connectDemo(connection.db, openers, demoBroker, rollouts, demoHosted)
    .then(async (live) => {
      if (live && settings.demoApps) await madeUp?.start(live);
    })
    .catch((error: unknown) =>
      log.error({ err: forTheLog(error) }, 'the built-in broker could not be set up'),
    );
  // whoever comes first finds the demo whole, unless that takes too long
  await Promise.race([set, pause(DEMO_MS)]);
}
ready = true;

/** The server process: configuration from the environment, then serve until told to stop. */
import { join } from 'node:path';
import { serve } from '@hono/node-server';
import { pino } from 'pino';
import { object, string } from 'yup';
import { createApp } from './app.ts';
import { connect } from './db/connect.ts';
import { connectDemo, seedDemo } from './demo/seed.ts';
import { Rollouts } from './rollouts/service.ts';
import { sealer as sealerFor } from './secrets.ts';
import { plainError } from './targets/amqp/address.ts';

const shape = object({
  DATABASE_URL: string().required('DATABASE_URL is missing: the address of a PostgreSQL database'),
  VONDLE_SECRET: string().required('VONDLE_SECRET is missing: what secrets are sealed with').min(16),
  HOST: string().default('127.0.0.1'),
  PORT: string().default('4580'),
  VONDLE_DEMO_PASSWORD: string(),
  VONDLE_BROKER_AMQP: string(),
  VONDLE_BROKER_HTTP: string(),
  LOG_LEVEL: string().default('info'),
});

/** Reads the environment; what is wrong there is said without the values, some of which are secrets. */
function configured() {
  try {
    return shape.validateSync(process.env, { stripUnknown: true });
  } catch (error) {
    console.error(`The server cannot start: ${(error as Error).message}.`);
    process.exit(1);
  }
}
const settings = configured();

const log = pino({
  level: settings.LOG_LEVEL,
  redact: ['password', '*.password', 'addresses', '*.addresses', 'headers.cookie', '*.headers.cookie'],
});

const root = process.cwd();
const { db, close } = await connect(settings.DATABASE_URL, join(root, 'server/migrations'));
const sealer = sealerFor(settings.VONDLE_SECRET);
const rollouts = new Rollouts(db, sealer, log);
await rollouts.recover();
if (settings.VONDLE_DEMO_PASSWORD) await seedDemo(db, join(root, 'demo'), settings.VONDLE_DEMO_PASSWORD);
if (settings.VONDLE_BROKER_AMQP && settings.VONDLE_BROKER_HTTP) {
  await connectDemo(
    db,
    sealer,
    {
      amqp: settings.VONDLE_BROKER_AMQP,
      http: settings.VONDLE_BROKER_HTTP,
    },
    rollouts,
  ).catch((error: unknown) =>
    log.error({ error: plainError(error) }, 'the built-in broker could not be set up'),
  );
}

const app = createApp({ db, log, sealer, rollouts, web: './web/dist' });
const server = serve({ fetch: app.fetch, hostname: settings.HOST, port: Number(settings.PORT) }, ({ port }) =>
  log.info({ port }, 'serving'),
);

let ending = false;
const end = async () => {
  if (ending) return;
  ending = true;
  server.close();
  await rollouts.idle();
  await close();
  process.exit(0);
};
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => void end());

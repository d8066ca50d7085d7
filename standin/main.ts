/** The process of the stand-in: settings from the environment, then serve until told to stop. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { start } from './service.ts';

function needed(name: string): string {
  const value = process.env[name];
  if (value) return value;
  console.error(`The stand-in cannot start: ${name} is not set.`);
  process.exit(78);
}

const port = (name: string, otherwise: number): number => {
  const value = Number(process.env[name] ?? otherwise);
  if (Number.isInteger(value) && value >= 0 && value < 65_536) return value;
  console.error(`The stand-in cannot start: ${name} is no port.`);
  process.exit(78);
};

const { STANDIN_TLS_CERT: cert, STANDIN_TLS_KEY: key } = process.env;
const running = await start({
  databaseUrl: needed('STANDIN_DATABASE_URL'),
  secret: needed('STANDIN_SECRET'),
  host: process.env['STANDIN_HOST'] ?? '127.0.0.1',
  amqpPort: port('STANDIN_AMQP_PORT', 5690),
  httpPort: port('STANDIN_HTTP_PORT', 4690),
  migrations: join(process.cwd(), 'standin/migrations'),
  ...(cert && key ? { tls: { cert: readFileSync(cert, 'utf8'), key: readFileSync(key, 'utf8') } } : {}),
});
console.log(`the stand-in serves AMQP 1.0 at ${running.amqpPort}, its administration at ${running.httpPort}`);

// what nobody caught ends the process, told without what it may have been about
for (const kind of ['uncaughtException', 'unhandledRejection'] as const)
  process.on(kind, (error: unknown) => {
    console.error(
      `the stand-in ends: ${error instanceof Error ? `${error.name} ${error.stack?.split('\n')[1] ?? ''}` : 'a mistake'}`,
    );
    process.exit(1);
  });

let ending = false;
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    if (ending) return;
    ending = true;
    setTimeout(() => process.exit(0), 5000).unref();
    void running.close().then(() => process.exit(0));
  });

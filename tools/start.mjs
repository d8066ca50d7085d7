/** `npm start`: from a bare checkout to a served Vondle, and back to nothing running on Ctrl-C. */
import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { needModules, needPackages } from './setup/packages.mjs';
import { homeFor, memory, ROOT } from './setup/places.mjs';
import { crew as crewOf, eventually } from './setup/processes.mjs';
import { run, say, Trouble } from './setup/say.mjs';

await run(async () => {
  const ownDatabase = !process.env.DATABASE_URL;
  needPackages(...(ownDatabase ? ['postgresql'] : []), 'rabbitmq-server');
  needModules();

  const home = homeFor('run');
  const crew = crewOf(home);
  const other = crew.alive('start');
  if (other)
    throw new Trouble(`Vondle is already running from this checkout (process ${other}). End that one first.`);
  crew.note('start');
  const state = memory(home);

  let ending = false;
  const { startPostgres } = await import('./setup/postgres.mjs');
  const { startBroker, stopBroker } = await import('./setup/broker.mjs');
  const end = async (code) => {
    if (ending) return;
    ending = true;
    say('stopping …');
    await crew.stop('server', 'SIGTERM', 10_000);
    await Promise.all([crew.stop('postgres', 'SIGINT'), stopBroker(crew)]);
    crew.forget('start');
    say('stopped.');
    process.exit(code);
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void end(0));

  try {
    await crew.stop('server');
    const { build } = await import('./setup/build.mjs');
    say('starting PostgreSQL and the AMQP broker …');
    const services = Promise.all([
      ownDatabase
        ? startPostgres(home, state, crew).then((url) => (say('PostgreSQL is up'), url))
        : process.env.DATABASE_URL,
      startBroker(home, state, crew).then((urls) => (say('the AMQP 0-9-1 broker is up'), urls)),
    ]);
    // a failure of the services is awaited below; without this it would end the process unheard
    services.catch(() => {});
    await build();
    const [database, broker] = await services;

    const port = await state.port('server', Number(process.env.PORT) || 4580);
    const env = {
      DATABASE_URL: database,
      PORT: String(port),
      VONDLE_SECRET: state.secret('server'),
      VONDLE_DEMO_PASSWORD: state.secret('demo sign-in'),
      VONDLE_BROKER_AMQP: broker.amqp,
      VONDLE_BROKER_HTTP: broker.http,
      VONDLE_BROKER_MQTT: broker.mqtt,
    };
    const log = join(home, 'server.log');
    crew.start('server', process.execPath, ['--enable-source-maps', join(ROOT, 'server/dist/main.mjs')], {
      env,
      cwd: ROOT,
    });
    const address = `http://127.0.0.1:${port}`;
    const up = await eventually(() => fetch(`${address}/api/health`).then((response) => response.ok), {
      unless: () => !crew.alive('server'),
    });
    if (!up) {
      const tail = existsSync(log) ? readFileSync(log, 'utf8').trim().split('\n').slice(-8).join('\n') : '';
      throw new Trouble(`The server did not start. The end of ${log}:\n\n${tail}`);
    }
    say(`Vondle is at  ${address}`);
    say(`sign in as    mara (architect) or odo (approver), password ${state.secret('demo sign-in')}`);
    say('Ctrl-C stops it and everything it started.');
    const watch = spawn('tail', ['--pid', String(crew.alive('server')), '-f', '/dev/null'], {
      stdio: 'ignore',
    });
    watch.on('exit', () => {
      if (ending) return;
      say(`the server ended by itself; see ${log}`);
      void end(1);
    });
  } catch (error) {
    process.stderr.write(`\n${error instanceof Trouble ? error.message : error.stack}\n`);
    await end(1);
  }
});

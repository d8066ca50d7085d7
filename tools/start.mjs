/**
 * `npm start`: from a bare checkout to a served Vondle, and back to nothing running on Ctrl-C.
 * With `-- --apps` the demo's apps run too, made up: they send and take as they are declared, and one stalls.
 */
import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { needModules, needPackages } from './setup/packages.mjs';
import { homeFor, memory, ROOT } from './setup/places.mjs';
import { crew as crewOf, eventually } from './setup/processes.mjs';
import { run, say, Trouble } from './setup/say.mjs';
import { startStandin } from './setup/standin.mjs';
import { keepUp } from './setup/keep-up.mjs';

await run(async () => {
  const ownDatabase = !process.env.DATABASE_URL;
  await needPackages(...(ownDatabase ? ['postgresql'] : []), 'rabbitmq-server');
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
    await crew.stop('standin', 'SIGTERM', 10_000);
    await Promise.all([crew.stop('postgres', 'SIGINT'), stopBroker(crew)]);
    crew.forget('start');
    say('stopped.');
    process.exit(code);
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void end(0));

  try {
    await crew.stop('server');
    await crew.stop('standin');
    say('starting PostgreSQL and the AMQP broker …');
    const services = Promise.all([
      ownDatabase
        ? startPostgres(home, state, crew).then((url) => (say('PostgreSQL is up'), url))
        : process.env.DATABASE_URL,
      // the demo's instruments publish by MQTT, into its exchange of that name
      startBroker(home, state, crew, 'telemetry').then((urls) => (say('the AMQP 0-9-1 broker is up'), urls)),
    ]);
    // a failure of the services is awaited below; without this it would end the process unheard
    services.catch(() => {});
    await buildApart();
    const [database, broker] = await services;

    const standin = await startStandin(database, state, crew);
    say('the stand-in for publish-subscribe services is up');

    const port = await state.port('server', Number(process.env.PORT) || 4580);
    const apps = process.argv.includes('--apps');
    const env = {
      DATABASE_URL: database,
      PORT: String(port),
      VONDLE_SECRET: state.secret('server'),
      VONDLE_DEMO_PASSWORD: state.secret('demo sign-in'),
      VONDLE_BROKER_AMQP: broker.amqp,
      VONDLE_BROKER_HTTP: broker.http,
      VONDLE_BROKER_MQTT: broker.mqtt,
      VONDLE_STANDIN: standin.service,
      // what is on this machine may be connected to, and nothing else, unless an operator says otherwise
      VONDLE_TARGETS: process.env.VONDLE_TARGETS ?? 'loopback',
      VONDLE_DEMO_APPS: apps ? 'on' : 'off',
      VONDLE_OLD_SECRETS: state.oldSecrets('server').join(','),
    };
    const log = join(home, 'server.log');
    const address = `http://127.0.0.1:${port}`;
    const begin = () =>
      crew.start('server', process.execPath, ['--enable-source-maps', join(ROOT, 'server/dist/main.mjs')], {
        env,
        cwd: ROOT,
      });
    const server = begin();
    const up = await eventually(() => fetch(`${address}/api/ready`).then((response) => response.ok), {
      for: 120_000,
      unless: () => !crew.alive('server'),
    });
    if (!up) {
      const tail = existsSync(log) ? readFileSync(log, 'utf8').trim().split('\n').slice(-8).join('\n') : '';
      throw new Trouble(`The server did not start. The end of ${log}:\n\n${tail}`);
    }
    say(`Vondle is at  ${address}`);
    say(
      `sign in as    mara (owner), odo (approver), ines (author), tam (operator) or wen (reader), password ${state.secret('demo sign-in')}`,
    );
    if (apps) say('the demo\u2019s apps run in live, made up: see Watch');
    say('Ctrl-C stops it and everything it started.');
    const kept = (what, file, child, again) =>
      keepUp({
        server: child,
        again,
        ending: () => ending,
        tell: (wait) => say(`${what} ended by itself; see ${file}. It is started again in ${wait / 1000} s`),
      });
    await Promise.all([
      kept('the server', log, server, begin),
      kept('the stand-in', join(home, 'standin.log'), standin.child, standin.begin),
    ]);
  } catch (error) {
    process.stderr.write(`\n${error instanceof Trouble ? error.message : error.stack}\n`);
    await end(1);
  }
});

/** Builds in a process of its own: what that takes of memory is not held for as long as this one runs. */
function buildApart() {
  return new Promise((done, fail) => {
    const child = spawn(process.execPath, [join(ROOT, 'tools/setup/build.mjs')], {
      cwd: ROOT,
      stdio: 'inherit',
    });
    child.on('error', fail);
    child.on('exit', (code) => (code === 0 ? done() : fail(new Trouble('The build failed; see above.'))));
  });
}

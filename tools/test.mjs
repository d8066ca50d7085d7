/**
 * `npm test`: sets up what the tests need, for itself and afresh, and runs all of them: lint, types,
 * unit tests, the server on a real PostgreSQL, a live broker, and the interface in a real browser.
 * `npm test -- core e2e` runs only those parts, `--only=<pattern>` only the files of that name. Ends with a line `N passed, N failed`.
 */
import { spawn } from 'node:child_process';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { chromium, needModules, needPackages } from './setup/packages.mjs';
import { homeFor, memory, ROOT } from './setup/places.mjs';
import { crew as crewOf } from './setup/processes.mjs';
import { run, say, Trouble } from './setup/say.mjs';

const PARTS = ['lint', 'types', 'core', 'api', 'cli', 'tools', 'web', 'server', 'standin', 'live', 'e2e'];
const NEED_SERVICES = ['server', 'standin', 'live', 'e2e'];
const ALONE = ['core', 'api', 'cli', 'tools', 'web'];
/** No part takes this long; one that does hangs, and is stopped so that the others are still told. */
const LONGEST_MINUTES = 20;
/** What runs, each in a process group of its own. */
const children = new Set();

await run(async () => {
  const asked = process.argv.slice(2).filter((word) => !word.startsWith('-'));
  const only = process.argv.flatMap((word) => /^--only=(.+)$/.exec(word)?.[1] ?? []);
  const unknown = asked.filter((word) => !PARTS.includes(word));
  if (unknown.length)
    throw new Trouble(`There is no part ${unknown.join(', ')}; the parts are ${PARTS.join(', ')}.`);
  const parts = asked.length ? PARTS.filter((part) => asked.includes(part)) : PARTS;
  const services = parts.some((part) => NEED_SERVICES.includes(part));

  if (services)
    await needPackages('postgresql', 'rabbitmq-server', 'chromium', 'nginx', 'python3-qpid-proton');
  needModules();

  const home = homeFor('test');
  const crew = crewOf(home);
  if (crew.alive('test'))
    throw new Trouble(`Tests are already running in this checkout (process ${crew.alive('test')}).`);
  let ended = false;
  const end = async () => {
    if (ended) return;
    ended = true;
    for (const { pid } of children) process.kill(-pid, 'SIGKILL');
    const { stopBroker } = await import('./setup/broker.mjs');
    await Promise.all([crew.stop('postgres', 'SIGINT'), stopBroker(crew)]);
    crew.forget('test');
  };
  for (const signal of ['SIGINT', 'SIGTERM'])
    process.on(signal, () => void end().then(() => process.exit(130)));

  let passed = 0;
  let failed = 0;
  const count = (ok, what) => {
    if (ok) passed++;
    else failed++;
    say(`${what}: ${ok ? 'passed' : 'FAILED'}`);
  };
  try {
    await crew.stop('postgres', 'SIGINT');
    const env = {};
    if (services) {
      const { startPostgres } = await import('./setup/postgres.mjs');
      const { startBroker, stopBroker } = await import('./setup/broker.mjs');
      await stopBroker(crew);
      for (const folder of ['postgres', 'broker', 'state.json'])
        rmSync(join(home, folder), { recursive: true, force: true });
      crew.note('test');
      say('starting PostgreSQL and the AMQP broker …');
      const state = memory(home);
      const [database, broker] = await Promise.all([
        startPostgres(home, state, crew),
        startBroker(home, state, crew),
      ]);
      Object.assign(env, {
        TEST_DATABASE_URL: database,
        TEST_BROKER_AMQP: broker.amqp,
        TEST_BROKER_HTTP: broker.http,
        TEST_BROKER_MQTT: broker.mqtt,
        TEST_CHROMIUM: chromium(),
        TEST_HOME: home,
      });
      const { build, buildServer } = await import('./setup/build.mjs');
      await (parts.includes('e2e') ? build() : buildServer());
    } else {
      crew.note('test');
    }

    const still = [
      ...(parts.includes('lint')
        ? [
            ['eslint', 'eslint', '.', '--max-warnings', '0'],
            ['prettier', 'prettier', '--check', '--log-level', 'warn', '.'],
          ]
        : []),
      ...(parts.includes('types')
        ? [
            ['types', 'tsc', '-p', 'tsconfig.json'],
            ['types of core alone', 'tsc', '-p', 'core/tsconfig.json'],
            ['types of the browser tests', 'tsc', '-p', 'e2e/tsconfig.json'],
            ['types of the interface', 'vue-tsc', '-p', 'web/tsconfig.json'],
          ]
        : []),
    ];
    const test = async (part, ...order) => {
      const report = join(home, `${part}.json`);
      rmSync(report, { force: true });
      const started = Date.now();
      const command = ['jest', '--selectProjects', part, '--json', '--outputFile', report, ...order, ...only];
      const { said, late } = await outcome('npx', command, env);
      process.stdout.write(`— ${part}, ${Math.round((Date.now() - started) / 1000)} s\n${said}`);
      if (late) say(`${part} did not end within ${LONGEST_MINUTES} minutes and was stopped`);
      const result = existsSync(report) ? JSON.parse(readFileSync(report, 'utf8')) : undefined;
      passed += result?.numPassedTests ?? 0;
      // a file that could not even be loaded has no tests to count
      failed += result ? result.numFailedTests + result.numRuntimeErrorTestSuites : 1;
      if (late && result) failed++;
    };
    // what shares services goes one file after the other, and mostly waits for them: what needs nothing
    // but a core is done meanwhile. The browser has the machine to itself.
    await Promise.all([
      (async () => {
        for (let each = still.shift(); each; each = still.shift()) {
          const [what, ...command] = each;
          const { worked, said } = await outcome('npx', command);
          process.stdout.write(said);
          count(worked, what);
        }
        for (const part of parts.filter((part) => ALONE.includes(part)))
          await test(part, '--maxWorkers=100%');
      })(),
      (async () => {
        for (const part of parts.filter((part) => ['server', 'standin', 'live'].includes(part)))
          await test(part, '--runInBand');
      })(),
    ]);
    if (parts.includes('e2e')) await test('e2e', '--runInBand');
  } finally {
    await end();
  }
  process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
  process.exit(failed ? 1 : 0);
});

/**
 * Runs a command, whose output is kept, since others run beside it.
 * @returns whether it succeeded, what it said, and whether it had to be stopped
 */
function outcome(command, args, env = {}) {
  return new Promise((done) => {
    let said = '';
    let late = false;
    const child = spawn(command, args, {
      cwd: ROOT,
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, ...env },
      detached: true,
    });
    children.add(child);
    const running = setTimeout(() => {
      late = true;
      process.kill(-child.pid, 'SIGKILL');
    }, LONGEST_MINUTES * 60_000);
    for (const stream of [child.stdout, child.stderr])
      stream.setEncoding('utf8').on('data', (part) => (said += part));
    child.on('close', (code) => {
      clearTimeout(running);
      children.delete(child);
      done({ worked: code === 0, said, late });
    });
    child.on('error', (error) => done({ worked: false, said: `${error}\n`, late }));
  });
}

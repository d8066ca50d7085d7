/**
 * Services of a test's own, that it may end and start again as it likes:
 * `node tools/setup/service.mjs start <home>` starts PostgreSQL and the broker in a folder and prints their addresses
 * as JSON; `… again <home> postgres|broker` starts one, again or alone; `… kill <home> postgres|broker <signal>` ends one;
 * `… stop <home>` ends what is left.
 */
import { mkdirSync } from 'node:fs';
import { memory, sharedFolder } from './places.mjs';
import { crew as crewOf } from './processes.mjs';
import { startBroker, stopBroker } from './broker.mjs';
import { startPostgres } from './postgres.mjs';

const [what, home, which, signal] = process.argv.slice(2);
if (what === 'start' || what === 'again') {
  mkdirSync(home, { recursive: true, mode: 0o755 });
  sharedFolder(home);
}
const crew = crewOf(home);
const state = memory(home);
const say = (value) => process.stdout.write(`${JSON.stringify(value)}\n`);

switch (what) {
  case 'start': {
    const [database, broker] = await Promise.all([
      startPostgres(home, state, crew),
      startBroker(home, state, crew),
    ]);
    say({ database, broker });
    break;
  }
  case 'again':
    say(which === 'postgres' ? await startPostgres(home, state, crew) : await startBroker(home, state, crew));
    break;
  case 'kill':
    // the broker's program is a child of the script that was started; both are one group
    process.kill(which === 'broker' ? -crew.alive(which) : crew.alive(which), signal);
    break;
  default:
    await Promise.all([crew.stop('postgres', 'SIGINT'), stopBroker(crew)]);
}
process.exit(0);

/** Keeps a process going: one that ends by itself is started again, after a wait that grows while it keeps ending. */
import { pause as pauseFor } from './processes.mjs';

const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 60_000;
/** What ran for so long is not taken for something that cannot run. */
const STEADY_MS = 60_000;

/**
 * @param {object} options
 * @param options.server the running child process
 * @param options.again starts it again and gives the new child
 * @param options.ending tells whether it is meant to end
 * @param options.tell is told the wait before each new start, in milliseconds
 * @returns {Promise<void>} resolves once it ended and is meant to
 */
export async function keepUp({ server, again, ending, tell, pause = pauseFor, now = Date.now }) {
  let wait = FIRST_WAIT_MS;
  for (let child = server; ; child = again()) {
    const began = now();
    await ended(child);
    if (ending()) return;
    if (now() - began > STEADY_MS) wait = FIRST_WAIT_MS;
    tell(wait);
    await pause(wait);
    if (ending()) return;
    wait = Math.min(2 * wait, LONGEST_WAIT_MS);
  }
}

function ended(child) {
  if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve();
  return new Promise((done) => {
    child.once('exit', done);
    child.once('error', done);
  });
}

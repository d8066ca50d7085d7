/** Progress for people: one line for each thing done, with how long it took. */

const began = Date.now();

/** Prints one line of progress. */
export function say(line) {
  const seconds = ((Date.now() - began) / 1000).toFixed(1).padStart(6);
  process.stdout.write(`${seconds}s  ${line}\n`);
}

/** A problem a person can mend; its message is shown without a stack. */
export class Trouble extends Error {}

/** Runs `main`; a Trouble ends the process with its message alone. */
export async function run(main) {
  try {
    await main();
  } catch (error) {
    process.stderr.write(`\n${error instanceof Trouble ? error.message : error.stack}\n`);
    process.exitCode = 1;
  }
}

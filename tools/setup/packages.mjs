/** What must be installed: Debian's packages, and the npm ones of the lock file. */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { AS_ROOT, canRun, ROOT } from './places.mjs';
import { say, Trouble } from './say.mjs';

const NEWEST_FIRST = (a, b) => b.localeCompare(a, undefined, { numeric: true });

/** @returns the folder of PostgreSQL's programs, or undefined. */
export function postgresPrograms() {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return undefined;
  const [version] = readdirSync(base)
    .sort(NEWEST_FIRST)
    .filter((each) => canRun(join(base, each, 'bin/initdb')));
  return version && join(base, version, 'bin');
}

/** @returns the broker's own server script (not the wrapper on the PATH), or undefined. */
export function brokerScript() {
  const base = '/usr/lib/rabbitmq/lib';
  if (!existsSync(base)) return undefined;
  return readdirSync(base)
    .sort(NEWEST_FIRST)
    .map((each) => join(base, each, 'sbin/rabbitmq-server'))
    .find(canRun);
}

/** @returns the path of Chromium, or undefined. */
export function chromium() {
  return ['/usr/bin/chromium', '/usr/bin/chromium-browser'].find(canRun);
}

/** Each Debian package with how to see that it is there. */
const NEEDED = {
  postgresql: postgresPrograms,
  'rabbitmq-server': brokerScript,
  chromium,
  nginx: () => ['/usr/sbin/nginx'].find(canRun),
  'python3-qpid-proton': () => existsSync('/usr/lib/python3/dist-packages/proton/__init__.py'),
};

/** What the package manager says while another program uses it, such as the updates of a fresh machine. */
const BUSY = /Could not get lock|Unable to (?:acquire|lock)|is held by process|frontend is locked/i;
/** Seconds between two tries while it is busy, and how many tries. */
const AGAIN_S = 5;
const MOST_TRIES = 180;

/**
 * Runs an installation, again and again while the package manager is used by another program.
 * @param attempt runs it once. @returns its exit status and all that it printed
 * @param how how to tell a person, and how to wait; tests have their own
 * @returns what the last attempt gave
 */
export async function whenFree(attempt, { tell = say, pause = waitSeconds } = {}) {
  for (let tries = 1; ; tries++) {
    const result = await attempt();
    if (result.status === 0 || !BUSY.test(result.printed) || tries === MOST_TRIES) return result;
    if (tries % 6 === 1)
      tell('another program is installing packages on this machine; waiting until it is done …');
    await pause(AGAIN_S);
  }
}

const waitSeconds = (seconds) => new Promise((done) => setTimeout(done, seconds * 1000));

/** Installs the named Debian packages that are missing, or says which one command would. */
export async function needPackages(...names) {
  const missing = names.filter((name) => !NEEDED[name]());
  if (missing.length === 0) return;
  const install = `apt-get update && apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  const sudo = !AS_ROOT && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0;
  if (!AS_ROOT && !sudo) {
    throw new Trouble(
      `Some Debian packages are missing. This one command installs them:\n\n  sudo sh -c '${install}'\n`,
    );
  }
  say(`installing from Debian: ${missing.join(', ')} …`);
  const command = sudo ? ['sudo', ['-n', 'sh', '-c', install]] : ['sh', ['-c', install]];
  const { printed } = await whenFree(() => printedBy(...command));
  const still = missing.filter((name) => !NEEDED[name]());
  if (still.length) {
    const tail = printed.trim().split('\n').slice(-12).join('\n');
    throw new Trouble(`Could not install ${still.join(', ')} from Debian:\n\n${tail}\n`);
  }
}

/** Runs a command. @returns its exit status and all that it printed */
function printedBy(command, args) {
  return new Promise((done) => {
    let printed = '';
    const child = spawn(command, args, {
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive', LC_ALL: 'C' },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    for (const stream of [child.stdout, child.stderr])
      stream.setEncoding('utf8').on('data', (part) => (printed = (printed + part).slice(-100_000)));
    child.on('error', (error) => done({ status: 1, printed: String(error) }));
    child.on('close', (status) => done({ status, printed }));
  });
}

/** Runs `npm ci` when what is installed is not what the lock file says. */
export function needModules() {
  if (modulesAreRight()) return;
  say('installing npm packages …');
  const result = spawnSync('npm', ['ci', '--no-audit', '--no-fund'], {
    cwd: ROOT,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  if (result.status !== 0)
    throw new Trouble(
      `npm ci failed:\n\n${(result.stderr ?? String(result.error)).split('\n').slice(0, 30).join('\n')}`,
    );
}

function modulesAreRight() {
  const installed = join(ROOT, 'node_modules/.package-lock.json');
  if (!existsSync(installed)) return false;
  const read = (path) => JSON.parse(readFileSync(path, 'utf8')).packages;
  const have = read(installed);
  const want = read(join(ROOT, 'package-lock.json'));
  return Object.entries(want).every(([path, { version, optional, peer, link }]) => {
    if (!path.startsWith('node_modules/') && !path.includes('/node_modules/')) return true;
    if (link || ((optional || peer) && !have[path])) return true;
    return have[path]?.version === version;
  });
}

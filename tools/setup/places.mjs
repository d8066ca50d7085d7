/** Where things of this checkout are kept, and what must survive from one start to the next. */
import { createHash, randomBytes } from 'node:crypto';
import {
  accessSync,
  chmodSync,
  chownSync,
  constants,
  existsSync,
  mkdirSync,
  readFileSync,
  renameSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = resolve(dirname(fileURLToPath(import.meta.url)), '../..');
export const AS_ROOT = process.getuid?.() === 0;

/**
 * The folder of one set of services (`run` for npm start, `test` for npm test).
 * PostgreSQL and the broker refuse to run as root and run as users of their own then; where those
 * cannot reach into the checkout, the folder lies in /var/tmp instead.
 */
export function homeFor(name) {
  const inside = join(ROOT, '.vondle', name);
  mkdirSync(inside, { recursive: true });
  if (!AS_ROOT || reachableByOthers(inside)) return inside;
  const id = createHash('sha256').update(inside).digest('hex').slice(0, 10);
  const outside = join('/var/tmp', `vondle-${id}`);
  mkdirSync(outside, { recursive: true, mode: 0o755 });
  return outside;
}

function reachableByOthers(folder) {
  for (let at = folder; ; at = dirname(at)) {
    if ((statSync(at).mode & 0o001) === 0) return false;
    if (at === dirname(at)) return true;
  }
}

/** Makes a folder owned by `user` ({uid, gid}, or undefined for ourselves), for it alone. */
export function ownFolder(path, user) {
  mkdirSync(path, { recursive: true });
  if (user) chownSync(path, user.uid, user.gid);
  chmodSync(path, 0o700);
  return path;
}

/** Writes a file whole or not at all, readable by its owner alone. */
export function writePrivate(path, text, user) {
  const draft = `${path}.new`;
  writeFileSync(draft, text, { mode: 0o600 });
  if (user) chownSync(draft, user.uid, user.gid);
  renameSync(draft, path);
}

/** What is remembered in a home: ports and generated passwords. */
export function memory(home) {
  const path = join(home, 'state.json');
  const state = existsSync(path) ? JSON.parse(readFileSync(path, 'utf8')) : {};
  const keep = () => writePrivate(path, `${JSON.stringify(state, null, 2)}\n`);
  return {
    /** @returns a generated secret of that name, the same at every start. */
    secret(name) {
      state.secrets ??= {};
      if (!state.secrets[name]) {
        state.secrets[name] = randomBytes(18).toString('base64url');
        keep();
      }
      return state.secrets[name];
    },
    /** @returns a free loopback port, the same as last time unless somebody else has it now. */
    async port(name, preferred = 0) {
      state.ports ??= {};
      const wanted = state.ports[name] ?? preferred;
      const taken = new Set(
        Object.entries(state.ports).flatMap(([other, port]) => (other === name ? [] : [port])),
      );
      let port = wanted && !taken.has(wanted) && (await isFree(wanted)) ? wanted : 0;
      while (!port) {
        const candidate = await freePort();
        if (!taken.has(candidate)) port = candidate;
      }
      state.ports[name] = port;
      keep();
      return port;
    },
  };
}

function listen(port) {
  return new Promise((done, fail) => {
    const server = createServer();
    server.once('error', fail);
    server.listen(port, '127.0.0.1', () => {
      const { port: got } = server.address();
      server.close(() => done(got));
    });
  });
}

async function isFree(port) {
  return listen(port).then(
    () => true,
    () => false,
  );
}

const freePort = () => listen(0);

/** @returns whether a file is there and can be run. */
export function canRun(path) {
  try {
    accessSync(path, constants.X_OK);
    return true;
  } catch {
    return false;
  }
}

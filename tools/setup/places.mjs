/** Where things of this checkout are kept, and what must survive from one start to the next. */
import { createHash, randomBytes } from 'node:crypto';
import {
  accessSync,
  closeSync,
  constants,
  existsSync,
  fchmodSync,
  fchownSync,
  fstatSync,
  lstatSync,
  mkdirSync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Trouble } from './say.mjs';

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
  return sharedFolder(join('/var/tmp', `vondle-${id}`));
}

/**
 * Makes a folder in a place where every user of the machine may make things, or takes the one we made.
 * One that somebody else prepared, that is a link, or that others may write in, is refused.
 */
export function sharedFolder(path) {
  try {
    mkdirSync(path, { mode: 0o755 });
  } catch (error) {
    if (error.code !== 'EEXIST') throw error;
  }
  // the name is looked at itself, not what it may lead to
  const found = lstatSync(path);
  const refuse = (why) => {
    throw new Trouble(
      `${path} is there already and ${why}. Somebody else may have prepared it. Look at it, remove it, and start again.`,
    );
  };
  if (found.isSymbolicLink()) refuse('is a link');
  if (!found.isDirectory()) refuse('is no folder');
  if (found.uid !== process.getuid()) refuse('belongs to another user');
  if (found.mode & 0o022) refuse('can be written in by others');
  return path;
}

function reachableByOthers(folder) {
  for (let at = folder; ; at = dirname(at)) {
    if ((statSync(at).mode & 0o001) === 0) return false;
    if (at === dirname(at)) return true;
  }
}

/**
 * Makes a folder owned by `user` ({uid, gid}, or undefined for ourselves), for it alone. Its parent may be
 * that user's, who could put a link in its place: what is changed is what was opened, and no link is.
 */
export function ownFolder(path, user) {
  const parent = dirname(path);
  if (!existsSync(parent)) mkdirSync(parent, { recursive: true });
  try {
    mkdirSync(path, { mode: 0o700 });
  } catch (error) {
    if (error.code !== 'EEXIST') throw error;
  }
  let folder;
  try {
    folder = openSync(path, constants.O_RDONLY | constants.O_DIRECTORY | constants.O_NOFOLLOW);
  } catch {
    throw new Trouble(`${path} is no folder, or a link. Look at it, remove it, and start again.`);
  }
  try {
    const { uid } = fstatSync(folder);
    const own = user?.uid ?? process.getuid?.();
    if (uid !== own && uid !== process.getuid?.())
      throw new Trouble(`${path} belongs to another user. Look at it, remove it, and start again.`);
    if (user) fchownSync(folder, user.uid, user.gid);
    fchmodSync(folder, 0o700);
  } finally {
    closeSync(folder);
  }
  return path;
}

/** Writes a file whole or not at all, readable by its owner alone. Never through a link that somebody put there. */
export function writePrivate(path, text, user) {
  const draft = `${path}.new`;
  rmSync(draft, { force: true });
  const { O_WRONLY, O_CREAT, O_EXCL, O_NOFOLLOW } = constants;
  const file = openSync(draft, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW, 0o600);
  try {
    writeSync(file, text);
    if (user) fchownSync(file, user.uid, user.gid);
  } finally {
    closeSync(file);
  }
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
    /** @returns the secrets that one of that name had before, newest first. */
    oldSecrets(name) {
      return state.oldSecrets?.[name] ?? [];
    },
    /** Makes a secret anew; the one before is remembered. */
    renewSecret(name) {
      const before = this.secret(name);
      state.oldSecrets ??= {};
      state.oldSecrets[name] = [before, ...(state.oldSecrets[name] ?? [])].slice(0, 5);
      state.secrets[name] = randomBytes(18).toString('base64url');
      keep();
    },
    /** Forgets the secrets of before. */
    forgetOldSecrets(name) {
      delete state.oldSecrets?.[name];
      keep();
    },
    /** @returns the port of that name as it was last, or undefined. */
    knownPort(name) {
      return state.ports?.[name];
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

/**
 * Processes that this checkout started, and no others. A process is ours when its number and its
 * start time are those we wrote down: numbers are reused, the pair is not.
 */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** @returns the uid and gid of a system user when we are root, undefined for ourselves. */
export function userNamed(name) {
  if (process.getuid?.() !== 0) return undefined;
  const ask = (flag) => Number(spawnSync('id', [flag, name], { encoding: 'utf8' }).stdout.trim());
  return { uid: ask('-u'), gid: ask('-g') };
}

/** @returns when a process was started (in clock ticks since boot), or undefined when there is none. */
export function startTime(pid) {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    return fields[0] === 'Z' ? undefined : fields[19];
  } catch {
    return undefined;
  }
}

/** The processes of one home, remembered in files so that a later start can find what was left over. */
export function crew(home) {
  const folder = join(home, 'pids');
  mkdirSync(folder, { recursive: true });
  const file = (name) => join(folder, name);

  const remembered = (name) => {
    if (!existsSync(file(name))) return undefined;
    const [pid, started] = readFileSync(file(name), 'utf8').trim().split(' ');
    return { pid: Number(pid), alive: started !== undefined && startTime(pid) === started };
  };

  return {
    home,
    /** Notes a process as ours; without a pid, this one. */
    note(name, pid = process.pid) {
      writeFileSync(file(name), `${pid} ${startTime(pid)}\n`);
    },
    forget(name) {
      rmSync(file(name), { force: true });
    },
    /** @returns the number of the process of that name if it is ours and alive. */
    alive(name) {
      const found = remembered(name);
      return found?.alive ? found.pid : undefined;
    },
    /** Starts a process in a group of its own, its output in a log file of the home. */
    start(name, command, args, { user, env, cwd } = {}) {
      const log = openSync(join(home, `${name}.log`), 'a', 0o600);
      const child = spawn(command, args, {
        detached: true,
        stdio: ['ignore', log, log],
        env: { ...process.env, ...env },
        cwd: cwd ?? home,
        ...(user ?? {}),
      });
      child.on('error', () => {});
      if (child.pid) this.note(name, child.pid);
      return child;
    },
    /** Ends a process of ours: asks with `signal`, and after a while insists. */
    async stop(name, signal = 'SIGTERM', patience = 20_000) {
      const found = remembered(name);
      if (found?.alive) {
        signalTo(found.pid, signal);
        const until = Date.now() + patience;
        while (remembered(name)?.alive && Date.now() < until) await pause(50);
        if (remembered(name)?.alive) {
          signalTo(-found.pid, 'SIGKILL');
          await pause(100);
        }
      }
      this.forget(name);
    },
  };
}

function signalTo(pid, signal) {
  try {
    process.kill(pid, signal);
  } catch {
    // gone by itself meanwhile
  }
}

export const pause = (ms) => new Promise((done) => setTimeout(done, ms));

/**
 * Asks again until `attempt` gives something, a process it depends on has died, or time is up.
 * @returns what it gave, or undefined
 */
export async function eventually(attempt, { for: time = 60_000, every = 100, unless = () => false } = {}) {
  const until = Date.now() + time;
  while (Date.now() < until && !unless()) {
    const result = await attempt().catch(() => undefined);
    if (result) return result;
    await pause(every);
  }
  return undefined;
}

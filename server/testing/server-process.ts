/** The built server as a process of its own, that a test can end, kill and start again. */
import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';

const ROOT = join(__dirname, '../..');

/** Asks again and again until there is an answer. @throws Error after `ms` milliseconds, naming what was waited for */
export async function until<T>(
  what: string,
  ask: () => Promise<T | undefined | false>,
  ms = 90_000,
): Promise<T> {
  for (const end = Date.now() + ms; Date.now() < end; await pause(20)) {
    const found = await ask().catch(() => undefined);
    if (found) return found;
  }
  throw new Error(`waited ${ms / 1000} seconds for ${what}`);
}

export class ServerProcess {
  private child: ChildProcess | undefined;
  /** What it printed: at level `fatal` that is why it ended by itself. */
  said = '';

  /** @param environment what it is told beside its port: `DATABASE_URL` and `VONDLE_SECRET` at least */
  constructor(
    readonly port: number,
    private readonly environment: () => Readonly<Record<string, string>>,
  ) {}

  get address(): string {
    return `http://127.0.0.1:${this.port}`;
  }
  get pid(): number {
    return this.child!.pid!;
  }
  get isUp(): boolean {
    return this.child?.exitCode === null && this.child.signalCode === null;
  }

  /** Starts it. Resolves once it is ready. */
  async start(): Promise<void> {
    this.child = spawn(process.execPath, [join(ROOT, 'server/dist/main.mjs')], {
      cwd: ROOT,
      stdio: ['ignore', 'pipe', 'inherit'],
      env: {
        ...process.env,
        PORT: String(this.port),
        VONDLE_TARGETS: 'loopback',
        VONDLE_PROXIES: '127.0.0.1',
        LOG_LEVEL: 'fatal',
        ...this.environment(),
      },
    });
    this.child.stdout!.on('data', (text) => (this.said += String(text).slice(0, 4000)));
    await until(`a server at ${this.port}`, async () => (await fetch(`${this.address}/api/ready`)).ok);
  }
  /** Ends it as an operator does: it finishes what it has begun. */
  end(): Promise<void> {
    return this.stop('SIGTERM');
  }
  async kill(): Promise<void> {
    if (this.isUp) await this.stop('SIGKILL');
  }
  private async stop(signal: 'SIGTERM' | 'SIGKILL'): Promise<void> {
    const gone = new Promise((done) => this.child!.once('exit', done));
    this.child!.kill(signal);
    await gone;
  }
}

/** A server process that is measured. */
import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';

const ROOT = process.cwd();
export const MEASURED_PASSWORD = 'a password for measuring';

interface Delay {
  readonly p50: number;
  readonly p99: number;
  readonly max: number;
  readonly rss: number;
}

/** One server process, whose event loop can be asked after. */
export class Measured {
  private readonly said: string[] = [];
  private constructor(
    readonly port: number,
    private readonly child: ChildProcess,
  ) {
    child.stdout!.on('data', (data: Buffer) => this.said.push(...String(data).trim().split('\n')));
  }
  static async start(port: number, database: string): Promise<Measured> {
    const child = spawn(
      process.execPath,
      ['--import', join(ROOT, 'bench/loop-delay.mjs'), join(ROOT, 'server/dist/main.mjs')],
      {
        cwd: ROOT,
        stdio: ['ignore', 'pipe', 'inherit'],
        env: {
          ...process.env,
          DATABASE_URL: database,
          PORT: String(port),
          VONDLE_SECRET: 'a secret for measuring alone',
          VONDLE_DEMO_PASSWORD: MEASURED_PASSWORD,
          VONDLE_TARGETS: 'loopback',
          LOG_LEVEL: 'fatal',
        },
      },
    );
    const made = new Measured(port, child);
    for (;;) {
      const up = await fetch(`http://127.0.0.1:${port}/api/ready`).then(
        ({ ok }) => ok,
        () => false,
      );
      if (up) return made;
      await pause(50);
    }
  }
  async delay(): Promise<Delay> {
    this.said.length = 0;
    this.child.kill('SIGUSR2');
    while (this.said.length === 0) await pause(5);
    return JSON.parse(this.said.pop()!) as Delay;
  }
  end(): void {
    this.child.kill('SIGKILL');
  }
}

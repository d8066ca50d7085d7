/** Lets the apps of an environment run, made up, each environment's in a process of its own. */
import { fork, type ChildProcess } from 'node:child_process';
import { eq, and } from 'drizzle-orm';
import type { Logger } from 'pino';
import type { AmqpAddresses, HostedAddresses } from '@vondle/api';
import type { Database } from '../db/connect.ts';
import { targets } from '../db/schema.ts';
import { addressesIn, type Openers } from '../environments/store.ts';
import { Problem } from '../http/problem.ts';
import { environmentsStanding } from '../links/standing.ts';
import type { BuiltIn } from '../targets/amqp/built-in.ts';
import type { BuiltInHosted } from '../targets/hosted/built-in.ts';

/** The variable that tells the process whose apps they are, as JSON. */
export const APPS_OF = 'VONDLE_APPS_OF';

/** Whose apps. */
export interface AppsOf {
  readonly topologyId: number;
  readonly environment: string;
}

/** So many environments have made-up apps at once. */
const MOST = 3;
/** A process that ended by itself is begun again after this. */
const AGAIN_MS = 3000;
/** What does not end when told to is ended after this. */
const END_MS = 3000;

/** The brokers that came with the installation. */
export interface CameWithIt {
  readonly broker: BuiltIn;
  readonly hosted?: BuiltInHosted;
}

/**
 * Asked before apps begin, and again by their process whenever what stands is otherwise: a target may be set anew.
 * @returns whether something stands there, and all of it on brokers that came with the installation
 */
export async function mayRun(
  db: Database,
  { sealer }: Openers,
  { broker, hosted }: CameWithIt,
  { topologyId, environment }: AppsOf,
): Promise<boolean> {
  const stands = (await environmentsStanding(db)).some(
    (each) => each.topologyId === topologyId && each.environment === environment,
  );
  if (!stands) return false;
  const rows = await db
    .select()
    .from(targets)
    .where(and(eq(targets.topologyId, topologyId), eq(targets.environment, environment)));
  return rows.every((row) => {
    try {
      const addresses = addressesIn(sealer, row);
      const [its, ours] =
        row.kind === 'amqp'
          ? [(addresses as AmqpAddresses).amqp, broker.amqp]
          : [(addresses as HostedAddresses).service, hosted?.service];
      return ours !== undefined && new URL(its).host === new URL(ours).host;
    } catch {
      return false;
    }
  });
}

const idOf = ({ topologyId, environment }: AppsOf) => `${topologyId} ${environment}`;

export class MadeUpApps {
  private readonly running = new Map<string, ChildProcess | undefined>();

  /**
   * @param script the program that is they
   * @param builtIn the brokers that came with the installation: nothing is made up on others
   */
  constructor(
    private readonly script: string,
    private readonly db: Database,
    private readonly openers: Openers,
    private readonly builtIn: CameWithIt,
    private readonly log: Logger,
    /** What a server is told by its environment, which the program is told, too. */
    private readonly environment: NodeJS.ProcessEnv = process.env,
  ) {}

  /** @returns whether they may run: something stands there, and all of it on brokers that came with the installation */
  may(of: AppsOf): Promise<boolean> {
    return mayRun(this.db, this.openers, this.builtIn, of);
  }

  runs(of: AppsOf): boolean {
    return this.running.has(idOf(of));
  }

  /** @throws Problem where too many run, or they may not */
  async start(of: AppsOf): Promise<void> {
    if (!(await this.may(of)))
      throw new Problem(
        409,
        'Not here',
        `Made-up apps run only where something stands, and all of it on the brokers that came with this installation: elsewhere somebody may act on what they send.`,
      );
    const id = idOf(of);
    if (this.running.has(id)) return;
    if (this.running.size >= MOST)
      throw new Problem(429, 'Too many', `The apps of ${MOST} environments run already; end some first.`);
    this.running.set(id, undefined);
    this.begin(of);
  }

  stop(of: AppsOf): void {
    const child = this.running.get(idOf(of));
    this.running.delete(idOf(of));
    if (child) end(child);
  }

  close(): void {
    for (const child of this.running.values()) if (child) end(child);
    this.running.clear();
  }

  private begin(of: AppsOf): void {
    const id = idOf(of);
    if (!this.running.has(id)) return;
    const child = fork(this.script, {
      env: { ...this.environment, [APPS_OF]: JSON.stringify(of) },
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
    });
    this.running.set(id, child);
    child.on('error', () => {});
    child.once('exit', (code) => {
      if (this.running.get(id) !== child) return;
      this.log.warn({ ...of, code }, 'made-up apps ended by themselves');
      setTimeout(() => this.running.get(id) === child && this.begin(of), AGAIN_MS).unref();
    });
  }
}

function end(child: ChildProcess): void {
  child.kill('SIGTERM');
  setTimeout(() => child.kill('SIGKILL'), END_MS).unref();
}

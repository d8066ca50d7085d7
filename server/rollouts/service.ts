/** Carrying a revision out on a broker: plan, apply, verify, probe. */
import {
  buildGraph,
  complete,
  expectProbe,
  lookUp,
  obstaclesIn,
  planRollout,
  readTopology,
  review,
  samplesOf,
  trace,
  wantedState,
  ENTRIES,
  type Message,
  type RoutingGraph,
  type Topology,
  type TopologyDocument,
} from '@vondle/core';
import { eq } from 'drizzle-orm';
import type { Logger } from 'pino';
import { record, type Database } from '../db/connect.ts';
import { rollouts } from '../db/schema.ts';
import { openTarget } from '../environments/store.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Person } from '../people/store.ts';
import { documentsOf } from '../revisions/store.ts';
import type { Sealer } from '../secrets.ts';
import { plainError } from '../targets/amqp/address.ts';
import { readInventory } from '../targets/amqp/inventory.ts';
import { sendProbe } from '../targets/amqp/probe.ts';
import { stepRunner } from '../targets/amqp/step.ts';
import type { TopologyRow } from '../topologies/store.ts';
import { insertProbe, insertRollout, markStep, moveRollout, stepsOf, type RolloutRow } from './store.ts';

export interface ProbeInput {
  /** The publishing app and which of its publishes. */
  readonly app: string;
  readonly message: string;
  readonly to: string;
  readonly sample: Partial<Message>;
}

export class Rollouts {
  /** Rollouts this process is carrying out, and those of them that shall stop. */
  private readonly running = new Map<number, Promise<void>>();
  private readonly stopping = new Set<number>();

  constructor(
    private readonly db: Database,
    private readonly sealer: Sealer,
    private readonly log: Logger,
  ) {}

  /** What a process that died was carrying out is interrupted: done steps stay done, a new plan goes on from there. */
  async recover(): Promise<void> {
    const found = await this.db
      .update(rollouts)
      .set({
        state: 'interrupted',
        error:
          'The server stopped while this ran. What is marked done was done; plan again to go on from there.',
        finishedAt: new Date(),
      })
      .where(eq(rollouts.state, 'applying'))
      .returning({ id: rollouts.id });
    for (const { id } of found) this.log.warn({ rollout: id }, 'rollout was interrupted');
  }

  private async topologyAt(topology: TopologyRow, revision: number, environment: string): Promise<Topology> {
    const documents: TopologyDocument[] | undefined = await documentsOf(this.db, topology.id, revision);
    if (!documents) throw notFound(`revision ${revision}`);
    const read = readTopology(documents);
    // an environment the documents do not know has no values of its own
    return read.declared.environments?.has(environment) ? readTopology(documents, { environment }) : read;
  }

  private async target(topology: TopologyRow, id: number) {
    const target = await openTarget(this.db, this.sealer, topology.id, id);
    if (!target) throw notFound(`target ${id}`);
    return target;
  }

  /** Reads what the target has and writes down the steps to make it as the revision says. @returns the rollout's id */
  async plan(topology: TopologyRow, person: Person, revision: number, targetId: number): Promise<number> {
    const target = await this.target(topology, targetId);
    const read = await this.topologyAt(topology, revision, target.environment);
    const errors = read.findings.filter((finding) => finding.severity === 'error');
    if (errors.length) {
      throw new Problem(
        409,
        'Revision has errors',
        `Revision ${revision} has ${errors.length} ${errors.length === 1 ? 'error' : 'errors'}; mend them and save a new revision first. The first: ${errors[0]!.message}`,
      );
    }
    if (read.declared.brokers?.get(target.broker)?.value.variant !== 'amqp') {
      throw new Problem(
        409,
        'No such broker',
        `Revision ${revision} declares no AMQP broker \`${target.broker}\`.`,
      );
    }
    const has = await readInventory(target.addresses).catch((error: unknown) => {
      throw new Problem(
        502,
        'Broker not reached',
        `${target.broker} in ${target.environment}: ${plainError(error)}`,
      );
    });
    const plan = planRollout(wantedState(read, target.broker), has);
    const obstacles = isProtected(read, target.environment)
      ? obstaclesIn(review(read)).map(({ message }) => message)
      : [];
    return this.db.transaction(async (tx) => {
      const id = await insertRollout(
        tx,
        {
          topologyId: topology.id,
          targetId,
          revision,
          kept: [...plan.kept],
          leftToOthers: [...plan.leftToOthers],
          inPlace: plan.inPlace,
          obstacles,
          createdBy: person.id,
        },
        plan.steps,
      );
      await record(tx, 'plan rollout', {
        personId: person.id,
        topologyId: topology.id,
        details: { rollout: id, revision },
      });
      return id;
    });
  }

  /**
   * Begins carrying a planned rollout out; it goes on after this returns.
   * @param override an approver's words, without which error findings and broken expectations keep a
   *   revision from a protected environment
   */
  async apply(topology: TopologyRow, person: Person, rollout: RolloutRow, override = ''): Promise<void> {
    const blocked = rollout.obstacles.length > 0;
    if (blocked) mustBeOverridden(topology, rollout, override);
    await this.db
      .transaction(async (tx) => {
        const more = blocked ? { override, overriddenBy: person.id } : {};
        if (!(await moveRollout(tx, rollout.id, 'planned', 'applying', more))) {
          throw new Problem(409, 'Not planned', `This rollout is ${rollout.state}; plan a new one.`);
        }
        await record(tx, 'apply rollout', {
          personId: person.id,
          topologyId: topology.id,
          details: { rollout: rollout.id, ...(blocked ? { override } : {}) },
        });
      })
      .catch((error: unknown) => {
        if (isOneAtATime(error)) {
          throw new Problem(
            409,
            'Busy',
            `Another rollout is running on ${rollout.broker} in ${rollout.environment}.`,
          );
        }
        throw error;
      });
    const work = this.carryOut(topology, rollout)
      .catch(async (error: unknown) => {
        this.log.error({ rollout: rollout.id, error: plainError(error) }, 'rollout failed');
        await moveRollout(this.db, rollout.id, 'applying', 'failed', { error: plainError(error) });
      })
      .catch((error: unknown) =>
        this.log.error({ rollout: rollout.id, error: plainError(error) }, 'could not note a failed rollout'),
      )
      .finally(() => {
        this.running.delete(rollout.id);
        this.stopping.delete(rollout.id);
      });
    this.running.set(rollout.id, work);
  }

  /** Asks a running rollout to stop after the step it is at. */
  stop(id: number): boolean {
    if (!this.running.has(id)) return false;
    this.stopping.add(id);
    return true;
  }

  /** Resolves when nothing is being carried out any more. */
  async idle(): Promise<void> {
    await Promise.all(this.running.values());
  }

  private async carryOut(topology: TopologyRow, rollout: RolloutRow): Promise<void> {
    const target = await this.target(topology, rollout.targetId);
    const runner = await stepRunner(target.addresses);
    try {
      for (const { position, step } of await stepsOf(this.db, rollout.id)) {
        if (this.stopping.has(rollout.id)) {
          await moveRollout(this.db, rollout.id, 'applying', 'stopped', {
            error: 'Stopped on request; plan again to go on from here.',
          });
          return;
        }
        await markStep(this.db, rollout.id, position, 'running');
        try {
          await runner.run(step);
        } catch (error) {
          await this.db.transaction(async (tx) => {
            await markStep(tx, rollout.id, position, 'failed', plainError(error));
            await moveRollout(tx, rollout.id, 'applying', 'failed', {
              error: `${step.title}: ${plainError(error)}`,
            });
          });
          return;
        }
        await markStep(this.db, rollout.id, position, 'done');
      }
    } finally {
      await runner.close();
    }
    // the broker's word, not ours, that it is now as planned
    const read = await this.topologyAt(topology, rollout.revision, target.environment);
    const left = planRollout(wantedState(read, target.broker), await readInventory(target.addresses)).steps;
    await moveRollout(this.db, rollout.id, 'applying', 'applied', {
      verified: left.length === 0,
      error: left.length ? `The broker still differs: ${left.map((step) => step.title).join('; ')}` : null,
    });
    this.log.info({ rollout: rollout.id, verified: left.length === 0 }, 'rollout applied');
  }

  /** Publishes a real message on the target and compares where it lands with the trace. */
  async probe(topology: TopologyRow, person: Person, rollout: RolloutRow, input: ProbeInput): Promise<void> {
    if (rollout.state !== 'applied')
      throw new Problem(409, 'Not applied', 'Probe a rollout after it is applied.');
    const target = await this.target(topology, rollout.targetId);
    const read = await this.topologyAt(topology, rollout.revision, target.environment);
    const type = read.messages.get(input.message);
    if (!type) throw notFound(`message type \`${input.message}\` in revision ${rollout.revision}`);
    const message = complete(
      type,
      Object.keys(input.sample).length ? input.sample : samplesOf(type)[0]!.message,
    );
    const graph = buildGraph(read);
    const entry = wireEntry(graph, input.to, target.broker, message);
    const predicted = expectProbe(
      graph,
      trace(graph, message, { to: input.to, mandatory: true }).trace,
      target.broker,
    );
    const observed = await sendProbe(target.addresses, {
      exchange: entry.exchange,
      message: { ...message, key: entry.key },
      queues: wantedState(read, target.broker).queues.map((queue) => queue.name),
    }).catch((error: unknown) => {
      throw new Problem(502, 'Probe not sent', plainError(error));
    });
    const names = [...new Set([...Object.keys(predicted.queues), ...Object.keys(observed.queues)])];
    const agrees =
      predicted.returned === observed.returned &&
      names.every(
        (name) => observed.unseen.includes(name) || predicted.queues[name] === observed.queues[name],
      );
    await this.db.transaction(async (tx) => {
      await insertProbe(tx, {
        rolloutId: rollout.id,
        sent: { ...message, to: input.to },
        predicted: { queues: { ...predicted.queues }, returned: predicted.returned },
        observed: {
          queues: { ...observed.queues },
          returned: observed.returned,
          unseen: [...observed.unseen],
        },
        agrees,
        createdBy: person.id,
      });
      await record(tx, 'probe', {
        personId: person.id,
        topologyId: topology.id,
        details: { rollout: rollout.id, agrees },
      });
    });
  }
}

/** The exchange and key a probe for an entry is published with. Only entries of the target itself will do. */
function wireEntry(
  graph: RoutingGraph,
  to: string,
  broker: string,
  message: Message,
): { exchange: string; key: string } {
  const { declared } = graph.topology;
  let found = lookUp(declared, to, ENTRIES);
  for (let hops = 0; found.ok && found.thing.kind === 'alias' && hops < 50; hops++) {
    const alias = declared.brokers?.get(found.thing.broker)?.value.aliases?.get(found.thing.name)?.value;
    found = lookUp(declared, alias?.to?.value ?? '', ENTRIES, found.thing.broker);
  }
  const decl = declared.brokers?.get(broker)?.value;
  if (!found.ok || found.thing.broker !== broker || decl?.variant !== 'amqp') {
    throw new Problem(
      409,
      'Not on this broker',
      `\`${to}\` is not an entry of ${broker}; choose a message that enters there.`,
    );
  }
  const { kind, name } = found.thing;
  if (kind === 'exchange') {
    return { exchange: decl.exchanges?.get(name)?.value.wireName?.value ?? name, key: message.key };
  }
  return { exchange: '', key: decl.queues?.get(name)?.value.wireName?.value ?? name };
}

/** Whether what is applied in an environment is guarded. */
function isProtected({ declared }: Topology, environment: string): boolean {
  return declared.environments?.get(environment)?.value.protected?.value === true;
}

/** @throws Problem unless an approver says in words why a revision goes to a protected environment all the same */
function mustBeOverridden(
  topology: TopologyRow,
  { obstacles, environment, revision }: RolloutRow,
  override: string,
): void {
  const count = `${obstacles.length} ${obstacles.length === 1 ? 'thing keeps' : 'things keep'}`;
  const what = `${count} revision ${revision} from ${environment}, which is protected. The first: ${obstacles[0]}`;
  if (topology.role !== 'approver')
    throw new Problem(403, 'Needs an approver', `${what} An approver may override this with words.`);
  if (override.trim().length < 10)
    throw new Problem(
      409,
      'Needs words',
      `${what} To override this, say in a sentence why it is applied all the same.`,
    );
}

function isOneAtATime(error: unknown): boolean {
  const text =
    error instanceof Error ? `${error.message} ${String((error as { cause?: unknown }).cause ?? '')}` : '';
  return text.includes('rollouts_one_at_a_time');
}

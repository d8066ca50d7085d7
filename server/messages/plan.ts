/** What is done with messages of an environment, worked out on a thread from what stands there. */
import { asGiven, expectedOf, expectProbe, remarksOn, samplesOf } from '@vondle/core/analysis';
import type { MessageSeen, Reads } from '@vondle/api';
import type { Message } from '@vondle/core/conditions';
import { buildGraph, trace } from '@vondle/core/routing';
import type { Topology } from '@vondle/core/topology';
import type { Database } from '../db/connect.ts';
import { openTarget, type TargetRow } from '../environments/store.ts';
import { Problem } from '../http/problem.ts';
import { environmentsStanding } from '../links/standing.ts';
import { onBroker, topologyAt, type Planning } from '../rollouts/planning.ts';
import type { Reached } from '../targets/reached.ts';
import { entryOf, membersOf, type Entry, type SentBy } from './entry.ts';
import { peek, takeOldest } from './peek.ts';
import { toldOf } from './told.ts';

interface Where {
  readonly topologyId: number;
  readonly environment: string;
}

/** @returns what stands on a broker, and the target that leads there. @throws Problem where nothing does */
export async function standingOn(
  { db, ...openers }: Planning,
  { topologyId, environment }: Where,
  broker: string,
): Promise<{ target: TargetRow & { reached: Reached }; topology: Topology }> {
  const found = await standsThere(db, { topologyId, environment });
  const stands = found.find((each) => each.broker === broker);
  const target = stands && (await openTarget(db, openers, topologyId, stands.targetId));
  if (!target)
    throw new Problem(
      404,
      'Nothing stands there',
      `Nothing of this topology stands on ${broker.slice(0, 100)} in ${environment.slice(0, 100)}, or it is not connected any more.`,
    );
  return { target, topology: await topologyAt(db, topologyId, stands.revision, environment) };
}

async function standsThere(db: Database, { topologyId, environment }: Where) {
  const found = await environmentsStanding(db);
  return (
    found.find((each) => each.topologyId === topologyId && each.environment === environment)?.brokers ?? []
  );
}

/** Looks at the messages of a store. @throws Problem */
export async function browse(
  planning: Planning,
  {
    broker,
    store,
    most,
    reads,
    ...where
  }: Where & { broker: string; store: string; most: number; reads: Reads },
): Promise<{ messages: MessageSeen[]; waiting: number; said: string }> {
  const { target, topology } = await standingOn(planning, where, broker);
  const { messages, waiting, said } = await onBroker(target, () => peek(target.reached, store, most));
  return { messages: toldOf(topology, { broker, store }, messages, reads), waiting, said };
}

/** Takes the oldest message of a store, for good. @throws Problem */
export async function takeOne(
  planning: Planning,
  { broker, store, reads, ...where }: Where & { broker: string; store: string; reads: Reads },
): Promise<{ message: MessageSeen | null }> {
  const { target, topology } = await standingOn(planning, where, broker);
  const taken = await onBroker(target, () =>
    takeOldest(target.reached, store, (message) => toldOf(topology, { broker, store }, [message], reads)[0]!),
  );
  return { message: taken ?? null };
}

export interface SendPlan {
  readonly targetId: number;
  readonly broker: string;
  readonly entry: Entry;
  readonly message: Message;
  readonly persistent: boolean;
  readonly remarks: string[];
  /** Stores it is to come to rest in, by the trace. */
  readonly predicted: string[];
}

/** Works out how a message is sent, and where it is to come to rest. @throws Problem */
export async function planSend(
  planning: Planning,
  { input, ...where }: Where & { input: SentBy & { message: string; sample: Partial<Message> } },
): Promise<SendPlan> {
  const refusals: Problem[] = [];
  for (const { broker } of await standsThere(planning.db, where)) {
    const { target, topology } = await standingOn(planning, where, broker);
    const type = topology.messages.get(input.message);
    if (!type)
      throw new Problem(
        404,
        'No such message',
        `What stands in ${where.environment} declares no such message type.`,
      );
    const { message, missing } = asGiven(
      type,
      Object.keys(input.sample).length ? input.sample : samplesOf(type)[0]!.message,
    );
    if (missing.length)
      throw new Problem(
        400,
        'No key',
        `The key ${type.key!.value} needs a value for ${missing.join(' and ')}.`,
      );
    const graph = buildGraph(topology);
    let entry: Entry | undefined;
    let to = input.to;
    // of a spread the first member that is here: a message sent by hand takes no turn
    for (const member of input.via === 'mqtt' ? [input.to] : [input.to, ...membersOf(graph, input.to)])
      try {
        entry = entryOf(graph, { ...input, to: member }, broker, message);
        to = member;
        break;
      } catch (error) {
        if (!(error instanceof Problem)) throw error;
        refusals.push(error);
      }
    if (!entry) continue;
    const via = input.via === 'mqtt' ? ('mqtt' as const) : undefined;
    const traced = trace(graph, message, {
      to,
      mandatory: true,
      ...(via ? { via } : {}),
      ...(entry.kind === 'hosted' ? { from: `app:${input.app}` } : {}),
    }).trace;
    const { queues, carried } = expectProbe(graph, traced, broker);
    const publish = topology.declared.apps
      ?.get(input.app)
      ?.value.publishes?.items.find(
        (each) => each.message?.value === input.message && each.to?.value === input.to,
      );
    return {
      targetId: target.id,
      broker,
      entry,
      message,
      persistent: publish?.persistent?.value ?? false,
      remarks: remarksOn(type, message),
      predicted: [
        ...Object.keys(queues).map((name) => `${broker}/${name}`),
        ...carried.map((each) => `${each.broker}/${each.store}`),
      ],
    };
  }
  throw (
    refusals.find(({ title }) => title !== 'Not on this broker') ??
    new Problem(
      409,
      'No such entry',
      `Nothing that stands in ${where.environment} has the entry ${input.to}.`,
    )
  );
}

/** @returns the stores of a broker as it calls them, each with whether it goes with its last taker. @throws Problem */
export async function storesOn(
  planning: Planning,
  { broker, ...where }: Where & { broker: string },
): Promise<{ targetId: number; stores: { name: string; id: string | null; autoDelete: boolean }[] }> {
  const { target, topology } = await standingOn(planning, where, broker);
  const has = await onBroker(target, () => target.reached.inventory());
  const declared = new Map(
    expectedOf(buildGraph(topology)).stores.flatMap((each) =>
      each.broker === broker ? [[each.name, each.id]] : [],
    ),
  );
  const hosted = (has.hosted ?? []).filter(({ kind }) => kind === 'queue' || kind === 'subscription');
  return {
    targetId: target.id,
    stores: [...has.queues, ...hosted].map((each) => ({
      name: each.name,
      id: declared.get(each.name) ?? null,
      autoDelete: 'autoDelete' in each && each.autoDelete,
    })),
  };
}

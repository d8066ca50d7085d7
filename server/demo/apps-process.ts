/**
 * The apps of an environment, made up: each sends examples of its messages at the rates that are declared, and takes as
 * it is declared to, so that there is something to watch. One of the demo's takes until its hands are full and settles
 * nothing more. A process of its own, which ends with the server that began it.
 */
import { randomUUID } from 'node:crypto';
import { setMaxListeners } from 'node:events';
import { setTimeout as pause } from 'node:timers/promises';
import { expectedOf, samplesOf } from '@vondle/core/analysis';
import { buildGraph, type RoutingGraph } from '@vondle/core/routing';
import { lookUp, STORES, type MessageType } from '@vondle/core/topology';
import { connect, type Database } from '../db/connect.ts';
import { openTarget, type Openers } from '../environments/store.ts';
import { hostedPlace } from '../links/ends/hosted.ts';
import { environmentsStanding } from '../links/standing.ts';
import { entryOf, mqttExchange, type Entry, type SentBy } from '../messages/entry.ts';
import { openSender } from '../messages/sender.ts';
import { topologyAt } from '../rollouts/planning.ts';
import { sealer } from '../secrets.ts';
import { settingsFrom } from '../settings.ts';
import { allowedAddresses } from '../targets/allowed.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Reached } from '../targets/reached.ts';
import { APPS_OF, mayRun, type AppsOf } from './made-up.ts';

/** The app that stalls, after it has taken so many. */
const STALLS = 'settlement';
const STALLS_AFTER = 30;
/** Nobody sends more often than this, or less often. */
const MOST_A_SECOND = 20;
const LEAST_A_SECOND = 1 / 60;
/** Sent a second, and taken at once, where nothing is declared. */
const A_SECOND = 0.2;
const AT_ONCE = 10;
const BUSY_MS = 20;
/** What breaks is begun again after this. */
const AGAIN_MS = 3000;

interface World {
  readonly graph: RoutingGraph;
  readonly reached: ReadonlyMap<string, Reached>;
}

/** A connection that may go at any moment. */
interface Attempt {
  readonly failed: Promise<never>;
  fail(error: unknown): void;
}

/** @returns what stands in the environment; undefined where nothing does */
const standing = async (db: Database, { topologyId, environment }: AppsOf) =>
  (await environmentsStanding(db)).find(
    (each) => each.topologyId === topologyId && each.environment === environment,
  );

/** @returns what stands in the environment, and its brokers; undefined where nothing does */
async function worldOf(db: Database, openers: Openers, of: AppsOf): Promise<World | undefined> {
  const { topologyId, environment } = of;
  const brokers = (await standing(db, of))?.brokers;
  if (!brokers) return undefined;
  const newest = Math.max(...brokers.map(({ revision }) => revision));
  const graph = buildGraph(await topologyAt(db, topologyId, newest, environment));
  const reached = new Map<string, Reached>();
  for (const { broker, targetId } of brokers) {
    const target = await openTarget(db, openers, topologyId, targetId);
    if (target) reached.set(broker, target.reached);
  }
  return { graph, reached };
}

/** Does something until told to stop. */
async function again(stop: AbortSignal, work: (attempt: Attempt) => Promise<void>): Promise<void> {
  while (!stop.aborted) {
    let fail: (error: unknown) => void = () => {};
    const failed = new Promise<never>((_, reject) => (fail = reject));
    failed.catch(() => {});
    // a broker that is away is nothing to tell of here: who watches sees it
    await work({ failed, fail }).catch(() => {});
    await pause(AGAIN_MS, undefined, { signal: stop }).catch(() => {});
  }
}

const aborted = (stop: AbortSignal) =>
  new Promise<void>((done) => (stop.aborted ? done() : stop.addEventListener('abort', () => done())));

/** @returns the broker on which a way to publish enters, with how it does */
function entryIn(
  { graph, reached }: World,
  sent: SentBy,
  type: MessageType,
): { at: Reached; entries: { entry: Entry; message: Parameters<typeof entryOf>[3] }[] } | undefined {
  for (const [broker, at] of reached)
    try {
      const entries = samplesOf(type).map(({ message }) => {
        const entry = entryOf(graph, sent, broker, message);
        // what comes by MQTT comes by the exchange it enters
        return entry.kind === 'mqtt'
          ? { entry: { kind: 'amqp' as const, exchange: mqttExchange(graph, broker), key: message.key }, message }
          : { entry, message };
      });
      return { at, entries };
    } catch {
      // it enters elsewhere
    }
  return undefined;
}

function publish(world: World, stop: AbortSignal): Promise<void>[] {
  const { topology } = world.graph;
  const running: Promise<void>[] = [];
  for (const { name: app, value } of topology.declared.apps?.values() ?? [])
    for (const { message, to, via, rate, persistent } of value.publishes?.items ?? []) {
      const type = message && topology.messages.get(message.value);
      const sent = { app, to: to?.value ?? '', via: via?.value };
      const found = type && entryIn(world, sent, type);
      if (!found || found.entries.length === 0) continue;
      const everyMs = 1000 / Math.min(MOST_A_SECOND, Math.max(LEAST_A_SECOND, rate?.value ?? A_SECOND));
      running.push(
        again(stop, async () => {
          const sender = await openSender(found.at, app);
          try {
            for (let i = 0; !stop.aborted; i++) {
              const { entry, message: each } = found.entries[i % found.entries.length]!;
              const own = { ...each.properties, appId: app, messageId: randomUUID() };
              await sender.send(entry, { ...each, properties: own }, persistent?.value ?? false);
              // not all at the same moment
              await pause(everyMs * (0.6 + 0.8 * Math.random()), undefined, { signal: stop }).catch(() => {});
            }
          } finally {
            await sender.close();
          }
        }),
      );
    }
  return running;
}

function take({ graph, reached }: World, stop: AbortSignal): Promise<void>[] {
  const { topology } = graph;
  const { stores } = expectedOf(graph);
  const running: Promise<void>[] = [];
  for (const { name: app, value } of topology.declared.apps?.values() ?? []) {
    const instances = value.instances?.value ?? 1;
    for (const { from, prefetch, takes, via } of value.consumes?.items ?? []) {
      const found = from && via?.value !== 'mqtt' ? lookUp(topology.names, from.value, STORES) : undefined;
      if (!found?.ok) continue;
      const own = stores.filter(({ id, passing }) => id === found.thing.id && !passing);
      const how = { atOnce: prefetch?.value ?? AT_ONCE, busyMs: takes?.value ?? BUSY_MS };
      const at = reached.get(found.thing.broker);
      for (let i = 0; i < instances && own.length; i++) {
        const store = own[i % own.length]!.name;
        const called = instances > 1 ? `${app}#${i + 1}` : app;
        running.push(
          again(stop, async (attempt) => {
            if (at instanceof AmqpTarget)
              await fromAmqp(at, { called, store, ...how, stalls: app === STALLS }, stop, attempt);
            else if (at instanceof HostedTarget)
              await fromHosted(at, { app, tenant: value.tenant?.value, store, ...how }, stop, attempt);
          }),
        );
      }
    }
  }
  return running;
}

async function fromAmqp(
  at: AmqpTarget,
  of: { called: string; store: string; atOnce: number; busyMs: number; stalls: boolean },
  stop: AbortSignal,
  { failed, fail }: Attempt,
): Promise<void> {
  const connection = await at.broker.connect(of.called);
  connection.on('error', fail);
  connection.on('close', () => fail(new Error('closed')));
  try {
    const channel = await connection.createChannel();
    channel.on('error', fail);
    await channel.prefetch(of.atOnce);
    let taken = 0;
    // it does one thing at a time
    let done = Promise.resolve();
    await channel.consume(of.store, (message) => {
      if (!message) return fail(new Error('its queue went'));
      if (of.stalls && ++taken > STALLS_AFTER) return;
      done = done.then(async () => {
        await pause(of.busyMs);
        channel.ack(message);
      });
      done.catch(fail);
    });
    await Promise.race([failed, aborted(stop)]);
  } finally {
    await connection.close().catch(() => {});
  }
}

async function fromHosted(
  at: HostedTarget,
  of: { app: string; tenant: string | undefined; store: string; atOnce: number; busyMs: number },
  stop: AbortSignal,
  { failed, fail }: Attempt,
): Promise<void> {
  const place = hostedPlace(at.service, {
    name: `app:${of.app}`,
    ...(of.tenant === undefined ? {} : { tenant: of.tenant }),
  });
  const source = await place.source(of.store, fail);
  try {
    let done = Promise.resolve();
    await source.take(of.atOnce, (message) => {
      done = done.then(async () => {
        await pause(of.busyMs);
        message.settle();
      });
      done.catch(fail);
    });
    await Promise.race([failed, aborted(stop)]);
  } finally {
    source.cut();
  }
}

/** What stands, as one text: as long as it is the same, so is what its apps do. */
async function signOf(db: Database, of: AppsOf): Promise<string> {
  return JSON.stringify(await standing(db, of));
}

const settings = settingsFrom(process.env);
const { databaseUrl, secret, olderSecrets, allowedTargets, demoBroker, demoHosted } = settings;
const of = JSON.parse(process.env[APPS_OF] ?? 'null') as AppsOf | null;
if (!of || !demoBroker) throw new Error(`${APPS_OF} says of what, and VONDLE_BROKER_AMQP and VONDLE_BROKER_HTTP where`);
const builtIn = { broker: demoBroker, ...(demoHosted ? { hosted: demoHosted } : {}) };
const openers = { sealer: sealer(secret, olderSecrets), allowed: allowedAddresses(allowedTargets) };
const { db, close } = connect(databaseUrl, 2);
const ending = new AbortController();
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => ending.abort());
// whoever began it is gone
process.on('disconnect', () => ending.abort());
while (!ending.signal.aborted) {
  const sign = await signOf(db, of).catch(() => undefined);
  // on no other brokers: a target may have been set anew since they began
  const may = await mayRun(db, openers, builtIn, of).catch(() => false);
  const world = may ? await worldOf(db, openers, of).catch(() => undefined) : undefined;
  const over = new AbortController();
  // each app listens for the end
  setMaxListeners(0, over.signal);
  const end = () => over.abort();
  ending.signal.addEventListener('abort', end);
  const working = world ? [...publish(world, over.signal), ...take(world, over.signal)] : [];
  do await pause(AGAIN_MS, undefined, { signal: ending.signal }).catch(() => {});
  while (!ending.signal.aborted && world && (await signOf(db, of).catch(() => sign)) === sign);
  ending.signal.removeEventListener('abort', end);
  end();
  await Promise.all(working);
}
await close();
process.exit(0);

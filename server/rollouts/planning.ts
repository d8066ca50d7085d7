/**
 * What of a rollout has to be worked out from documents and inventories, of any size: done on threads,
 * each of which reads for itself what it needs and writes what it found.
 */
import { asAmqp, asHosted } from '@vondle/core/brokers';
import { gunzipSync, gzipSync } from 'node:zlib';
import { buildGraph } from '@vondle/core/routing';
import {
  type Earlier,
  type Ordered,
  type Plan,
  type Step,
  type WantedState,
  bindingId,
  doneIn,
  safeHostedOrder,
  inventoryChanges,
  obstaclesIn,
  obstaclesToPlan,
  planRollout,
  promisesNotKept,
  review,
  safeOrder,
  wantedRights,
  wantedState,
  type Inventory,
} from '@vondle/core/analysis';
import { closing, stepsData } from '@vondle/core/formats';
import { readTopology, type Topology } from '@vondle/core/topology';
import type { TargetKind } from '@vondle/api';
import { and, eq, inArray, sql } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import { record } from '../db/connect.ts';
import { rollouts, rolloutSteps, type Destroyed, type WindowNoted } from '../db/schema.ts';
import { openTarget, protect, protectedEnvironments, type Openers } from '../environments/store.ts';
import { notFound, Problem } from '../http/problem.ts';
import { documentsOf, newestRevision } from '../revisions/store.ts';
import { WrongKey } from '../secrets.ts';
import { keptFor } from '../targets/amqp/carry.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';
import type { Reached } from '../targets/reached.ts';
import { mainDocumentsOf } from '../drafts/store.ts';
import {
  begunOn,
  insertRollout,
  insertSteps,
  revisionsStandingOn,
  rolloutOf,
  revisionsOnBroker,
  type RolloutRow,
  type Standing,
} from './store.ts';

export interface Planning extends Openers {
  readonly db: Database;
}

/** More steps than this are no rollout any more. */
const MOST_STEPS = 200_000;

/** Reads a revision's documents with an environment's values. @throws Problem 404 */
export async function topologyAt(
  db: Database,
  topologyId: number,
  revision: number,
  environment: string,
): Promise<Topology> {
  const documents = await documentsOf(db, topologyId, revision);
  if (!documents) throw notFound(`revision ${revision}`);
  const read = readTopology(documents);
  // an environment the documents do not know has no values of its own
  return read.declared.environments?.has(environment) ? readTopology(documents, { environment }) : read;
}

async function targetOf({ db, ...openers }: Planning, topologyId: number, id: number | null) {
  try {
    const target = id === null ? undefined : await openTarget(db, openers, topologyId, id);
    if (!target) throw notFound(id === null ? 'target of this rollout any more' : `target ${id}`);
    return target;
  } catch (error) {
    if (error instanceof WrongKey)
      throw new Problem(
        409,
        'Sealed elsewhere',
        `The target's addresses cannot be opened: ${error.message}.`,
      );
    throw error;
  }
}

/** Does something with a broker; what goes wrong there is told in fixed words, with what the network said for those who set targets. */
export async function onBroker<T>(
  where: { environment: string; broker: string },
  work: () => Promise<T>,
): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof Problem) throw error;
    const trouble = brokerTrouble(error);
    // the detail may be kept with a rollout, where readers see it: what the network said stands apart
    throw new Problem(
      502,
      'Broker not reached',
      `${where.broker} in ${where.environment}: ${trouble.message}.`,
      trouble.more ? { said: trouble.more } : {},
    );
  }
}

/** Reads what the target has and writes down the steps to make it as the revision says. @returns the rollout's id */
export async function plan(
  planning: Planning,
  {
    topologyId,
    personId,
    wanted: asked,
    targetId,
  }: { topologyId: number; personId: number; wanted: number | 'tear down'; targetId: number },
): Promise<number> {
  const { db } = planning;
  const target = await targetOf(planning, topologyId, targetId);
  const { environment, broker } = target;
  const standing = await revisionsStandingOn(db, topologyId, environment);
  const tearsDown = asked === 'tear down';
  const revision = tearsDown ? standsAt(standing, target) : asked;
  const read = await topologyAt(db, topologyId, revision, environment);
  const reviewed = review(read);
  const [first, ...others] = tearsDown ? [] : obstaclesToPlan(reviewed);
  if (first) {
    const count = others.length + 1;
    throw new Problem(
      409,
      'Revision has errors',
      `Revision ${revision} has ${count} ${count === 1 ? 'error' : 'errors'}; mend them and save a new revision first. The first: ${first}`,
    );
  }
  if (!isDeclared(read, target))
    throw new Problem(
      409,
      'No such broker',
      `Revision ${revision} declares no ${KIND_TITLES[target.kind]} \`${broker}\`.`,
    );
  const { has, brokerKey, made, windows, unproved, destroys } = await onBroker(target, async () => {
    const [inventory, key] = await Promise.all([target.reached.inventory(), target.reached.identity()]);
    const wanted = tearsDown ? NOTHING : wantedOn(read, broker);
    const stands = await standingThere(db, { topologyId, environment, broker }, key);
    const planned = planRollout(wanted, inventory, stands.earlier);
    const { steps, windows, unproved } = inventory.hosted
      ? hostedInWords(planned.steps, inventory.hosted, {
          before: stands.topology && buildGraph(stands.topology),
          after: buildGraph(tearsDown ? readTopology([]) : read),
          broker,
        })
      : inWords(
          safeOrder(inventory, planned.steps, {
            before: stands.topology && buildGraph(stands.topology),
            after: buildGraph(tearsDown ? readTopology([]) : read),
            broker,
          }),
          broker,
        );
    const made: Plan = {
      ...planned,
      steps: [...carriedBack(wanted, inventory, steps), ...steps],
      kept: planned.kept.map(stands.told),
    };
    if (made.steps.length > MOST_STEPS)
      throw new Problem(
        422,
        'Too many steps',
        `This would take more than ${MOST_STEPS.toLocaleString('en')} steps.`,
      );
    return {
      has: inventory,
      brokerKey: key,
      made,
      windows,
      unproved,
      destroys: await countDestroyed(made.steps, inventory, target.reached),
    };
  });

  const protection = await protectionAt(planning, topologyId, environment, read, standing);
  const obstacles = !protection.protected
    ? []
    : tearsDown
      ? [`all that was made on ${broker} in ${environment} is taken away`]
      : [
          ...new Set([
            ...obstaclesIn(reviewed).map(({ message }) => message),
            ...protection.promised.flatMap(({ number, topology }) =>
              promisesNotKept(reviewed, topology).map(
                (message) => `promised by r${number}, which is there now: ${message}`,
              ),
            ),
          ]),
        ].filter(
          (message, _, all) => !all.some((other) => other !== message && message.endsWith(`: ${other}`)),
        );
  const { count } = await begunOn(db, brokerKey);
  return db.transaction(async (tx) => {
    if (protection.byText) await protect(tx, topologyId, environment, undefined);
    const id = await insertRollout(
      tx,
      {
        topologyId,
        targetId,
        environment,
        broker,
        revision,
        tearsDown,
        kept: made.kept.slice(0, 1000),
        leftToOthers: made.leftToOthers.slice(0, 1000),
        inPlace: made.inPlace,
        brokerKey,
        against: gzipSync(JSON.stringify(has)),
        after: count,
        destroys,
        windows,
        unproved,
        needsConsent: protection.protected,
        obstacles: obstacles.slice(0, 200),
        createdBy: personId,
      },
      made.steps,
    );
    await record(tx, 'plan rollout', {
      personId,
      topologyId,
      details: { rollout: id, revision, ...(tearsDown ? { tearDown: true } : {}) },
    });
    return id;
  });
}

const KIND_TITLES: Readonly<Record<TargetKind, string>> = {
  amqp: 'AMQP broker',
  hosted: 'publish-subscribe broker',
};

/** Whether a revision declares the broker of a target, of the target's kind. */
function isDeclared({ declared }: Topology, { kind, broker }: { kind: TargetKind; broker: string }): boolean {
  const decl = declared.brokers?.get(broker)?.value;
  return (kind === 'hosted' ? asHosted(decl) : asAmqp(decl)) !== undefined;
}

/** What a topology asks of a broker, what its apps may do there included. */
export function wantedOn(topology: Topology, broker: string): WantedState {
  return { ...wantedState(topology, broker), rights: wantedRights(buildGraph(topology), broker) };
}

/** Where nothing is wanted any more. */
const NOTHING: WantedState = { exchanges: [], queues: [], bindings: [], leftToOthers: [] };

/** @returns the revision of which a target has something. @throws Problem 409 where it has of none */
function standsAt(
  standing: Awaited<ReturnType<typeof revisionsStandingOn>>,
  { environment, broker }: { environment: string; broker: string },
): number {
  const there = standing.find((each) => each.broker === broker);
  const revision = there?.applied ?? there?.begunSince[0];
  if (revision === undefined)
    throw new Problem(
      409,
      'Nothing to take away',
      `No rollout of this topology was carried out on ${broker} in ${environment}.`,
    );
  return revision;
}

/** So many windows are told of a rollout. */
const MOST_WINDOWS = 200;

/** @returns the steps in their order, and when on their way messages do not come, or come where they should not */
function inWords(
  ordered: Ordered,
  broker: string,
): { steps: Step[]; windows: WindowNoted[]; unproved: string[] } {
  const steps = ordered.units.map(({ step }) => step);
  const data = stepsData(ordered, broker);
  // which step an operation is of, counted from one
  const stepOf = ordered.units.flatMap(({ operations }, i) => operations.map(() => i + 1));
  const proved = ordered.windows.filter(({ unless }) => unless === undefined);
  const windows = data.windows
    .slice(0, MOST_WINDOWS)
    .map(({ kind, message, store, witness, ...window }, i) => {
      const [from, until] = [stepOf[window.from - 1]!, stepOf[window.until]!];
      return { from, until, kind, message, store, witness, close: closing(proved[i]!, from, until) };
    });
  const more = data.windows.length - windows.length;
  const unproved = [...data.unproved, ...(more > 0 ? [`${more} windows more are not told.`] : [])];
  return { steps, windows, unproved: unproved.slice(0, MOST_WINDOWS) };
}

/** @returns the same for the steps on a publish-subscribe broker, each of which is one operation */
function hostedInWords(
  steps: readonly Step[],
  has: NonNullable<Inventory['hosted']>,
  topologies: Parameters<typeof safeHostedOrder>[2],
): { steps: readonly Step[]; windows: WindowNoted[]; unproved: string[] } {
  const own = steps.flatMap((step) => ('thing' in step ? [step] : []));
  const { steps: ordered, windows, unproved } = safeHostedOrder(has, own, topologies);
  const told = windows.slice(0, MOST_WINDOWS).map(({ from, until, store, ...window }): WindowNoted => ({
    ...window,
    from,
    until: until + 1,
    store: `${topologies.broker}/${store}`,
    close: `let nobody send ${window.message} to ${String(window.witness['to'])} from step ${from} until step ${until + 1} is done`,
  }));
  const more = windows.length - told.length;
  return {
    steps: ordered,
    windows: told,
    unproved: [...unproved, ...(more > 0 ? [`${more} windows more are not told.`] : [])],
  };
}

/** @returns steps that give queues back what an earlier rollout kept of them and did not get to give back */
function carriedBack(
  wanted: WantedState,
  { passing = [], queues }: Inventory,
  steps: readonly Step[],
): Step[] {
  const ours = new Set(passing);
  const there = new Set(queues.map(({ name }) => name));
  const replaced = new Set(steps.flatMap((step) => ('queue' in step ? [step.queue.name] : [])));
  return wanted.queues.flatMap(({ of: _of, place, ...queue }): Step[] =>
    ours.has(keptFor(queue.name)) && there.has(queue.name) && !replaced.has(queue.name)
      ? [
          {
            do: 'replace queue',
            queue,
            bindings: [],
            place,
            risk: 'none',
            title: `give ${queue.name} back the messages that were kept for it`,
          },
        ]
      : [],
  );
}

/** So many revisions that may stand on a broker are read. */
const MOST_STANDING = 20;

/** What was made on a real broker by earlier rollouts: by those of the same name in the environment, and by all others. */
/**
 * @param brokerKey by which the broker is known to all who lead there
 * @returns what revisions of this topology, and of others, stand on a broker
 */
export async function standingThere(
  db: Database,
  { topologyId, environment, broker }: Omit<Standing, 'revision'>,
  brokerKey: string,
) {
  const rows = (await revisionsOnBroker(db, brokerKey)).slice(0, MOST_STANDING);
  const read = [];
  // one after the other: each may be large, and a thread reads them no faster together
  for (const row of rows) {
    const topology = await topologyAt(db, row.topologyId, row.revision, row.environment);
    const own = row.topologyId === topologyId && row.environment === environment && row.broker === broker;
    read.push({ ...row, own, topology, state: wantedState(topology, row.broker) });
  }
  // what others declare too is not this one's to remove
  const theirs = read.flatMap(({ own, state }) => (own ? [] : [state]));
  const names = {
    exchanges: new Set(theirs.flatMap(({ exchanges }) => exchanges.map(({ name }) => name))),
    queues: new Set(theirs.flatMap(({ queues }) => queues.map(({ name }) => name))),
    bindings: new Set(theirs.flatMap(({ bindings }) => bindings.map(bindingId))),
    hosted: new Set(
      theirs.flatMap(({ hosted }) => hosted?.things.map(({ kind, name }) => `${kind} ${name}`) ?? []),
    ),
  };
  const earlier = read.flatMap(({ own, state, topology }): Earlier[] =>
    own
      ? [
          {
            rights: { rights: appsOf(topology) },
            ...(state.hosted
              ? {
                  hosted: {
                    ...state.hosted,
                    things: state.hosted.things.filter(
                      ({ kind, name }) => !names.hosted.has(`${kind} ${name}`),
                    ),
                  },
                }
              : {}),
            exchanges: state.exchanges.filter(({ name }) => !names.exchanges.has(name)),
            queues: state.queues.filter(({ name }) => !names.queues.has(name)),
            bindings: state.bindings.filter((each) => !names.bindings.has(bindingId(each))),
          },
        ]
      : [],
  );
  const also = new Set([
    ...[...names.exchanges].map((name) => `exchange ${name}`),
    ...[...names.queues].map((name) => `queue ${name}`),
  ]);
  return {
    earlier,
    topology: read.find(({ own, applied }) => own && applied)?.topology,
    /** @returns something that is kept, with whether it is declared elsewhere */
    told: (kept: string): string => (also.has(kept) ? `${kept}, which is declared elsewhere too` : kept),
  };
}

const appsOf = ({ declared }: Topology): { app: string }[] =>
  [...(declared.apps?.keys() ?? [])].map((app) => ({ app }));

/** What each queue that is replaced or removed holds, counted by the broker at this moment and not by its statistics. */
async function countDestroyed(
  steps: readonly Step[],
  has: Inventory,
  reached: Reached,
): Promise<Destroyed[]> {
  if (has.hosted)
    return steps.flatMap((step): Destroyed[] => {
      if (!('thing' in step) || step.do !== 'remove' || step.destroys === undefined) return [];
      const { name, messages = 0, takers = 0 } = step.thing;
      return [{ queue: name, messages, takers, carried: 0 }];
    });
  const found = steps.flatMap((step) =>
    step.do === 'replace queue' || step.do === 'delete queue' ? [step] : [],
  );
  if (found.length === 0) return [];
  const there = new Map(has.queues.map((each) => [each.name, each]));
  const names = found.map(({ queue }) => queue.name);
  const waiting = await countWaiting(names, reached);
  return found.map((step) => {
    const queue = step.queue.name;
    const { messages = 0, ready = messages, takers = 0 } = there.get(queue) ?? {};
    // statistics lag behind, but know of messages that takers have in hand
    const inHand = Math.max(0, messages - ready);
    const all = Math.max(waiting.get(queue) ?? 0, messages);
    return step.do === 'delete queue'
      ? { queue, messages: all, takers, carried: 0 }
      : { queue, messages: inHand, takers, carried: all - inHand };
  });
}

/** @returns how many messages wait in queues at this moment, by the broker's word and not its statistics */
export async function countWaiting(
  queues: readonly string[],
  reached: Reached,
): Promise<ReadonlyMap<string, number>> {
  const found = new Map<string, number>();
  if (queues.length === 0) return found;
  const runner = await reached.open();
  try {
    for (const queue of queues) {
      const ready = await runner.waiting(queue);
      if (ready !== undefined) found.set(queue, ready);
    }
    return found;
  } finally {
    await runner.close();
  }
}

/** Whether an environment is protected: by approvers, by this revision's text, or by that of what stands there now. */
async function protectionAt(
  { db }: Planning,
  topologyId: number,
  environment: string,
  read: Topology,
  standing: Awaited<ReturnType<typeof revisionsStandingOn>>,
): Promise<{ protected: boolean; byText: boolean; promised: { number: number; topology: Topology }[] }> {
  const numbers = [...new Set(standing.flatMap(({ applied }) => (applied === undefined ? [] : [applied])))];
  const promised = await Promise.all(
    numbers.map(async (number) => ({
      number,
      topology: await topologyAt(db, topologyId, number, environment),
    })),
  );
  const says = ({ declared }: Topology) =>
    declared.environments?.get(environment)?.value.protected?.value === true;
  const byText = says(read) || promised.some(({ topology }) => says(topology));
  const kept = (await protectedEnvironments(db, topologyId)).includes(environment);
  return { protected: kept || byText, byText, promised };
}

/** Loads a rollout with all that is needed to look at its broker again. */
export async function again(planning: Planning, rolloutId: number) {
  const { db } = planning;
  const [row] = await db
    .select({
      topologyId: rollouts.topologyId,
      brokerKey: rollouts.brokerKey,
      against: rollouts.against,
      after: rollouts.after,
    })
    .from(rollouts)
    .where(eq(rollouts.id, rolloutId));
  const rollout = row && (await rolloutOf(db, row.topologyId, rolloutId));
  if (!row || !rollout) throw notFound(`rollout ${rolloutId}`);
  const target = await targetOf(planning, row.topologyId, rollout.targetId);
  const read = await topologyAt(db, row.topologyId, rollout.revision, rollout.environment);
  const wanted = rollout.tearsDown ? NOTHING : wantedOn(read, rollout.broker);
  return { row, rollout, target, wanted, read };
}

function mustBeTheSame(planned: string | null, now: string, { environment, broker }: RolloutRow): void {
  if (planned !== now)
    throw new Problem(
      409,
      'Another broker',
      `The target ${broker} in ${environment} leads to another broker than this was planned for. Plan again.`,
    );
}

/**
 * Reads the broker again when a plan is to be carried out: it is, only against what it was made for.
 * @throws Problem 409 with what changed
 */
export async function lookAgain(planning: Planning, { rolloutId }: { rolloutId: number }): Promise<void> {
  const { row, rollout, target, wanted } = await again(planning, rolloutId);
  const [now, key] = await onBroker(rollout, () =>
    Promise.all([target.reached.inventory(), target.reached.identity()]),
  );
  mustBeTheSame(row.brokerKey, key, rollout);
  const begun = await begunOn(planning.db, key);
  if (row.after !== null && begun.count !== row.after && begun.last) {
    const what = begun.last.topologyId === row.topologyId ? `r${begun.last.revision}` : 'another topology';
    throw new Problem(
      409,
      'Plan is out of date',
      `Since this was planned, ${what} has been carried out on ${rollout.broker} in ${rollout.environment}. Plan again.`,
    );
  }
  const before = JSON.parse(gunzipSync(row.against!).toString('utf8')) as Inventory;
  const changes = inventoryChanges(wanted, before, now, await removedBy(planning.db, rolloutId));
  if (changes.length) {
    const told =
      changes.slice(0, 10).join('; ') + (changes.length > 10 ? `; and ${changes.length - 10} more` : '');
    throw new Problem(
      409,
      'Plan is out of date',
      `${rollout.broker} in ${rollout.environment} has changed since this was planned: ${told}. Plan again.`,
      {
        changes: changes.slice(0, 100),
      },
    );
  }
}

/** @returns the names of what a rollout removes */
async function removedBy(db: Database, rolloutId: number) {
  const rows = await db
    .select({ step: rolloutSteps.step })
    .from(rolloutSteps)
    .where(
      and(
        eq(rolloutSteps.rolloutId, rolloutId),
        sql`${rolloutSteps.step} ->> 'do' in ('delete exchange', 'delete queue', 'remove', 'take rights')`,
      ),
    );
  return {
    exchanges: rows.flatMap(({ step }) => (step.do === 'delete exchange' ? [step.exchange.name] : [])),
    queues: rows.flatMap(({ step }) => (step.do === 'delete queue' ? [step.queue.name] : [])),
    rights: rows.flatMap(({ step }) => (step.do === 'take rights' ? [step.rights.app] : [])),
    hosted: rows.flatMap(({ step }) => ('thing' in step ? [`${step.thing.kind} ${step.thing.name}`] : [])),
  };
}

/**
 * Finds out where a rollout stands that somebody else, or an earlier connection, was carrying out: what
 * the broker has already is marked done. What was done and is not there is to be done again: a broker
 * that is killed loses the last of what it had acknowledged.
 * @returns how many steps were found to be done, and how many to be lost
 */
export async function goOn(
  planning: Planning,
  { rolloutId, claimedBy }: { rolloutId: number; claimedBy: string },
): Promise<{ done: number; lost: number }> {
  const { db } = planning;
  const { row, rollout, target } = await again(planning, rolloutId);
  const [has, key] = await onBroker(rollout, () =>
    Promise.all([target.reached.inventory(), target.reached.identity()]),
  );
  mustBeTheSame(row.brokerKey, key, rollout);
  const isSo = doneIn(has);
  const passing = new Set(has.passing);
  // a queue that was made again has not got its messages back yet
  const done = (step: Step) =>
    isSo(step) && !(step.do === 'replace queue' && passing.has(keptFor(step.queue.name)));
  const begun = await db
    .select({ position: rolloutSteps.position, step: rolloutSteps.step, state: rolloutSteps.state })
    .from(rolloutSteps)
    .where(
      and(eq(rolloutSteps.rolloutId, rolloutId), inArray(rolloutSteps.state, ['running', 'unknown', 'done'])),
    );
  const open = begun.filter(({ step, state }) => state !== 'done' || !done(step));
  const found = open.filter(({ step }) => done(step));
  await db.transaction(async (tx) => {
    const [changed] = await tx
      .update(rollouts)
      .set({ change: sql`${rollouts.change} + 1` })
      .where(
        and(eq(rollouts.id, rolloutId), eq(rollouts.claimedBy, claimedBy), eq(rollouts.state, 'applying')),
      )
      .returning({ change: rollouts.change });
    if (!changed) return;
    for (const { position, step } of open)
      await tx
        .update(rolloutSteps)
        .set(
          done(step)
            ? {
                state: 'done',
                change: changed.change,
                said: 'found done',
                error: null,
                finishedAt: new Date(),
              }
            : { state: 'pending', change: changed.change, said: null, error: null, finishedAt: null },
        )
        .where(and(eq(rolloutSteps.rolloutId, rolloutId), eq(rolloutSteps.position, position)));
  });
  return {
    done: found.length,
    lost: begun.filter(({ step, state }) => state === 'done' && !done(step)).length,
  };
}

/**
 * Reads the broker back after the last step: its word, not ours, that it is now as planned.
 * @param repair whether what was begun twice may have left something open: then steps that only add are written behind the others
 * @returns what is still otherwise, in words, and how many steps were added
 */
export async function readBack(
  planning: Planning,
  { rolloutId, repair }: { rolloutId: number; repair: boolean },
): Promise<{ left: string[]; added: number }> {
  const { row, rollout, target, wanted } = await again(planning, rolloutId);
  const has = await onBroker(rollout, async () => {
    mustBeTheSame(row.brokerKey, await target.reached.identity(), rollout);
    return target.reached.inventory();
  });
  const { topologyId } = row;
  const stands = await standingThere(planning.db, { ...rollout, topologyId }, row.brokerKey!);
  const { steps } = planRollout(wanted, has, stands.earlier);
  const adds = (what: string) =>
    what === 'put' ||
    what === 'give rights' ||
    what === 'bind' ||
    what === 'declare exchange' ||
    what === 'declare queue';
  if (steps.length && repair && steps.every((step) => adds(step.do))) {
    await planning.db.transaction(async (tx) => {
      const [last] = await tx
        .select({ position: sql<number>`coalesce(max(${rolloutSteps.position}), -1)::int` })
        .from(rolloutSteps)
        .where(eq(rolloutSteps.rolloutId, rolloutId));
      const [changed] = await tx
        .update(rollouts)
        .set({ change: sql`${rollouts.change} + 1` })
        .where(eq(rollouts.id, rolloutId))
        .returning({ change: rollouts.change });
      await insertSteps(
        tx,
        rolloutId,
        steps.map((step) => ({ ...step, title: `${step.title}, found missing` })),
        last!.position + 1,
        changed!.change,
      );
    });
    return { left: [], added: steps.length };
  }
  const told = steps.slice(0, 20).map(({ title }) => title);
  return {
    left: steps.length > told.length ? [...told, `and ${steps.length - told.length} more`] : told,
    added: 0,
  };
}

/** @returns the environments and brokers that the draft or the newest revision of a topology declares */
export async function declared(
  { db }: Planning,
  { topologyId }: { topologyId: number },
): Promise<{ environments: string[]; brokers: string[]; hosted: string[]; all: string[] }> {
  const newest = await newestRevision(db, topologyId);
  const texts = [
    await mainDocumentsOf(db, topologyId),
    newest ? await documentsOf(db, topologyId, newest) : undefined,
  ];
  const environments = new Set<string>();
  const brokers = new Set<string>();
  const hosted = new Set<string>();
  const all = new Set<string>();
  for (const documents of texts) {
    if (!documents) continue;
    const { declared: known } = readTopology(documents);
    for (const name of known.environments?.keys() ?? []) environments.add(name);
    for (const [name, { value }] of known.brokers ?? []) {
      all.add(name);
      if (asAmqp(value)) brokers.add(name);
      if (asHosted(value)) {
        brokers.add(name);
        hosted.add(name);
      }
    }
  }
  const sorted = (names: Set<string>) => [...names].sort();
  return {
    environments: sorted(environments),
    brokers: sorted(brokers),
    hosted: sorted(hosted),
    all: sorted(all),
  };
}

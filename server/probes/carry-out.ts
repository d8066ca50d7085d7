/** Sends one probe, and sees where its copies come out, on every broker that it may come to. */
import { randomUUID } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { BrokerTrouble } from '../targets/amqp/trouble.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Reached } from '../targets/reached.ts';
import { AmqpTaps, sendByMqtt } from './amqp.ts';
import { HostedTaps } from './hosted.ts';
import { storeName, type ProbePlan, type Taps } from './plan.ts';
import type { OpenTaps, SentHow } from './taps.ts';

export interface ProbeResult {
  /** Copies by store. */
  readonly queues: ReadonlyMap<string, number>;
  /** By store, how many milliseconds after it was sent the last copy was seen. */
  readonly times: ReadonlyMap<string, number>;
  /** No store wanted it. */
  readonly returned: boolean;
  readonly refused: boolean;
  readonly why?: string;
}

/** What is carried on by links, or looked for by asking, is waited for so long. */
const ARRIVE_MS = 8000;
const AGAIN_MS = 40;

/** @param reached what each of its targets leads to, by number. @throws BrokerTrouble */
export async function carryOutProbe(
  plan: ProbePlan,
  reached: ReadonlyMap<number, Reached>,
): Promise<ProbeResult> {
  const id = `vondle-probe-${randomUUID()}`;
  const open: { taps: OpenTaps; of: Taps }[] = [];
  try {
    for (const of of plan.taps) open.push({ of, taps: await opened(of, reached.get(of.targetId), id) });
    const sent = await send(plan, id, open[0]!.taps, reached.get(open[0]!.of.targetId)!);
    await arrive(plan, open, sent);
    const queues = new Map<string, number>();
    const times = new Map<string, number>();
    for (const { taps, of } of open)
      for (const [store, copies] of taps.seen()) {
        const name = storeName(plan.broker, of.broker, store);
        queues.set(name, copies.length);
        if (copies.length) times.set(name, Math.round((Math.max(...copies) - sent.at) * 10) / 10);
      }
    const { returned, refused, why } = sent;
    // MQTT gives nothing back (3.1.1 §4.3): what no queue wanted is seen nowhere
    const nowhere = plan.entry.kind === 'mqtt' && [...queues.values()].every((copies) => copies === 0);
    return { queues, times, returned: returned || nowhere, refused, ...(why === undefined ? {} : { why }) };
  } finally {
    await Promise.all(open.map(({ taps }) => taps.close().catch(() => {})));
  }
}

async function opened(of: Taps, reached: Reached | undefined, id: string): Promise<OpenTaps> {
  if (reached instanceof AmqpTarget) return AmqpTaps.open(reached.broker, id, of.amqp);
  if (reached instanceof HostedTarget) return HostedTaps.open(reached.service, id, of.hosted);
  throw new BrokerTrouble('refused', '', `${of.broker} is not connected any more`);
}

async function send(plan: ProbePlan, id: string, taps: OpenTaps, reached: Reached): Promise<SentHow> {
  const { entry, message, expires } = plan;
  if (entry.kind === 'hosted') return (taps as HostedTaps).send(entry.entry, entry.as, entry.tenant, message);
  if (entry.kind === 'mqtt') {
    const address = (reached as AmqpTarget).mqttAddress();
    if (!address)
      throw new BrokerTrouble(
        'refused',
        '',
        'no MQTT address is set for this target: connect it again with one',
      );
    return sendByMqtt(address, id, { topic: entry.topic, message });
  }
  const { exchange, key, mark } = entry;
  return (taps as AmqpTaps).send(id, {
    exchange,
    key,
    message,
    ...(mark === undefined ? {} : { mark }),
    ...(expires === undefined ? {} : { expires }),
  });
}

/** Waits until all that is predicted has come, for as long as it may take; of what is there at once, one look. */
async function arrive(
  plan: ProbePlan,
  open: readonly { taps: OpenTaps; of: Taps }[],
  { refused }: SentHow,
): Promise<void> {
  const unseen = new Set(plan.unseen.map(({ queue }) => queue));
  const waitsFor = plan.predicted.queues.filter(([name]) => !unseen.has(name));
  const until = performance.now() + ARRIVE_MS;
  for (;;) {
    for (const { taps } of open) await taps.settle();
    const came = new Map<string, number>();
    for (const { taps, of } of open)
      for (const [store, copies] of taps.seen())
        came.set(storeName(plan.broker, of.broker, store), copies.length);
    const own = (name: string) => open[0]!.taps.seen().has(name) || open.length === 1;
    const missing = waitsFor.filter(([name, copies]) => (came.get(name) ?? 0) < copies);
    // on the broker it was sent to all lies where it goes once it was taken
    if (refused || missing.every(([name]) => own(name)) || performance.now() > until) return;
    await pause(AGAIN_MS);
  }
}

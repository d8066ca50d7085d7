/**
 * Moves, copies and destroys messages of a store, never more than was agreed to. One that goes elsewhere is taken only
 * once the broker has it there; one that does not meet the condition stays in hand until all is over, and is
 * put back in its place then.
 */
import { admits, parseSelector, type Message, type Predicate } from '@vondle/core/conditions';
import type { OperationWhat } from '@vondle/api';
import type { ConfirmChannel, GetMessage } from 'amqplib';
import { Problem } from '../http/problem.ts';
import { cut, end, type AmqpBroker } from '../targets/amqp/broker.ts';
import { readQueue } from '../targets/amqp/inventory.ts';
import { keptFor, openLane, propertiesOf, type Lane } from '../targets/amqp/carry.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { BrokerTrouble, brokerTrouble } from '../targets/amqp/trouble.ts';
import type { HostedService, Lying } from '../targets/hosted/service.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Reached } from '../targets/reached.ts';
import { peeked } from './peek.ts';

/** How long nothing may move. */
const SILENT_MS = 30_000;
/** So many are looked at, and stay in hand when they do not meet the condition. */
const MOST_HELD = 100_000;
/** So many are on their way at once. */
const ON_THE_WAY = 500;
/** And so many bytes. */
const BYTES_ON_THE_WAY = 32 * 1024 * 1024;

export interface Doing {
  readonly what: OperationWhat;
  readonly store: string;
  /** Where to; '' where each goes back to where it died. */
  readonly to: string;
  /** The broker they go to, where that is another one. */
  readonly other?: Reached;
  readonly where: Predicate | undefined;
  readonly most: number;
}

export interface Heard {
  /** Told how far it is. */
  told(done: number, looked: number): void;
  readonly stop: AbortSignal;
}

/** How it ended: how many were done, and why not all were. */
export interface Done {
  readonly done: number;
  readonly looked: number;
  readonly left: string | undefined;
}

/** @returns a condition as it is written; undefined where none is. @throws Problem with what is wrong where */
export function conditionOf(text: string): Predicate | undefined {
  if (text.trim() === '') return undefined;
  const read = parseSelector(text);
  if (!read.ok)
    throw new Problem(
      422,
      'Not understood',
      `The condition, at character ${read.problem.start + 1}: ${read.problem.message}`,
    );
  return read.predicate;
}

/** Whether a message meets a condition: one that cannot be told does not. */
const meets = (where: Predicate | undefined, message: Message): boolean =>
  where === undefined || admits(where, message);

/** @throws BrokerTrouble; what was done until then is done, and nothing is lost */
export function operate(reached: Reached, doing: Doing, heard: Heard): Promise<Done> {
  const { other } = doing;
  if (reached instanceof AmqpTarget && (!other || other instanceof AmqpTarget))
    return onAmqp(reached.broker, other?.broker, doing, heard);
  if (reached instanceof HostedTarget && !other) return onHosted(reached.service, doing, heard);
  throw new BrokerTrouble('strange', 'nothing can be moved there');
}

/** @param other the broker they go to, where that is another one */
async function onAmqp(
  broker: AmqpBroker,
  other: AmqpBroker | undefined,
  doing: Doing,
  heard: Heard,
): Promise<Done> {
  const near = await laneTo(broker);
  try {
    const far = other ? await laneTo(other) : near;
    try {
      const work = new AmqpWork(near.lane, far.lane, far.broker, doing, heard);
      // either end may go
      return await near.lane.during(far === near ? work.run() : far.lane.during(work.run()));
    } finally {
      if (far !== near) await far.close();
    }
  } finally {
    // what is in hand is put back
    await near.close();
  }
}

/** A connection of its own to a broker, with one lane. @throws BrokerTrouble */
async function laneTo(broker: AmqpBroker) {
  const connection = await broker.connect('vondle messages');
  const lane = await openLane(connection, SILENT_MS, new AbortController().signal).catch((error: unknown) => {
    cut(connection);
    throw error;
  });
  return {
    broker,
    lane,
    async close() {
      await lane.close();
      await end(connection);
    },
  };
}

class AmqpWork {
  private done = 0;
  private looked = 0;
  private onTheWay = 0;
  private bytes = 0;
  private homeless = 0;
  private failed: unknown;
  private room: (() => void) | undefined;
  private readonly ways = new Map<string, string>();
  private readonly gone = new Set<string>();

  private readonly channel: ConfirmChannel;

  constructor(
    private readonly near: Lane,
    /** Where they go to, and its broker. */
    private readonly far: Lane,
    private readonly broker: AmqpBroker,
    private readonly doing: Doing,
    private readonly heard: Heard,
  ) {
    this.channel = near.channel;
  }

  async run(): Promise<Done> {
    const { channel, doing, heard } = this;
    // what comes meanwhile, and what comes back, is not part of it
    const { messageCount } = await channel.checkQueue(doing.store);
    const until = Math.min(messageCount, MOST_HELD);
    let chosen = 0;
    while (this.looked < until && chosen < doing.most && !heard.stop.aborted && this.failed === undefined) {
      const message = await channel.get(doing.store);
      if (!message) break;
      this.alive();
      this.looked++;
      const { key, headers, properties } = peeked(message);
      if (!meets(doing.where, { key, headers, properties })) continue;
      const way = await this.wayOf(message);
      if (way === undefined) {
        this.homeless++;
        continue;
      }
      chosen++;
      this.settle(message, way);
      while (this.isFull() && this.failed === undefined)
        await new Promise<void>((done) => (this.room = done));
      if (this.looked % 100 === 0) heard.told(this.done, this.looked);
    }
    while (this.onTheWay > 0 && this.failed === undefined)
      await new Promise<void>((done) => (this.room = done));
    for (const [to, way] of this.ways) await this.far.channel.unbindQueue(to, way, '').catch(() => {});
    heard.told(this.done, this.looked);
    if (this.failed !== undefined) throw brokerTrouble(this.failed);
    return { done: this.done, looked: this.looked, left: this.left(chosen, until) };
  }

  private alive(): void {
    this.near.alive();
    this.far.alive();
  }

  private isFull(): boolean {
    return this.onTheWay >= ON_THE_WAY || this.bytes >= BYTES_ON_THE_WAY;
  }

  private left(chosen: number, until: number): string | undefined {
    if (this.heard.stop.aborted) return 'it was stopped';
    const homeless = this.homeless
      ? `${this.homeless} ${this.homeless === 1 ? 'message' : 'messages'} stayed: they died nowhere that is still there`
      : undefined;
    if (chosen >= this.doing.most && this.looked < until) return homeless ?? 'no more were agreed to';
    if (until === MOST_HELD) return `only the first ${MOST_HELD} were looked at`;
    return homeless;
  }

  /** @returns the exchange that leads to where a message goes, '' where it goes nowhere, undefined where there is no such place */
  private async wayOf(message: GetMessage): Promise<string | undefined> {
    const { what, to, store } = this.doing;
    if (what === 'empty') return '';
    const target = to || peeked(message).deaths[0]?.at;
    if (target === undefined || target === '') return undefined;
    if (target === store && !this.doing.other) return undefined;
    if (this.gone.has(target)) return undefined;
    const known = this.ways.get(target);
    if (known !== undefined) return known;
    if (!(await readQueue(this.broker, target))) {
      if (to) throw new BrokerTrouble('refused', '', `there is no queue ${to} on the broker`);
      this.gone.add(target);
      return undefined;
    }
    // a fanout exchange of our own leaves each message the key it came with
    const way = `${keptFor(target)}.through`;
    await this.far.channel.assertExchange(way, 'fanout', { durable: true, autoDelete: true });
    await this.far.channel.bindQueue(target, way, '');
    this.ways.set(target, way);
    return way;
  }

  private settle(message: GetMessage, way: string): void {
    const { channel, doing } = this;
    if (way === '') {
      channel.ack(message);
      this.done++;
      return;
    }
    this.onTheWay++;
    this.bytes += message.content.byteLength;
    this.far.channel.publish(
      way,
      message.fields.routingKey,
      message.content,
      propertiesOf(message),
      (error) => {
        this.onTheWay--;
        this.bytes -= message.content.byteLength;
        this.alive();
        if (error)
          this.failed ??= new BrokerTrouble(
            'refused',
            '',
            'the queue they go to did not take one; it stays where it was',
          );
        else {
          if (doing.what === 'move') channel.ack(message);
          this.done++;
        }
        this.room?.();
        this.room = undefined;
      },
    );
  }
}

/** So many are looked at, and moved at one stroke. */
const PAGE = 100;

async function onHosted(
  service: HostedService,
  { what, store, to, where, most }: Doing,
  { told, stop }: Heard,
): Promise<Done> {
  let [done, looked, after] = [0, 0, 0];
  let inHand = 0;
  while (!stop.aborted && done < most && looked < MOST_HELD) {
    const page = await service.browse(store, PAGE, after);
    if (!page) throw new BrokerTrouble('refused', '', `there is no store ${store} there`);
    if (page.length === 0) break;
    after = page.at(-1)!.id;
    looked += page.length;
    inHand += page.filter((each) => each.inHand === 'yes').length;
    const chosen = page
      .filter(
        (each) =>
          each.inHand === 'no' &&
          meets(where, messageOf(each)) &&
          (to !== '' || what === 'empty' || each.died !== null),
      )
      .slice(0, most - done);
    const byTarget = new Map<string, number[]>();
    for (const each of chosen) {
      const target = what === 'empty' ? '' : to || each.died!.at;
      byTarget.set(target, [...(byTarget.get(target) ?? []), each.id]);
    }
    for (const [target, ids] of byTarget)
      done +=
        target === ''
          ? await service.destroy(store, ids)
          : await service.move(store, target, ids, what === 'copy');
    told(done, looked);
  }
  if (stop.aborted) return { done, looked, left: 'it was stopped' };
  return { done, looked, left: inHand ? `${inHand} stayed: takers have them in hand` : undefined };
}

const messageOf = ({ headers, properties }: Lying): Message => ({ key: '', headers, properties });

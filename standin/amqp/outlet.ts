/** One store's takers at this process: who has credit is given what is ready, and what they say of it is settled. */
import { randomUUID } from 'node:crypto';
import { sql } from 'drizzle-orm';
import type rhea from 'rhea';
import type { Database } from '../db/connect.ts';
import { takers } from '../db/schema.ts';
import { released } from '../messages/encoding.ts';
import { delivered } from '../messages/sections.ts';
import { type Leased, type Settling, lease, settle, sweep } from '../messages/stock.ts';
import type { Signed, Space, Store } from '../setup/space.ts';
import type { Spaces } from '../setup/spaces.ts';

/** So many are taken from a store at once. */
const MOST_AT_ONCE = 250;
/** How often a store is looked at where nobody says that something has come: delays and leases end unsaid. */
const LOOK_MS = 500;
/** How often takers are known to be there. */
const SEEN_MS = 5000;
/** How long after a fall of the database it is tried again. */
const AGAIN_MS = 1000;

interface Given {
  readonly message: Leased;
  readonly delivery: rhea.Delivery;
}

/** A link that takes. */
interface Taker {
  readonly id: string;
  readonly sender: rhea.Sender;
  readonly who: Signed;
  /** What it has in hand, by delivery. */
  readonly given: Map<rhea.Delivery, Given>;
  readonly preSettled: boolean;
}

interface Answer {
  readonly taker: Taker;
  readonly given: Given;
  readonly as: Settling;
}

export class Outlet {
  private readonly takers = new Map<rhea.Sender, Taker>();
  private pumping = false;
  private again = false;
  private sweptAt = 0;
  private readonly under = new Set<Promise<void>>();
  private timer: NodeJS.Timeout | undefined;
  private readonly beat: NodeJS.Timeout;
  private answers: Answer[] = [];
  private settling = false;

  constructor(
    private readonly db: Database,
    private readonly spaces: Spaces,
    private readonly spaceName: string,
    readonly storeName: string,
    private readonly onEmpty: () => void,
  ) {
    this.beat = setInterval(() => void this.tellSeen(), SEEN_MS);
    this.beat.unref();
  }

  get isEmpty(): boolean {
    return this.takers.size === 0;
  }

  /** Lets a link take from here. */
  add(sender: rhea.Sender, who: Signed, store: Store): void {
    // what is settled as it is sent is gone for good then (AMQP 1.0 §2.6.12, at most once)
    const preSettled = sender.snd_settle_mode === 1;
    const taker: Taker = { id: randomUUID(), sender, who, given: new Map(), preSettled };
    this.takers.set(sender, taker);
    void this.db
      .insert(takers)
      .values({ id: taker.id, store: store.id, user: who.user })
      .catch(() => {});
    for (const [event, as] of [
      ['accepted', 'accepted'],
      ['released', 'released'],
      ['rejected', 'rejected'],
    ] as const)
      sender.on(event, ({ delivery }: rhea.EventContext) => this.answer(taker, delivery!, as));
    sender.on('modified', ({ delivery }: rhea.EventContext) => {
      const state = delivery!.remote_state as { delivery_failed?: boolean; undeliverable_here?: boolean };
      const as = state.undeliverable_here ? 'rejected' : state.delivery_failed ? 'failed' : 'released';
      this.answer(taker, delivery!, as);
    });
    // settled without a word on what came of it: as if it had never been sent (§3.4, default outcome)
    sender.on('settled', ({ delivery }: rhea.EventContext) => this.answer(taker, delivery!, 'released'));
    sender.on('sendable', () => this.look());
    sender.on('sender_draining', () => this.look());
    this.look();
  }

  /** Takes what a link still has in hand back: it was tried. */
  remove(sender: rhea.Sender): void {
    const taker = this.takers.get(sender);
    if (!taker) return;
    this.takers.delete(sender);
    for (const given of taker.given.values()) this.answers.push({ taker, given, as: 'failed' });
    taker.given.clear();
    this.settleAll();
    this.doing(
      this.db.execute(sql`delete from standin.takers where id = ${taker.id}`).then(
        () => {},
        () => {},
      ),
    );
    if (this.takers.size === 0) {
      clearInterval(this.beat);
      clearTimeout(this.timer);
      this.onEmpty();
    }
  }

  /** Ends: what is in hand is given back, and nothing is under way any more once this is done. */
  async close(): Promise<void> {
    for (const sender of [...this.takers.keys()]) this.remove(sender);
    clearInterval(this.beat);
    clearTimeout(this.timer);
    while (this.under.size > 0) await Promise.all(this.under);
  }

  /** Notes what is under way. */
  private doing(work: Promise<void>): void {
    this.under.add(work);
    void work.finally(() => this.under.delete(work));
  }

  /** Looks whether there is something for somebody. */
  look(): void {
    if (this.pumping) this.again = true;
    else this.doing(this.pump());
  }

  private async pump(): Promise<void> {
    this.pumping = true;
    clearTimeout(this.timer);
    let wait = LOOK_MS;
    try {
      do {
        this.again = false;
        if (await this.round()) this.again = true;
      } while (this.again && this.takers.size > 0);
    } catch {
      // the database is away for a moment: what is leased comes back by itself
      wait = AGAIN_MS;
    }
    this.pumping = false;
    if (this.takers.size > 0) this.timer = setTimeout(() => this.look(), wait);
  }

  /** @returns whether there may be more */
  private async round(): Promise<boolean> {
    this.endLeases();
    const space = await this.spaces.get(this.spaceName);
    const store = space?.stores.get(this.storeName);
    if (!space || !store) {
      for (const { sender } of this.takers.values())
        sender.close({ condition: 'amqp:resource-deleted', description: `${this.storeName} is gone` });
      return false;
    }
    this.endForbidden(space);
    if (Date.now() - this.sweptAt > LOOK_MS) {
      this.sweptAt = Date.now();
      await sweep(this.db, space, store);
    }
    const room = this.roomOf();
    const most = Math.min(
      MOST_AT_ONCE,
      room.reduce((sum, [, free]) => sum + free, 0),
    );
    if (most === 0) return false;
    const messages = await lease(this.db, store, most);
    this.give(messages, store, space);
    const dry = messages.length < most;
    if (dry)
      for (const { sender } of this.takers.values())
        (sender as rhea.Sender & { set_drained(drained: boolean): void }).set_drained(true);
    return !dry;
  }

  /** @returns whoever has credit, and for how many */
  private roomOf(): [Taker, number][] {
    return [...this.takers.values()].flatMap((taker): [Taker, number][] => {
      const { sender } = taker;
      if (!sender.is_open()) return [];
      const { outgoing } = sender.session as unknown as { outgoing: { available(): number } };
      const { credit } = sender as rhea.Sender & { readonly credit: number };
      const free = Math.min(credit, outgoing.available());
      return free > 0 ? [[taker, free]] : [];
    });
  }

  private give(messages: readonly Leased[], store: Store, space: Space): void {
    const room = this.roomOf();
    let turn = 0;
    const homeless: Leased[] = [];
    for (const message of messages) {
      const open = room.filter(([, free]) => free > 0);
      const next = open[turn++ % Math.max(1, open.length)];
      if (!next) {
        homeless.push(message);
        continue;
      }
      next[1]--;
      const [taker] = next;
      const delivery = taker.sender.send(delivered(message) as unknown as rhea.Message, undefined, 0);
      const given = { message, delivery };
      if (taker.preSettled) {
        (delivery as { settled: boolean }).settled = true;
        this.answers.push({ taker, given, as: 'accepted' });
      } else taker.given.set(delivery, given);
    }
    if (this.answers.length) this.settleAll();
    if (homeless.length)
      void settle(
        this.db,
        space,
        store,
        homeless.map(({ id, lease }) => ({ id, lease, as: 'released' as const })),
      ).catch(() => {});
  }

  private answer(taker: Taker, delivery: rhea.Delivery, as: Settling): void {
    const given = taker.given.get(delivery);
    if (!given) return;
    taker.given.delete(delivery);
    this.answers.push({ taker, given, as });
    this.settleAll();
  }

  private settleAll(): void {
    if (this.settling) return;
    this.settling = true;
    this.doing(this.settleThese());
  }

  private async settleThese(): Promise<void> {
    await new Promise(setImmediate);
    while (this.answers.length) {
      const these = this.answers.splice(0, 500);
      try {
        const space = await this.spaces.get(this.spaceName);
        const store = space?.stores.get(this.storeName);
        if (store)
          await settle(
            this.db,
            space,
            store,
            these.map(({ given, as }) => ({ id: given.message.id, lease: given.message.lease, as })),
          );
        for (const { given } of these) given.delivery.update(true);
      } catch {
        // not settled: its lease ends, and it is offered again
        for (const { given } of these) given.delivery.update(true, released() as never);
      }
    }
    this.settling = false;
    if (this.takers.size > 0) this.look();
  }

  /** Tells takers whose time with a message is over that it is not theirs any more. */
  private endLeases(): void {
    const now = Date.now();
    for (const { given } of this.takers.values())
      for (const [delivery, { message }] of given)
        if (message.until <= now) {
          given.delete(delivery);
          delivery.update(true, released() as never);
        }
  }

  /** Closes the links of whoever may not take here any more. */
  private endForbidden(space: Space): void {
    for (const { sender, who } of this.takers.values()) {
      const why = space.mayNot(who, 'consume', this.storeName);
      if (why) sender.close({ condition: 'amqp:unauthorized-access', description: why });
    }
  }

  private async tellSeen(): Promise<void> {
    for (const { sender, who } of this.takers.values())
      if (!(await this.spaces.isStill(who).catch(() => true)))
        sender.connection.close({
          condition: 'amqp:unauthorized-access',
          description: 'the user is no more',
        });
    const ids = [...this.takers.values()].map(({ id }) => id);
    await this.db
      .execute(sql`update standin.takers set seen_at = now() where id = any(${sql.param(ids)}::uuid[])`)
      .catch(() => {});
  }
}

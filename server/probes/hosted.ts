/**
 * Probes of a publish-subscribe service: beside each subscription one of our own with the same settings, which hands to a
 * queue of our own where the other hands to one, by statements like those that let it. Told apart by what they are
 * called, with the time in it: what a process left behind that fell is taken away by the next probe.
 */
import type { HostedThing } from '@vondle/core/analysis';
import type { Message } from '@vondle/core/conditions';
import { OUR_PREFIX } from '../targets/amqp/names.ts';
import type { HostedService } from '../targets/hosted/service.ts';
import type { BesideHosted } from './plan.ts';
import type { Arrivals, OpenTaps, SentHow } from './taps.ts';

/** Older ones are nobody's any more. */
const LEFT_MS = 120_000;
/** So many messages of a store are looked at. */
const MOST_LOOKED = 100;

type Named = Pick<HostedThing, 'kind' | 'name'>;

export class HostedTaps implements OpenTaps {
  private readonly arrived = new Map<string, number[]>();
  private readonly known = new Set<string>();

  private constructor(
    private readonly service: HostedService,
    private readonly id: string,
    private readonly made: Named[],
    private readonly looking: { readonly store: string; readonly at: string }[],
  ) {}

  /** @throws BrokerTrouble */
  static async open(
    service: HostedService,
    id: string,
    beside: readonly BesideHosted[],
  ): Promise<HostedTaps> {
    await takeAwayLeft(service);
    const taps = new HostedTaps(service, id, [], []);
    const base = `${OUR_PREFIX}${Date.now()}.${id.slice(-8)}`;
    const put = async (thing: Named, settings: object) => {
      taps.made.unshift(thing);
      await service.ask('PUT', service.path(thing), settings);
    };
    try {
      for (const [i, { store, settings, statements }] of beside.entries()) {
        const name = `${base}.${i}`;
        const { to, deadLetter: _elsewhere, ...own } = settings;
        if (to !== undefined) {
          await put({ kind: 'queue', name: `${name}.to` }, {});
          for (const [j, statement] of statements.entries())
            await put({ kind: 'statement', name: `${name}.${j}` }, { ...statement, on: [`${name}.to`] });
        }
        const at = to === undefined ? name : `${name}.to`;
        await put({ kind: 'subscription', name }, { ...own, ...(to === undefined ? {} : { to: at }) });
        taps.looking.push({ store, at });
      }
      return taps;
    } catch (error) {
      await taps.close();
      throw error;
    }
  }

  /** Sends as an app, with what it may do. @throws BrokerTrouble */
  async send(entry: string, as: string, tenant: string, message: Message): Promise<SentHow> {
    const at = performance.now();
    const { copies, why } = await this.service.send({ entry, as, tenant }, message, this.id);
    if (why !== undefined) return { at, returned: true, refused: true, why };
    if (this.looking.length === 0 && copies > 0) this.arrived.set(entry, [performance.now()]);
    return { at, returned: copies === 0, refused: false };
  }

  async settle(): Promise<void> {
    await Promise.all(
      this.looking.map(async ({ store, at }) => {
        const found = await this.service.ask<{
          messages: { id: number; properties: { messageId?: string } }[];
        }>(
          'GET',
          `${this.service.path({ kind: 'service', name: '' })}/stores/${encodeURIComponent(at)}/messages?most=${MOST_LOOKED}`,
        );
        for (const { id, properties } of found?.messages ?? []) {
          if (properties.messageId !== this.id || this.known.has(`${at} ${id}`)) continue;
          this.known.add(`${at} ${id}`);
          this.arrived.set(store, [...(this.arrived.get(store) ?? []), performance.now()]);
        }
      }),
    );
  }

  seen(): Arrivals {
    return this.arrived;
  }

  async close(): Promise<void> {
    for (const thing of this.made) await remove(this.service, thing).catch(() => {});
  }
}

const remove = (service: HostedService, { kind, name }: Named): Promise<unknown> =>
  service.ask(
    'DELETE',
    `${service.path({ kind, name })}${kind === 'queue' || kind === 'subscription' ? '?destroys=1000000' : ''}`,
  );

/** Removes what probes of processes that fell left behind: subscriptions before the queues they hand to. */
export async function takeAwayLeft(service: HostedService): Promise<void> {
  const left = (await service.everything()).filter(
    ({ name }) =>
      name.startsWith(OUR_PREFIX) &&
      Date.now() - Number(name.slice(OUR_PREFIX.length).split('.')[0]) > LEFT_MS,
  );
  const first = (kind: string) => (kind === 'subscription' ? 0 : 1);
  for (const thing of left.sort((a, b) => first(a.kind) - first(b.kind)))
    await remove(service, thing).catch(() => {});
}

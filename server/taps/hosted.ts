/**
 * A tap of a publish-subscribe service: subscriptions of our own beside those of the place, whose copies are looked at and
 * removed again and again, and go by themselves where nobody does.
 */
import type { HostedThing } from '@vondle/core/analysis';
import { lying } from '../messages/peek.ts';
import { TAP_PREFIX } from '../targets/amqp/names.ts';
import type { HostedService } from '../targets/hosted/service.ts';
import { AT_ONCE, WAIT_MS, type Listening, type Passing } from './listen.ts';

/** So many copies of a subscription are looked at together. */
const MOST_LOOKED = 100;

export class HostedListening implements Listening {
  private readonly done = new Map<string, number[]>();

  private constructor(
    private readonly service: HostedService,
    private readonly id: string,
    private readonly settings: readonly HostedThing['settings'][],
  ) {}

  /** @param id tells its subscriptions from those of other taps. @throws BrokerTrouble */
  static async open(
    service: HostedService,
    settings: readonly HostedThing['settings'][],
    id: string,
  ): Promise<HostedListening> {
    const it = new HostedListening(service, id, settings);
    await it.align();
    return it;
  }

  private get names(): string[] {
    return this.settings.map((_, i) => `${TAP_PREFIX}${this.id}.${i}`);
  }

  async align(): Promise<void> {
    const wanted = new Set(this.names);
    const there = (await this.service.everything()).filter(
      ({ kind, name }) => kind === 'subscription' && name.startsWith(`${TAP_PREFIX}${this.id}.`),
    );
    for (const { name } of there) if (!wanted.has(name)) await this.remove(name);
    for (const [i, settings] of this.settings.entries()) {
      const name = this.names[i]!;
      const whole = { ...settings, ttlMs: WAIT_MS };
      const has = there.find((each) => each.name === name)?.settings;
      if (has && JSON.stringify(sorted(has)) === JSON.stringify(sorted(whole))) continue;
      await this.service.ask('PUT', this.service.path({ kind: 'subscription', name }), whole);
    }
  }

  async take(): Promise<readonly Passing[]> {
    const found: Passing[] = [];
    for (const store of this.names) {
      for (const each of (await this.service.browse(store, MOST_LOOKED)) ?? [])
        found.push({
          at: Date.parse(each.arrivedAt),
          message: lying(each),
          settle: () => void this.done.set(store, [...(this.done.get(store) ?? []), each.id]),
        });
      if (found.length >= AT_ONCE) break;
    }
    return found;
  }

  async settled(): Promise<void> {
    for (const [store, ids] of this.done) {
      this.done.delete(store);
      await this.service.destroy(store, ids);
    }
  }

  async close(forGood: boolean): Promise<void> {
    if (forGood) for (const name of this.names) await this.remove(name).catch(() => {});
  }

  private remove(name: string): Promise<unknown> {
    return this.service.ask(
      'DELETE',
      `${this.service.path({ kind: 'subscription', name })}?destroys=1000000`,
    );
  }
}

const sorted = (settings: object) =>
  Object.entries(settings)
    .filter(([, value]) => value !== undefined)
    .sort(([a], [b]) => (a < b ? -1 : 1));

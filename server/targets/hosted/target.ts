/** A publish-subscribe service as a target: its steps are requests to its administration, each whole or not at all. */
import type { HostedAddresses } from '@vondle/api';
import type { BrokerNow, HostedThing, Inventory, Step } from '@vondle/core/analysis';
import type { Allowed } from '../allowed.ts';
import { TAP_PREFIX } from '../amqp/names.ts';
import { brokerTrouble, BrokerTrouble } from '../amqp/trouble.ts';
import type { Reached, Runner, Tried } from '../reached.ts';
import { HostedService } from './service.ts';

/** A tap's copies are nobody's loss, however many there are. */
const MOST_COPIES = 1_000_000;

export class HostedTarget implements Reached {
  readonly service: HostedService;

  constructor(
    private readonly addresses: HostedAddresses,
    private readonly allowed: Allowed,
  ) {
    this.service = new HostedService(addresses, allowed);
  }

  identity(): Promise<string> {
    return this.service.identity();
  }

  async inventory(): Promise<Inventory> {
    return { exchanges: [], queues: [], bindings: [], hosted: await this.service.things() };
  }

  standing(): Promise<Omit<BrokerNow, 'broker'>> {
    return this.service.standing();
  }

  async open(stepMs?: number): Promise<Runner> {
    const service = new HostedService(this.addresses, this.allowed, stepMs);
    await service.setup();
    return new HostedRunner(service);
  }

  async tryOut(): Promise<Tried[]> {
    const tried: Tried[] = [];
    const attempt = async (what: string, work: () => Promise<string>): Promise<boolean> => {
      try {
        tried.push({ what, ok: true, said: await work() });
        return true;
      } catch (error) {
        const { message, more } = brokerTrouble(error);
        tried.push({ what, ok: false, said: more ? `${message} (the network says: ${more})` : message });
        return false;
      }
    };
    const there = await attempt('the service', async () => {
      await this.service.identity();
      return 'answers';
    });
    if (there)
      await attempt(`space ${this.service.space}`, async () => {
        const { tenant } = await this.service.setup();
        return `is ours to administer, as tenant ${tenant}`;
      });
    return tried;
  }
}

class HostedRunner implements Runner {
  private aborted = false;

  constructor(private readonly service: HostedService) {}

  async run(step: Step, agreed: number): Promise<string | null> {
    if (this.aborted) throw new BrokerTrouble('gone');
    if (!('thing' in step)) throw new BrokerTrouble('refused', '', 'such a service takes no such step');
    const path = this.service.path(step.thing);
    if (step.do === 'put') {
      await this.service.ask('PUT', path, await this.settingsOf(step.thing));
      return null;
    }
    if (step.thing.kind === 'topic') await this.letGo(step.thing.name);
    const store = step.thing.kind === 'queue' || step.thing.kind === 'subscription';
    // the service itself refuses where more went with it than was agreed to; what is gone already is gone
    await this.service.ask('DELETE', store ? `${path}?destroys=${agreed}` : path);
    return null;
  }

  /** Takes away subscriptions by which taps of ours listen to a topic that goes. */
  private async letGo(topic: string): Promise<void> {
    for (const { kind, name, settings } of await this.service.everything())
      if (kind === 'subscription' && name.startsWith(TAP_PREFIX) && settings['topic'] === topic)
        await this.service.ask('DELETE', `${this.service.path({ kind, name })}?destroys=${MOST_COPIES}`);
  }

  /** What a space is told has its tenant in it, which no topology changes. */
  private async settingsOf({ kind, settings }: HostedThing): Promise<object> {
    return kind === 'service' ? { ...settings, tenant: (await this.service.setup()).tenant } : settings;
  }

  async tryOut(): Promise<void> {
    // nothing is made anew there
  }

  async tidy(): Promise<void> {
    // nothing is left behind there
  }

  async waiting(store: string): Promise<number | undefined> {
    const found = (await this.service.things()).find(
      ({ kind, name }) => name === store && kind !== 'statement',
    );
    return found?.messages;
  }

  abort(): void {
    this.aborted = true;
  }

  async close(): Promise<void> {
    // each request is a connection of its own
  }
}

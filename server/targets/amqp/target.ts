import type { BrokerNow, Inventory } from '@vondle/core/analysis';
import type { Allowed } from '../allowed.ts';
import type { Reached, Runner, Tried } from '../reached.ts';
import type { AmqpAddresses } from './address.ts';
import { AmqpBroker } from './broker.ts';
import { readInventory } from './inventory.ts';
import { putUser, readRights, type AppUsers, type Credential } from './rights.ts';
import { readStanding } from './standing.ts';
import { StepRunner } from './step.ts';
import { tryOut } from './tryout.ts';

/** An AMQP 0-9-1 broker as a target. */
export class AmqpTarget implements Reached {
  readonly broker: AmqpBroker;

  /** @param users those of its apps; left out where nothing is done with them */
  constructor(
    private readonly addresses: AmqpAddresses,
    private readonly allowed: Allowed,
    private readonly users?: AppUsers,
  ) {
    this.broker = new AmqpBroker(addresses, allowed);
  }

  identity(): Promise<string> {
    return this.broker.identity();
  }

  async inventory(): Promise<Inventory> {
    const { broker, users } = this;
    const [things, rights] = await Promise.all([
      readInventory(broker),
      users && readRights(broker, users.prefix),
    ]);
    if (!users || !rights) return things;
    const marks = await users.known();
    // the mark tells ours from one of the same name that somebody made
    const isOurs = ([app, tags]: readonly [string, readonly string[]]) => {
      const mark = marks.get(app);
      return mark !== undefined && tags.includes(mark);
    };
    const others = [...rights.users].flatMap((user) => (isOurs(user) ? [] : [user[0]]));
    return {
      ...things,
      rights: rights.rights.filter(({ app }) => !others.includes(app)),
      ...(others.length ? { usersOfOthers: others } : {}),
    };
  }

  standing(): Promise<Omit<BrokerNow, 'broker'>> {
    return readStanding(this.broker);
  }

  open(stepMs?: number): Promise<Runner> {
    return StepRunner.open(this.broker, stepMs, this.users);
  }

  /** @returns where it is reached by MQTT, in its virtual host; undefined where that is not set. @throws NotAllowed */
  mqttAddress(): string | undefined {
    const { mqtt } = this.addresses;
    if (!mqtt) return undefined;
    const url = new URL(mqtt);
    this.allowed.check(url.hostname);
    // a client says its virtual host before its user
    const { vhost } = this.broker;
    if (url.username && !decodeURIComponent(url.username).includes(':'))
      url.username = encodeURIComponent(`${vhost}:${decodeURIComponent(url.username)}`);
    return url.href;
  }

  /** Gives an app's user another password. @throws BrokerTrouble */
  putUser(credential: Credential): Promise<void> {
    return putUser(this.broker, credential);
  }

  tryOut(): Promise<Tried[]> {
    return tryOut(this.broker);
  }
}

import type { Inventory } from '@vondle/core/analysis';
import type { Allowed } from '../allowed.ts';
import type { Reached, Runner, Tried } from '../reached.ts';
import type { AmqpAddresses } from './address.ts';
import { AmqpBroker } from './broker.ts';
import { readInventory } from './inventory.ts';
import { StepRunner } from './step.ts';
import { tryOut } from './tryout.ts';

/** An AMQP 0-9-1 broker as a target. */
export class AmqpTarget implements Reached {
  readonly broker: AmqpBroker;

  constructor(addresses: AmqpAddresses, allowed: Allowed) {
    this.broker = new AmqpBroker(addresses, allowed);
  }

  identity(): Promise<string> {
    return this.broker.identity();
  }

  inventory(): Promise<Inventory> {
    return readInventory(this.broker);
  }

  open(stepMs?: number): Promise<Runner> {
    return StepRunner.open(this.broker, stepMs);
  }

  tryOut(): Promise<Tried[]> {
    return tryOut(this.broker);
  }
}

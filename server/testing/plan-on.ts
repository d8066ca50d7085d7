/** For tests: plans on an open connection. */
import { planRollout, wantedState, type Inventory } from '@vondle/core/analysis';
import type { Topology } from '@vondle/core/topology';
import type { ChannelModel } from 'amqplib';
import { carryOut } from '../targets/amqp/step.ts';

/**
 * Plans what a topology asks of its broker `m`, and carries it out if asked to.
 * @returns the titles of the steps
 */
export async function planOn(
  connection: ChannelModel,
  topology: Topology,
  has: Inventory,
  how: 'carry out' | 'only look',
): Promise<string[]> {
  const { steps } = planRollout(wantedState(topology, 'm'), has);
  if (how === 'carry out') {
    const channel = await connection.createChannel();
    channel.on('error', () => {});
    for (const step of steps) await carryOut(channel, step as Parameters<typeof carryOut>[1]);
    await channel.close();
  }
  return steps.map(({ title }) => title);
}

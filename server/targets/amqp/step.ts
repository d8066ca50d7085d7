/** Carries out the steps of a rollout over AMQP 0-9-1. */
import type { Step, WireBinding, WireExchange, WireQueue } from '@vondle/core';
import { connect, type Channel, type ChannelModel } from 'amqplib';
import type { AmqpAddresses } from './address.ts';

/** An open connection that steps are carried out on. */
export interface StepRunner {
  run(step: Step): Promise<void>;
  close(): Promise<void>;
}

/** Connects to a broker. @throws when it cannot be reached or lets us not in */
export async function openAmqp(addresses: AmqpAddresses): Promise<ChannelModel> {
  const connection = await connect(addresses.amqp, { timeout: 10_000 });
  // a lost connection shows in the step that needs it; unheard it would end the process
  connection.on('error', () => {});
  return connection;
}

export async function stepRunner(addresses: AmqpAddresses): Promise<StepRunner> {
  const connection = await openAmqp(addresses);
  return {
    async run(step) {
      // the broker closes a channel on any refusal, so each step has its own
      const channel = await connection.createChannel();
      channel.on('error', () => {});
      await carryOut(channel, step);
      await channel.close();
    },
    close: () => connection.close().catch(() => {}),
  };
}

/** Carries one step out on an open channel, which the broker closes when it refuses. */
export async function carryOut(channel: Channel, step: Step): Promise<void> {
  switch (step.do) {
    case 'declare exchange':
      return declareExchange(channel, step.exchange);
    case 'replace exchange':
      await channel.deleteExchange(step.exchange.name);
      return declareExchange(channel, step.exchange);
    case 'declare queue':
      return declareQueue(channel, step.queue);
    case 'replace queue':
      await channel.deleteQueue(step.queue.name);
      return declareQueue(channel, step.queue);
    case 'bind':
      return bind(channel, step.binding);
    case 'unbind':
      return unbind(channel, step.binding);
  }
}

async function declareExchange(channel: Channel, exchange: WireExchange): Promise<void> {
  const { name, type, durable, autoDelete, internal } = exchange;
  await channel.assertExchange(name, type, { durable, autoDelete, internal, arguments: exchange.arguments });
}

async function declareQueue(channel: Channel, queue: WireQueue): Promise<void> {
  const { name, durable, autoDelete } = queue;
  await channel.assertQueue(name, { durable, autoDelete, arguments: queue.arguments });
}

async function bind(
  channel: Channel,
  { source, destination, to, key, arguments: terms }: WireBinding,
): Promise<void> {
  if (to === 'queue') await channel.bindQueue(destination, source, key, terms);
  else await channel.bindExchange(destination, source, key, terms);
}

async function unbind(
  channel: Channel,
  { source, destination, to, key, arguments: terms }: WireBinding,
): Promise<void> {
  if (to === 'queue') await channel.unbindQueue(destination, source, key, terms);
  else await channel.unbindExchange(destination, source, key, terms);
}

import { allowedAddresses } from '../targets/allowed.ts';
import { AmqpBroker } from '../targets/amqp/broker.ts';

/** @returns where a virtual host of that broker is */
export const addressesOf = (name: string): { amqp: string; http: string } => ({
  amqp: `${String(process.env['TEST_BROKER_AMQP'])}/${name}`,
  http: String(process.env['TEST_BROKER_HTTP']),
});

/** @returns an empty virtual host of the broker that tests run against, of which its user may do everything */
export async function emptyVirtualHost(name: string): Promise<AmqpBroker> {
  const addresses = addressesOf(name);
  const broker = new AmqpBroker(addresses, allowedAddresses('loopback'));
  // nothing of a run that was broken off may be left
  await broker.ask(broker.path('vhosts'), { method: 'DELETE' });
  await broker.ask(broker.path('vhosts'), { method: 'PUT', body: {} });
  await broker.ask(broker.path('permissions', decodeURIComponent(new URL(addresses.amqp).username)), {
    method: 'PUT',
    body: { configure: '.*', write: '.*', read: '.*' },
  });
  return broker;
}

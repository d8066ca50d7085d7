import { allowedAddresses } from '../targets/allowed.ts';
import { AmqpBroker } from '../targets/amqp/broker.ts';

/** @returns an empty virtual host of the broker that tests run against, of which its user may do everything */
export async function emptyVirtualHost(name: string): Promise<AmqpBroker> {
  const address = String(process.env['TEST_BROKER_AMQP']);
  const broker = new AmqpBroker(
    { amqp: `${address}/${name}`, http: String(process.env['TEST_BROKER_HTTP']) },
    allowedAddresses('loopback'),
  );
  // nothing of a run that was broken off may be left
  await broker.ask(broker.path('vhosts'), { method: 'DELETE' });
  await broker.ask(broker.path('vhosts'), { method: 'PUT', body: {} });
  await broker.ask(broker.path('permissions', decodeURIComponent(new URL(address).username)), {
    method: 'PUT',
    body: { configure: '.*', write: '.*', read: '.*' },
  });
  return broker;
}

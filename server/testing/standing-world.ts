/** A topology that stands on a real broker and on the stand-in, for tests of what is done with messages there. */
import type { ChannelModel, ConfirmChannel } from 'amqplib';
import type { AmqpBroker } from '../targets/amqp/broker.ts';
import { harness, type Ask, type Harness } from './harness.ts';
import { addressesOf, emptyVirtualHost } from './virtual-host.ts';

export const WORLD = `
environments: { trial: {} }
labels: { personal: { guarded: true } }
messages:
  note: { key: "note.{place}", headers: { place: { enum: [north, south] }, level: { type: integer } }, required: [place] }
  fare: { key: "fare.{place}", headers: { place: { type: string } }, required: [place], labels: [personal], body: { type: object, required: [name] } }
apps:
  desk: { publishes: [ { message: note, to: m/in, persistent: true }, { message: fare, to: m/in }, { message: note, to: s/notices } ] }
  reader: { consumes: [ { from: m/box, prefetch: 5 } ] }
  screen: { consumes: [ { from: s/screens } ] }
tenants: { own: { clears: [personal] } }
tenant: own
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic } }
    queues:
      box: { deadLetter: { to: graves } }
      other: {}
      graves: {}
    bindings:
      - { from: in, to: box, key: "#" }
  s:
    kind: pubsub
    access: open
    topics: { notices: {} }
    queues: { parked: {} }
    subscriptions: { screens: { topic: notices, maxDeliveries: 3, deadLetter: { to: parked } } }
`;

export interface StandingWorld {
  readonly h: Harness;
  readonly broker: AmqpBroker;
  readonly connection: ChannelModel;
  readonly channel: ConfirmChannel;
  readonly owner: Ask;
  /** The topology's path. */
  readonly base: string;
  readonly topologyId: number;
  close(): Promise<void>;
}

/**
 * Rolls {@link WORLD} out.
 * @param name of its virtual host and space
 * @param service where the stand-in is administered
 * @param more what a second document says besides
 */
export async function standingWorld(name: string, service: string, more = ''): Promise<StandingWorld> {
  const builtIn = {
    amqp: String(process.env['TEST_BROKER_AMQP']),
    http: String(process.env['TEST_BROKER_HTTP']),
  };
  const h = await harness({ builtIn, builtInHosted: { service } });
  const broker = await emptyVirtualHost(name);
  const topologyId = await h.topology(name, { mara: 'owner', tam: 'operator', wen: 'reader' });
  const owner = await h.as('mara');
  const base = `/topologies/${name}`;
  const { draft } = (await owner('GET', base)).data;
  const { version } = (
    await owner('PUT', `${base}/draft`, {
      version: draft.version,
      documents: [{ name: 'a.yaml', text: WORLD }, ...(more ? [{ name: 'b.yaml', text: more }] : [])],
    })
  ).data;
  const saved = await owner('POST', `${base}/revisions`, { version, words: 'stands' });
  expect(saved.status).toBe(201);
  await owner('PUT', `${base}/targets`, {
    environment: 'trial',
    broker: 's',
    kind: 'hosted',
    builtIn: true,
  });
  const set = await owner('PUT', `${base}/targets`, {
    environment: 'trial',
    broker: 'm',
    kind: 'amqp',
    addresses: addressesOf(name),
  });
  expect(set.status).toBe(200);
  for (const { id } of (await owner('GET', `${base}/targets`)).data) {
    const planned = await owner('POST', `${base}/rollouts`, { target: id, revision: 1 });
    expect(planned).toMatchObject({ status: 201 });
    await owner('POST', `${base}/rollouts/${planned.data.id}/apply`, {});
    await h.rollouts.idle();
  }
  const connection = await broker.connect('tests');
  const channel = await connection.createConfirmChannel();
  channel.on('error', () => {});
  return {
    h,
    broker,
    connection,
    channel,
    owner,
    base,
    topologyId,
    async close() {
      await connection.close().catch(() => {});
      await h.close();
    },
  };
}

/** Asks until something is so. */
export async function until<T>(ask: () => Promise<T | undefined | false>, ms = 30_000): Promise<T> {
  for (const end = Date.now() + ms; Date.now() < end;) {
    const found = await ask();
    if (found) return found;
    await new Promise((done) => setTimeout(done, 50));
  }
  throw new Error('waited in vain');
}

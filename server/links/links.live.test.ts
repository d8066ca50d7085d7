/** Links carried between two places on the live broker: what travels, what stays, and what falls do to it. */
import type { CarriedLink } from '@vondle/core/analysis';
import { connect, type ChannelModel, type ConfirmChannel } from 'amqplib';
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { eq, sql } from 'drizzle-orm';
import { Client } from 'pg';
import { targets } from '../db/schema.ts';
import { sealer } from '../secrets.ts';
import { allowedAddresses } from '../targets/allowed.ts';
import { AmqpBroker } from '../targets/amqp/broker.ts';
import { harness, SECRET, type Ask, type Harness } from '../testing/harness.ts';
import { emptyVirtualHost } from '../testing/virtual-host.ts';
import { LINK_MARK } from '../targets/amqp/names.ts';
import { LinkCarrier, MOST_HELD } from './carrier.ts';
import { amqpPlace } from './ends/amqp.ts';
import type { Place } from './ends/end.ts';
import { Links } from './service.ts';
import { standingsOf } from './store.ts';
import { deafBroker } from '../testing/deaf-broker.ts';
import { silentProxy } from '../testing/silent-proxy.ts';

const at = (vhost: string) => ({
  amqp: `${process.env['TEST_BROKER_AMQP']}/${vhost}`,
  http: String(process.env['TEST_BROKER_HTTP']),
});

/** A broker whose connections a test can cut. */
class Cuttable extends AmqpBroker {
  private open: ChannelModel[] = [];
  override async connect(): Promise<ChannelModel> {
    const connection = await super.connect();
    this.open.push(connection);
    return connection;
  }
  cutAll(): void {
    for (const each of this.open.splice(0))
      (each.connection as unknown as { stream: { destroy(error: Error): void } }).stream.destroy(
        new Error('cut off'),
      );
  }
}

const LINK: CarriedLink = {
  name: 'down',
  from: { broker: 'm', queue: 'out' },
  to: { broker: 'i', exchange: 'inbox' },
  batch: 20,
  aliases: { 'i/desk': { broker: 'i', exchange: '', queue: 'desk' } },
};

const connections: ChannelModel[] = [];
let m: ConfirmChannel;
let i: ConfirmChannel;
const brokers = new Map<string, Cuttable>();
let carriers: LinkCarrier[] = [];

beforeAll(async () => {
  for (const [name, vhost] of [
    ['m', 'link-from'],
    ['i', 'link-to'],
  ] as const) {
    await emptyVirtualHost(vhost);
    brokers.set(name, new Cuttable(at(vhost), allowedAddresses('loopback')));
    const connection = await connect(at(vhost).amqp);
    connection.on('error', () => {});
    connections.push(connection);
    const channel = await connection.createConfirmChannel();
    if (name === 'm') m = channel;
    else i = channel;
  }
});
beforeEach(async () => {
  await m.assertQueue('out');
  await m.purgeQueue('out');
  await i.assertExchange('inbox', 'topic');
  for (const queue of ['desk', 'all']) {
    await i.assertQueue(queue);
    await i.purgeQueue(queue);
  }
  await i.bindQueue('all', 'inbox', '#');
});
afterEach(async () => {
  await Promise.all(carriers.map((each) => each.close()));
  carriers = [];
});
afterAll(async () => {
  for (const each of connections) await each.close().catch(() => {});
});

const places = () => new Map([...brokers].map(([name, broker]) => [name, amqpPlace(broker)]));
function carry(link = LINK): LinkCarrier {
  const carrier = new LinkCarrier(link, places(), 20);
  carriers.push(carrier);
  return carrier;
}
async function until(what: string, holds: () => Promise<boolean> | boolean, ms = 20_000): Promise<void> {
  for (const end = Date.now() + ms; Date.now() < end; await pause(20)) if (await holds()) return;
  throw new Error(`waited in vain until ${what}`);
}
const waiting = async (channel: ConfirmChannel, queue: string) =>
  (await channel.checkQueue(queue)).messageCount;
const send = (key: string, body: string, headers: object = {}) =>
  m.sendToQueue('out', Buffer.from(body), {
    persistent: true,
    headers: { ...headers, key },
    messageId: body,
    type: 't',
  });
/** What an exchange gave the queue, with the key it came by: the default exchange gives its own name. */
async function sendBy(key: string, body: string, headers: object = {}): Promise<void> {
  await m.assertExchange('by', 'topic');
  await m.bindQueue('out', 'by', '#');
  m.publish('by', key, Buffer.from(body), {
    persistent: true,
    headers,
    messageId: body,
    type: 't',
    priority: 3,
  });
  await m.waitForConfirms();
}
async function taken(
  queue: string,
): Promise<{ body: string; key: string; headers: object; messageId: unknown; type: unknown }[]> {
  const all = [];
  for (;;) {
    const message = await i.get(queue, { noAck: true });
    if (!message) return all;
    const { headers, messageId, type } = message.properties;
    all.push({
      body: String(message.content),
      key: message.fields.routingKey,
      headers: headers ?? {},
      messageId,
      type,
    });
  }
}

test('what its keys let through travels whole; what they do not stays, and is counted', async () => {
  const carrier = carry({ ...LINK, keys: [['sailing', '#']] });
  await sendBy('fare.sold', 'stays');
  await sendBy('sailing.departed', 'travels', { severity: 3 });
  await until('it travelled', () => carrier.standing.carried === 1);
  expect(await taken('all')).toEqual([
    { body: 'travels', key: 'sailing.departed', headers: { severity: 3 }, messageId: 'travels', type: 't' },
  ]);
  expect(carrier.standing).toMatchObject({ runs: true, held: 1, carried: 1 });
  await carrier.close();
  await until('what stayed is back', async () => (await waiting(m, 'out')) === 1);
});

test('what a remote alias sends goes where that leads, whatever its key; a mark that none has leads nowhere', async () => {
  const carrier = carry({ ...LINK, keys: [['sailing', '#']] });
  await sendBy('crew.notice', 'to the desk', { [LINK_MARK]: 'i/desk', severity: 1 });
  await sendBy('sailing.x', 'to nowhere', { [LINK_MARK]: 'i/elsewhere' });
  await sendBy('sailing.x', 'inherited', { [LINK_MARK]: 'toString' });
  await until('it travelled', () => carrier.standing.carried === 1 && carrier.standing.held === 2);
  expect(await taken('desk')).toMatchObject([{ body: 'to the desk', headers: { severity: 1 } }]);
  expect(await taken('all')).toEqual([]);
});

test('more that stays than is held by is said, and nothing of it is lost', async () => {
  const carrier = carry({ ...LINK, keys: [['sailing', '#']] });
  for (let n = 0; n < MOST_HELD + 30; n++) send('x', String(n));
  await m.waitForConfirms();
  await until('it is said', () => carrier.standing.why?.startsWith('more') === true);
  expect(carrier.standing.why).toContain(`more than ${MOST_HELD} messages`);
  await carrier.close();
  await until('all are back', async () => (await waiting(m, 'out')) === MOST_HELD + 30);
});

test('either end cut at any moment: none is lost, and what came twice was on its way', async () => {
  const COUNT = 3000;
  const carrier = carry();
  let cuts = 0;
  const cutting = (async () => {
    for (let n = 0; n < 12; n++) {
      await pause(20 + ((n * 37) % 90));
      brokers.get(n % 2 ? 'm' : 'i')!.cutAll();
      cuts++;
    }
  })();
  for (let n = 0; n < COUNT; n++) {
    send('k', String(n));
    if (n % 50 === 0) await pause(5);
  }
  await m.waitForConfirms();
  await cutting;
  await until(
    'all is carried',
    async () => (await waiting(m, 'out')) === 0 && (await waiting(i, 'all')) >= COUNT,
    40_000,
  );
  await carrier.close();
  const bodies = (await taken('all')).map(({ body }) => body);
  expect(new Set(bodies).size).toBe(COUNT);
  // at each cut at most what was on its way comes again
  expect(bodies.length - COUNT).toBeLessThanOrEqual(cuts * LINK.batch);
  expect(await waiting(m, 'out')).toBe(0);
});

test('a far end that takes nothing is waited for, visibly, and nothing goes', async () => {
  await i.deleteExchange('inbox');
  const carrier = carry();
  send('k', 'waits');
  await m.waitForConfirms();
  await until('it is said', () => carrier.standing.why?.includes('inbox') === true);
  expect(carrier.standing.carried).toBe(0);
  await i.assertExchange('inbox', 'topic');
  await i.bindQueue('all', 'inbox', '#');
  await until('it came', async () => (await waiting(i, 'all')) === 1);
});

describe('a broker that is silent instead of dead', () => {
  const never = () => new Promise<never>(() => {});
  const cut = () => {};
  /** Ends of which one never answers. */
  const places: [string, Place][] = [
    ['a source is opened', { source: never, sink: never }],
    [
      'messages are asked for',
      {
        source: async () => ({ take: never, stop: never, close: never, cut }),
        sink: async () => ({ publish: () => {}, cut }),
      },
    ],
    [
      'a sink is opened',
      { source: async () => ({ take: async () => {}, stop: never, close: never, cut }), sink: never },
    ],
  ];
  test.each(places)('a link ends at once while %s without an answer', async (_, place) => {
    const carrier = new LinkCarrier(
      LINK,
      new Map([
        ['m', place],
        ['i', place],
      ]),
    );
    await pause(10);
    expect(carrier.standing.runs).toBe(false);
    await carrier.close();
  });

  test('a broker that answers all but basic.consume is given up, and the link says why', async () => {
    const deaf = await deafBroker(Number(new URL(at('').amqp).port), { class: 60, method: 20 });
    const url = new URL(at('link-from').amqp);
    url.port = String(deaf.port);
    const broker = new AmqpBroker({ ...at('link-from'), amqp: url.href }, allowedAddresses('loopback'));
    const carrier = new LinkCarrier(
      LINK,
      new Map([
        ['m', amqpPlace(broker)],
        ['i', amqpPlace(brokers.get('i')!)],
      ]),
    );
    await until(
      'it says why',
      () => carrier.standing.why?.includes('did not answer in time') === true,
      40_000,
    );
    expect(carrier.standing.runs).toBe(false);
    await carrier.close();
    deaf.close();
  });

  test('a link does not run while its far end confirms nothing, and says so; afterwards it goes on', async () => {
    const proxy = await silentProxy(Number(new URL(at('').amqp).port));
    const url = new URL(at('link-to').amqp);
    url.port = String(proxy.port);
    const far = new AmqpBroker({ ...at('link-to'), amqp: url.href }, allowedAddresses('loopback'));
    const carrier = new LinkCarrier(
      LINK,
      new Map([
        ['m', amqpPlace(brokers.get('m')!)],
        ['i', amqpPlace(far)],
      ]),
      20,
    );
    carriers.push(carrier);
    await until('it runs', () => carrier.standing.runs);
    proxy.silence();
    await sendBy('k', 'is on its way');
    await until(
      'it does not run',
      () => !carrier.standing.runs && /has not confirmed|lost|answer/.test(carrier.standing.why ?? ''),
      40_000,
    );
    proxy.speak();
    await until('it came', async () => (await waiting(i, 'all')) >= 1, 60_000);
    await until('it runs again', () => carrier.standing.runs);
    await carrier.close();
    proxy.close();
  });
});

describe('those of what stands', () => {
  let h: Harness;
  let mara: Ask;
  const base = '/topologies/quay';
  beforeAll(async () => {
    h = await harness();
    await h.topology('quay', { mara: 'owner' });
    mara = await h.as('mara');
    await save('true');
    for (const [broker, vhost] of [
      ['m', 'link-from'],
      ['i', 'link-to'],
    ])
      await mara('PUT', `${base}/targets`, {
        environment: 'trial',
        broker,
        kind: 'amqp',
        addresses: at(vhost!),
      });
  });
  afterAll(async () => {
    await h.rollouts.close();
    await h.close();
  });
  async function save(active: string): Promise<number> {
    const text = `environments: { trial: {} }\nbrokers:\n  m: { kind: amqp, access: open, queues: { out: {} } }\n  i: { kind: amqp, access: open, exchanges: { inbox: { type: topic } } }\nlinks: { down: { from: m/out, to: i/inbox, active: ${active} } }\n`;
    const { draft } = (await mara('GET', base)).data;
    const { version } = (
      await mara('PUT', `${base}/draft`, { version: draft.version, documents: [{ name: 'a.yaml', text }] })
    ).data;
    return (await mara('POST', `${base}/revisions`, { version, words: 'next' })).data.number;
  }
  async function rollOut(what: object): Promise<void> {
    const { data } = await mara('POST', `${base}/rollouts`, { environment: 'trial', ...what });
    await mara('POST', `${base}/rollouts/${data.id}/apply`, {
      cutsOff: (await mara('GET', `${base}/rollouts/${data.id}`)).data.destroys.reduce(
        (sum: number, each: { takers: number }) => sum + each.takers,
        0,
      ),
    });
    await h.rollouts.idle();
  }
  const links = () => {
    const { db, databaseUrl, work, sealer } = h;
    const log = { warn: () => {}, info: () => {} } as never;
    const one = new Links({
      db,
      databaseUrl,
      work,
      log,
      openers: { sealer, allowed: allowedAddresses('loopback') },
      lookMs: 100,
    });
    one.start();
    return one;
  };

  test('one process carries a link that stands, another takes it up where that falls, and none once it is inactive', async () => {
    const first = links();
    await pause(300);
    expect(first.standing()).toEqual([]);
    await rollOut({ revision: 1 });
    await until('it is carried', () => first.standing().some(({ runs }) => runs));
    const runs = { environment: 'trial', link: 'down', runs: true, why: null, carried: 0, held: 0 };
    await until('it is said', async () => (await standingsOf(h.db, 1))[0]?.runs === true);
    expect(await standingsOf(h.db, 1)).toEqual([runs]);
    expect(await standingsOf(h.db, 2)).toEqual([]);
    expect((await mara('GET', `${base}/links`)).data).toEqual([runs]);
    const second = links();
    await sendBy('k', 'crosses');
    await until('it crossed', async () => (await waiting(i, 'all')) === 1);
    expect(second.standing()).toEqual([]);
    // the lock goes with the connection: as where the process is gone
    const admin = new Client({ connectionString: h.databaseUrl });
    await admin.connect();
    await admin.query(`select pg_terminate_backend(a.pid) from pg_stat_activity a join pg_locks l on l.pid = a.pid
      where a.application_name = 'vondle links' and l.locktype = 'advisory' and a.datname = current_database()`);
    await admin.end();
    await until(
      'one carries it again',
      () => [...first.standing(), ...second.standing()].filter(({ runs }) => runs).length === 1,
    );
    await sendBy('k', 'crosses too');
    await until('it crossed', async () => (await waiting(i, 'all')) >= 2);
    await first.close();
    await until('the other carries it', () => second.standing().some(({ runs }) => runs));
    // who carries a link is no taker that is agreed to be cut off
    const { data } = await mara('POST', `${base}/rollouts`, { environment: 'trial', tearDown: true });
    const { destroys } = (await mara('GET', `${base}/rollouts/${data.id}`)).data;
    expect(destroys).toMatchObject([{ queue: 'out', takers: 0 }]);
    // changed once and taken up anew, it is held once, and let go by one word
    await rollOut({ revision: await save('true, batch: 7') });
    await until('it is carried as it is now', () => second.standing().some(({ runs }) => runs));
    await rollOut({ revision: await save('false') });
    await until('it is let go', () => second.standing().length === 0);
    const held = () =>
      h.db.execute(sql`select 1 from pg_locks where locktype = 'advisory' and classid = 5693
      and database = (select oid from pg_database where datname = current_database())`);
    await until('another could hold it', async () => (await held()).rows.length === 0, 3000);
    const why = 'it is not carried: it is not active';
    await until('it is said', async () => (await standingsOf(h.db, 1))[0]?.why === why);
    expect(await standingsOf(h.db, 1)).toMatchObject([{ link: 'down', runs: false }]);
    await sendBy('k', 'waits');
    expect(await waiting(m, 'out')).toBe(1);
    await second.close();
  });

  test('one whose addresses cannot be opened says so, holds up no other, and is free for who can', async () => {
    await i.purgeQueue('all');
    await emptyVirtualHost('link-apart');
    const setTarget = async () => {
      const j = { environment: 'trial', broker: 'j', kind: 'amqp', addresses: at('link-apart') };
      expect(await mara('PUT', `${base}/targets`, j)).toMatchObject({ status: 200 });
    };
    const { draft } = (await mara('GET', base)).data;
    const text = `environments: { trial: {} }
brokers:
  m: { kind: amqp, access: open, queues: { out: {}, apart: {} } }
  i: { kind: amqp, access: open, exchanges: { inbox: { type: topic } } }
  j: { kind: amqp, access: open, exchanges: { other: { type: topic } } }
links:
  apart: { from: m/apart, to: j/other }
  down: { from: m/out, to: i/inbox }
`;
    const documents = [{ name: 'a.yaml', text }];
    const { version } = (await mara('PUT', `${base}/draft`, { version: draft.version, documents })).data;
    const { number } = (await mara('POST', `${base}/revisions`, { version, words: 'apart' })).data;
    await setTarget();
    await rollOut({ revision: number });
    const [{ sealed }] = (await h.db
      .update(targets)
      .set({ sealedAddresses: sealer('a secret that nobody has any more').seal('{}', 'a row') })
      .where(eq(targets.broker, 'j'))
      .returning({ sealed: targets.sealedAddresses })) as [{ sealed: string }];
    expect(sealed).toMatch(/^2\./);
    const one = links();
    try {
      await until('the other is carried', () =>
        one.standing().some(({ link, runs }) => link === 'down' && runs),
      );
      await sendBy('k', 'crosses beside it');
      await until('it crossed', async () => (await waiting(i, 'all')) === 1);
      const apart = async () => (await standingsOf(h.db, 1)).find(({ link }) => link === 'apart');
      const why =
        'it cannot be taken up: the addresses of its brokers were sealed under a key not known here';
      await until('it is said', async () => (await apart())?.why === why);
      // set anew, it is taken up without a restart
      await setTarget();
      await until('it is carried', () => one.standing().some(({ link, runs }) => link === 'apart' && runs));
      await until('it is said', async () => (await apart())?.runs === true);
    } finally {
      await one.close();
    }
  });

  test('carried by a process of its own that is killed again and again: all arrive, none twice but what was on its way', async () => {
    for (const queue of ['out']) await m.purgeQueue(queue);
    await i.purgeQueue('all');
    await rollOut({ revision: await save('true, batch: 10') });
    const script = `import { forward } from ${JSON.stringify(join(__dirname, '../dist/forward.mjs'))}; forward(process.env);`;
    const begin = () =>
      spawn(process.execPath, ['--input-type=module', '-e', script], {
        stdio: 'ignore',
        env: {
          ...process.env,
          DATABASE_URL: h.databaseUrl,
          VONDLE_SECRET: SECRET,
          VONDLE_TARGETS: 'loopback',
          LOG_LEVEL: 'fatal',
        },
      });
    const most = 300;
    const arrived = async () => (await waiting(i, 'all')) > 0;
    let child = begin();
    const gone = (each: typeof child) => new Promise((done) => each.once('exit', done));
    try {
      const kills = 3;
      const seen = new Map<string, number>();
      const drain = async () => {
        for (let got = await i.get('all', { noAck: true }); got; got = await i.get('all', { noAck: true }))
          seen.set(got.content.toString(), (seen.get(got.content.toString()) ?? 0) + 1);
      };
      for (let round = 0; round <= kills; round++) {
        for (let n = 0; n < most / (kills + 1); n++) m.sendToQueue('out', Buffer.from(`${round}.${n}`));
        await m.waitForConfirms();
        await until('some arrive', arrived);
        if (round === kills) break;
        const over = gone(child);
        child.kill('SIGKILL');
        await over;
        await drain();
        child = begin();
      }
      await until('all arrived', async () => (await drain(), seen.size === most), 30_000);
      const twice = [...seen.values()].reduce((sum, count) => sum + count - 1, 0);
      expect(twice).toBeLessThanOrEqual(kills * 10);
    } finally {
      const over = gone(child);
      child.kill('SIGTERM');
      await over;
    }
  });
});

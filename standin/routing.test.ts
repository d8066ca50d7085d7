/**
 * Where messages come to in the stand-in, on random setups, against the second interpreter, which shares no code with
 * core. `STANDIN_CASES=500` tries more. What its setups cannot make, and is tried in standin.test.ts: order by groups,
 * delays, repeats, users of other tenants, statements narrowed by `encrypted`.
 */
import { interpret } from '../core/testing/second/interpreter.ts';
import type { Model, Sent, Statement } from '../core/testing/second/model.ts';
import { randomModel, randomSendings } from '../core/testing/second/random-model.ts';
import { type Harness, standin, until } from './testing/harness.ts';

const CASES = Number(process.env['STANDIN_CASES'] ?? 40);
const SEED = Number(process.env['STANDIN_SEED'] ?? 1);

let h: Harness;
beforeAll(async () => {
  h = await standin();
});
afterAll(() => h.close());

const listOf = (value: string | string[]) => (typeof value === 'string' ? [value] : value);

/** What of a random topology is on its publish-subscribe broker, with everything that is named there. */
function hostedOf(seed: number): Model {
  const model = randomModel(seed);
  const hosted = model.brokers['s']!;
  const topics = new Set(Object.keys(hosted.topics ?? {}));
  const queues = new Set(Object.keys(hosted.queues ?? {}));
  const subscriptions = Object.entries(hosted.subscriptions ?? {}).filter(
    ([, { topic, to }]) => topics.has(topic) && (to === undefined || queues.has(to)),
  );
  const known = new Set([...topics, ...queues]);
  const dead = <T extends { deadLetter?: { to: string } }>({ deadLetter, ...rest }: T) => ({
    ...rest,
    // the stand-in has no key to give a dead letter
    ...(deadLetter && known.has(deadLetter.to) ? { deadLetter: { to: deadLetter.to } } : {}),
  });
  const access = model.access.flatMap((each): Statement[] => {
    const on = listOf(each.on).filter((at) => at.startsWith('s/'));
    const who = listOf(each.who).filter((one) => !one.startsWith('broker:'));
    return on.length && who.length && !each.when ? [{ ...each, on, who }] : [];
  });
  return {
    ...model,
    apps: { one: {}, two: {}, three: {} },
    links: {},
    spreads: {},
    access,
    brokers: {
      s: {
        kind: 'pubsub',
        access: hosted.access ?? 'controlled',
        topics: hosted.topics!,
        queues: Object.fromEntries(
          Object.entries(hosted.queues!).map(([name, queue]) => [name, dead({ ...queue, ttl: undefined })]),
        ) as never,
        subscriptions: Object.fromEntries(
          subscriptions.map(([name, each]) => [name, dead({ ...each, ttl: undefined })]),
        ) as never,
      },
    },
  };
}

async function setUp(space: string, model: Model): Promise<void> {
  const { access, topics, queues, subscriptions } = model.brokers['s']!;
  await h.must('PUT', `/spaces/${space}`, { tenant: 'auklet', access });
  for (const name of Object.keys(topics!)) await h.must('PUT', `/spaces/${space}/topics/${name}`, {});
  for (const name of Object.keys(queues!)) await h.must('PUT', `/spaces/${space}/queues/${name}`, {});
  const settings = ({ ttl: _ttl, ...rest }: { ttl?: string }) => rest;
  for (const [name, queue] of Object.entries(queues!))
    await h.must('PUT', `/spaces/${space}/queues/${name}`, settings(queue));
  for (const [name, each] of Object.entries(subscriptions!))
    await h.must('PUT', `/spaces/${space}/subscriptions/${name}`, settings(each));
  for (const [i, { allow, deny, who, on }] of model.access.entries())
    await h.must('PUT', `/spaces/${space}/statements/s${i}`, {
      ...(allow ? { allow } : {}),
      ...(deny ? { deny } : {}),
      who: listOf(who).map((one) => one.replace('topic:s/', 'topic:')),
      on: listOf(on).map((at) => at.replace('s/', '')),
    });
}

/** @returns how many messages lie in each store */
async function lying(space: string): Promise<Record<string, number>> {
  const { queues, subscriptions } = await h.must('GET', `/spaces/${space}`);
  return Object.fromEntries(
    [...queues, ...subscriptions].flatMap(({ name, stands }) =>
      stands?.waiting ? [[`s/${name}`, stands.waiting]] : [],
    ),
  );
}

const sendings = (seed: number): Sent[] =>
  randomSendings(seed, 400)
    .filter(({ to, from, via }) => !via && from && /^s\/[tukl]$/.test(to))
    .slice(0, 6)
    // a key is nothing that AMQP 1.0 has
    .map((sent) => ({ ...sent, key: '' }));

test(`${CASES} random setups: messages come where the second interpreter says`, async () => {
  for (let seed = SEED; seed < SEED + CASES; seed++) {
    const model = hostedOf(seed);
    const space = `case-${seed}`;
    await setUp(space, model);
    const expected: Record<string, number> = {};
    for (const sent of sendings(seed)) {
      const told = interpret(model, sent);
      for (const [at, copies] of Object.entries(told.stores)) expected[at] = (expected[at] ?? 0) + copies;
      const { subject } = sent.properties as { subject?: string };
      const { status } = await h.ask('POST', `/spaces/${space}/entries/${sent.to.slice(2)}/messages`, {
        as: `app:${sent.from}`,
        tenant: model.tenant,
        headers: sent.headers,
        ...(subject === undefined ? {} : { subject }),
      });
      // refused at the entry, a sender is told; on the way nobody is
      expect({ seed, sent, refused: status === 403 }).toEqual({
        seed,
        sent,
        refused: refusedAtOnce(told.ends, sent.to),
      });
    }
    expect({ seed, lying: await lying(space) }).toEqual({ seed, lying: expected });
    await h.must('DELETE', `/spaces/${space}?destroys=100000`);
  }
});

const refusedAtOnce = (ends: Record<string, number>, to: string) =>
  ends[`refused at ${to}`] === 1 && Object.keys(ends).length === 1;

test('rejected everywhere, they come where the second interpreter says dead letters come', async () => {
  for (let seed = SEED; seed < SEED + CASES / 4; seed++) {
    const base = hostedOf(seed);
    // everybody may do everything: what is tried is where the dead go
    const model = { ...base, access: [], brokers: { s: { ...base.brokers['s']!, access: 'open' as const } } };
    const space = `dead-${seed}`;
    await setUp(space, model);
    const client = await h.client(space, 'one');
    for (const sent of sendings(seed).slice(0, 2)) {
      const first = interpret(model, sent);
      await h.must('POST', `/spaces/${space}/entries/${sent.to.slice(2)}/messages`, {
        as: 'app:one',
        tenant: model.tenant,
        headers: sent.headers,
        ...sent.properties,
      });
      expect(await lying(space)).toEqual(first.stores);
      for (const at of Object.keys(first.stores)) {
        const name = at.slice(2);
        const before = await lying(space);
        const taker = await client.receiver(name, 1);
        (await taker.next()).delivery.reject();
        const dead = { ...model.brokers['s']!.queues, ...model.brokers['s']!.subscriptions }[name]?.deadLetter
          ?.to;
        const wanted = { ...before };
        wanted[at]!--;
        if (!wanted[at]) delete wanted[at];
        const { properties } = sent;
        if (dead && (model.brokers['s']!.topics![dead] || model.brokers['s']!.queues![dead])) {
          // what was wrapped has its headers inside
          const wrapped = model.brokers['s']!.subscriptions![name]?.wrap === true;
          const inside = Object.values(model.brokers['s']!.subscriptions!).some(
            ({ wrap, to }) => wrap && to === name,
          );
          if (inside) continue;
          const next = interpret(model, {
            ...sent,
            to: `s/${dead}`,
            ...(wrapped ? { headers: {}, properties } : {}),
          });
          for (const [store, copies] of Object.entries(next.stores))
            wanted[store] = (wanted[store] ?? 0) + copies;
        }
        await until(
          async () => JSON.stringify(sorted(await lying(space))) === JSON.stringify(sorted(wanted)),
        );
        taker.link.close();
      }
      for (const at of Object.keys(await lying(space)))
        await h.must('DELETE', `/spaces/${space}/stores/${at.slice(2)}/messages?destroys=1000`);
    }
    await h.must('DELETE', `/spaces/${space}?destroys=100000`);
  }
});

const sorted = (counts: Record<string, number>) => Object.entries(counts).sort();

import { type Earlier, doneIn, inventoryChanges, planRollout } from './plan.ts';
import { type Inventory, bindingId, wantedState } from './wire.ts';
import { expectProbe, mannersOf, withinReach } from './probe.ts';
import { message } from '../../conditions/message.ts';
import { buildGraph } from '../../routing/graph.ts';
import { trace } from '../../routing/trace.ts';
import { readTopology } from '../../topology/read.ts';

const TEXT = `apps: { board: { instances: 2 } }
brokers:
  m:
    kind: amqp
    access: open
    exchanges:
      in: { type: topic, unroutedTo: rest }
      rest: { type: fanout, wireName: rest.v2, durable: false, autoDelete: true }
      cargo: { type: headers, internal: true }
    queues:
      boards: { perInstanceOf: board, durable: true, ttl: 10m, maxLength: 5, overflow: refuse-new, deadLetter: { to: rest, key: gone } }
      dead: { deadLetter: { to: boards-in }, maxPriority: 3, expires: 1h, maxBytes: 1KiB }
      boards-in: { wireName: in.boards, maxDeliveries: 4 }
      mine: { exclusive: true }
    bindings:
      - { from: in, to: boards, key: "b.#" }
      - { from: in, to: boards, key: "b.#" }
      - { from: in, to: rest, key: r }
      - { from: cargo, to: boards-in, headers: { match: any, values: { hazard: true, class: null } } }
      - { from: in, to: mine, key: x }
  i: { kind: amqp, access: open, exchanges: { box: { type: fanout } }, queues: { desk: {} }, bindings: [ { from: box, to: desk } ] }
links:
  down: { from: m/boards-in, to: i/box }
`;
const topology = readTopology([{ name: 'a', text: TEXT }]);
const wanted = wantedState(topology, 'm');
const EMPTY: Inventory = { exchanges: [], queues: [], bindings: [] };
/** What a broker would report after all of it was made. */
const made: Inventory = {
  exchanges: wanted.exchanges.map(({ of: _of, place: _place, byDefault: _byDefault, ...rest }) => rest),
  queues: wanted.queues.map(({ of: _of, place: _place, byDefault: _byDefault, ...rest }) => rest),
  bindings: wanted.bindings.map(({ place: _place, ...rest }) => rest),
};
const titles = (has: Inventory, of = wanted) => planRollout(of, has).steps.map((step) => step.title);

test('the topology reads', () => expect(topology.findings).toEqual([]));

describe('what is wanted', () => {
  const queue = (name: string) => wanted.queues.find((each) => each.name === name)!;

  test('settings become the arguments a broker takes', () => {
    expect(queue('boards.1').arguments).toEqual({
      'x-message-ttl': 600_000,
      'x-max-length': 5,
      'x-overflow': 'reject-publish',
      'x-dead-letter-exchange': 'rest.v2',
      'x-dead-letter-routing-key': 'gone',
    });
    expect(queue('dead').arguments).toEqual({
      'x-max-priority': 3,
      'x-expires': 3_600_000,
      'x-max-length-bytes': 1024,
      'x-dead-letter-exchange': '',
      'x-dead-letter-routing-key': 'in.boards',
    });
    expect(queue('in.boards').arguments).toEqual({ 'x-queue-type': 'quorum', 'x-delivery-limit': 4 });
  });

  test('exchanges keep their flags and name their alternate on the wire', () => {
    expect(wanted.exchanges).toMatchObject([
      { name: 'in', type: 'topic', durable: true, arguments: { 'alternate-exchange': 'rest.v2' } },
      { name: 'rest.v2', type: 'fanout', durable: false, autoDelete: true },
      { name: 'cargo', type: 'headers', internal: true },
    ]);
  });

  test('a queue for each instance, each bound; a binding said twice is one', () => {
    expect(wanted.queues.map(({ name }) => name)).toEqual(['boards.1', 'boards.2', 'dead', 'in.boards']);
    expect(wanted.bindings.map(({ source, destination, key }) => `${source} ${destination} ${key}`)).toEqual([
      'in boards.1 b.#',
      'in boards.2 b.#',
      'in rest.v2 r',
      'cargo in.boards ',
    ]);
    expect(wanted.bindings[3]!.arguments).toEqual({ 'x-match': 'any', hazard: true, class: null });
  });

  test('an exclusive queue is left to its connection', () => {
    expect(wanted.leftToOthers).toMatchObject([{ of: 'queue:m/mine' }]);
  });

  test('a broker that is none asks for nothing', () => {
    expect(wantedState(topology, 'none')).toMatchObject({ exchanges: [], queues: [], bindings: [] });
  });
});

describe('the steps', () => {
  test('on an empty broker: exchanges, queues, then bindings', () => {
    expect(titles(EMPTY)).toEqual([
      // what gets the unrouted of another before that one, what gets dead letters likewise
      'declare fanout exchange rest.v2',
      'declare topic exchange in',
      'declare headers exchange cargo',
      'declare queue in.boards',
      'declare queue boards.1',
      'declare queue boards.2',
      'declare queue dead',
      'bind cargo → in.boards on hazard = true or class',
      'bind in → boards.1 on b.#',
      'bind in → boards.2 on b.#',
      'bind in → exchange rest.v2 on r',
    ]);
  });

  test('on a broker that is so already: none', () => {
    expect(planRollout(wanted, made)).toMatchObject({ steps: [], inPlace: 11, kept: [] });
  });

  test('new bindings come before old ones go', () => {
    const stale = { source: 'in', destination: 'boards.1', to: 'queue' as const, key: 'old', arguments: {} };
    const has = { ...made, bindings: [stale, ...made.bindings.slice(1)] };
    expect(titles(has)).toEqual(['bind in → boards.1 on b.#', 'remove the binding in → boards.1 on old']);
  });

  test('a queue that differs is replaced, saying what is lost, and bound again', () => {
    const has = {
      ...made,
      queues: made.queues.map((queue) => (queue.name === 'boards.2' ? { ...queue, durable: false } : queue)),
    };
    const { steps } = planRollout(wanted, has);
    expect(steps.map(({ title, risk }) => [risk, title])).toEqual([
      [
        'loses',
        'replace queue boards.2: durable becomes true; what lies in it by then is carried over; its 1 binding is made again at once',
      ],
    ]);
  });

  test('an exchange that differs is replaced with all its bindings', () => {
    const has = {
      ...made,
      exchanges: made.exchanges.map((each) => (each.name === 'in' ? { ...each, type: 'direct' } : each)),
    };
    expect(titles(has)).toEqual([
      'replace exchange in: direct becomes topic; its 3 bindings are made again at once',
    ]);
  });

  test('bindings of others to what is replaced are listed, and made again with it', () => {
    const theirs = {
      source: 'theirs',
      destination: 'boards.2',
      to: 'queue' as const,
      key: 'x',
      arguments: {},
    };
    const has = {
      ...made,
      bindings: [...made.bindings, theirs],
      queues: made.queues.map((queue) =>
        queue.name === 'boards.2' ? { ...queue, durable: false, messages: 3, takers: 1 } : queue,
      ),
    };
    const [step] = planRollout(wanted, has).steps;
    expect(step!.title).toBe(
      'replace queue boards.2: durable becomes true; the 3 messages in it are carried over, and its 1 taker is cut off; its 2 bindings are made again at once, 1 of others: theirs → boards.2 on x',
    );
    expect('bindings' in step! && step.bindings).toContainEqual(theirs);
  });

  test('a binding to somebody else’s queue is kept, unless an earlier revision made it', () => {
    const there = { source: 'in', destination: 'their-queue', to: 'queue' as const, key: 'x', arguments: {} };
    const has = { ...made, bindings: [...made.bindings, there] };
    expect(planRollout(wanted, has)).toMatchObject({ steps: [], kept: ['binding in → their-queue on x'] });
    const earlier = {
      ...EMPTY,
      bindings: [{ ...there, place: wanted.bindings[0]!.place }],
    } as unknown as Earlier;
    expect(planRollout(wanted, has, [earlier]).steps.map(({ title }) => title)).toEqual([
      'remove the binding in → their-queue on x',
    ]);
  });

  test('an auto-delete exchange that loses its last binding is made again, and bound', () => {
    // the topology binds nothing from rest, which deletes itself with its last binding
    const old = { source: 'rest.v2', destination: 'dead', to: 'queue' as const, key: '', arguments: {} };
    expect(titles({ ...made, bindings: [...made.bindings, old] })).toEqual([
      'remove the binding rest.v2 → dead',
      'declare fanout exchange rest.v2 again: it goes with its last binding',
      'bind in → exchange rest.v2 on r again',
    ]);
  });

  test('what is done is told from what is not', () => {
    const { steps } = planRollout(wanted, EMPTY);
    expect(steps.map(doneIn(EMPTY))).toEqual(steps.map(() => false));
    expect(steps.map(doneIn(made))).toEqual(steps.map(() => true));
  });

  test('what has changed between two looks is told, of what the rollout rests on', () => {
    expect(inventoryChanges(wanted, made, made)).toEqual([]);
    const other = { name: 'theirs', durable: true, autoDelete: false, exclusive: false, arguments: {} };
    const now = {
      exchanges: made.exchanges.slice(1),
      queues: [
        ...made.queues.map((each) => (each.name === 'dead' ? { ...each, durable: false } : each)),
        other,
      ],
      bindings: made.bindings.slice(1),
    };
    expect(inventoryChanges(wanted, made, now)).toEqual([
      'exchange in is gone',
      'queue dead: durable becomes false',
      'binding in → boards.1 on b.# is gone',
    ]);
  });

  test('what the topology does not know is kept and named', () => {
    const other = {
      name: 'theirs',
      type: 'topic',
      durable: true,
      autoDelete: false,
      internal: false,
      arguments: {},
    };
    const has = {
      exchanges: [...made.exchanges, other, { ...other, name: 'amq.topic' }, { ...other, name: '' }],
      queues: [
        ...made.queues,
        { name: 'their-queue', durable: true, autoDelete: false, exclusive: false, arguments: {} },
      ],
      bindings: [
        ...made.bindings,
        { source: 'theirs', destination: 'their-queue', to: 'queue' as const, key: '', arguments: {} },
      ],
    };
    expect(planRollout(wanted, has)).toMatchObject({
      steps: [],
      kept: ['exchange theirs', 'queue their-queue'],
    });
  });

  test('the order of arguments makes no difference', () => {
    const one = { source: 'a', destination: 'b', to: 'queue' as const, key: '', arguments: { x: 1, y: 2 } };
    expect(bindingId(one)).toBe(bindingId({ ...one, arguments: { y: 2, x: 1 } }));
    expect(bindingId(one)).not.toBe(bindingId({ ...one, arguments: { x: 1, y: '2' } }));
  });
});

describe('a probe', () => {
  const graph = buildGraph(topology);
  const expected = (to: string, parts: Parameters<typeof message>[0], broker = 'm') =>
    expectProbe(graph, trace(graph, message(parts), { to }).trace, broker);

  test('is expected once in each instance’s queue', () => {
    expect(expected('m/in', { key: 'b.x' })).toEqual({
      queues: { 'boards.1': 1, 'boards.2': 1 },
      returned: false,
      carried: [],
    });
  });

  test('is expected in the queue a link carries it from, and where it carries it to', () => {
    const carried = [{ broker: 'i', store: 'desk', copies: 1 }];
    expect(expected('m/boards-in', {})).toEqual({ queues: { 'in.boards': 1 }, returned: false, carried });
    expect(expected('m/boards-in', {}, 'i')).toMatchObject({ queues: {}, returned: true });
  });

  test('is expected back where nothing wants it', () => {
    expect(expected('m/in', { key: 'nobody' })).toEqual({ queues: {}, returned: true, carried: [] });
  });

  test('may come to what bindings and alternates lead to, whatever the topology says', () => {
    const found = withinReach(made, wanted, 'in');
    expect(found.map(({ queue, unforeseen }) => [queue.name, unforeseen])).toEqual([
      ['boards.1', false],
      ['boards.2', false],
    ]);
    const drifted = { source: 'rest.v2', destination: 'dead', to: 'queue' as const, key: '', arguments: {} };
    const more = withinReach({ ...made, bindings: [...made.bindings, drifted] }, wanted, 'in');
    expect(more.find(({ queue }) => queue.name === 'dead')).toMatchObject({
      unforeseen: true,
      bindings: [drifted],
    });
  });

  test('would push a message out where a queue is full, by its own settings or a policy’s', () => {
    const queue = {
      name: 'q',
      durable: true,
      autoDelete: false,
      exclusive: false,
      arguments: {},
      messages: 5,
    };
    const none = { limited: false, pushesOut: false, mayRefuse: false, deadLetters: false };
    expect(mannersOf(queue)).toEqual(none);
    expect(mannersOf({ ...queue, arguments: { 'x-max-length': 5 } })).toEqual({
      ...none,
      limited: true,
      pushesOut: true,
    });
    expect(mannersOf({ ...queue, arguments: { 'x-max-length': 6 } })).toEqual({ ...none, limited: true });
    expect(mannersOf({ ...queue, policy: { 'max-length-bytes': 100 } })).toEqual({
      ...none,
      limited: true,
      pushesOut: true,
    });
    const refuses = { 'x-max-length': 5, 'x-overflow': 'reject-publish' };
    expect(mannersOf({ ...queue, arguments: refuses })).toEqual({ ...none, limited: true, mayRefuse: true });
    expect(mannersOf({ ...queue, policy: { 'dead-letter-exchange': 'x' } })).toEqual({
      ...none,
      deadLetters: true,
    });
  });
});

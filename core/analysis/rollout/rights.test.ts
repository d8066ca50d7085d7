import fc from 'fast-check';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';
import { inventoryChanges, planRollout, doneIn, stepId } from './plan.ts';
import { safeOrder } from './order.ts';
import { planRights, rightsText, wantedRights } from './rights.ts';
import { type AppRights, type Inventory, wantedState } from './wire.ts';

const read = (text: string) => readTopology([{ name: 'a.yaml', text }]);
const rightsOf = (text: string, broker = 'm') => wantedRights(buildGraph(read(text)), broker);
const of = (all: readonly AppRights[], app: string) => all.find((each) => each.app === app)!;

/** As a broker holds a user to a pattern: '' matches the empty name alone. */
const fits = (pattern: string, name: string) =>
  pattern === '' ? name === '' : new RegExp(pattern.replaceAll('\\z', '$(?!\\n)'), 's').test(name);
const mayPublish = (rights: AppRights | undefined, exchange: string, key: string) =>
  rights !== undefined &&
  fits(rights.write, exchange || 'amq.default') &&
  (rights.keys[exchange] === undefined || fits(rights.keys[exchange], key));

const PORT = `
tenant: auklet
messages: { note: { key: "note.{ship}", headers: { ship: { type: string } } } }
apps:
  bridge: { publishes: [ { message: note, to: m/in }, { message: note, to: m/straight } ] }
  deck: { publishes: [ { message: note, to: m, via: mqtt } ], consumes: [ { from: m, via: mqtt, topic: "note/+" } ] }
  board: { instances: 2, consumes: [ { from: m/boards } ] }
  watch: { consumes: [ { from: m/own } ] }
  idle: {}
  guest: { tenant: northquay, consumes: [ { from: m/boards } ] }
brokers:
  m:
    kind: amqp
    access: controlled
    mqtt: { exchange: in }
    exchanges: { in: { type: topic, wireName: pa.in }, plain: { type: direct }, late: { type: fanout } }
    queues:
      straight: {}
      boards: { perInstanceOf: board }
      own: { exclusive: true, deadLetter: { to: late } }
    bindings:
      - { from: in, to: boards, key: "note.#" }
      - { from: in, to: own, key: "#" }
access:
  - { name: ours, allow: [publish, consume], who: tenant:auklet, on: m/* }
`;

describe('what an app may', () => {
  const { rights, unsaid } = rightsOf(PORT);

  test('is what its own ways need, though a statement allows all', () => {
    expect(rights.map(({ app }) => app)).toEqual(['bridge', 'deck', 'board', 'watch']);
    expect(of(rights, 'board')).toMatchObject({
      configure: '',
      write: '',
      read: '^(?:boards\\.1|boards\\.2)\\z',
      keys: {},
    });
    expect(of(rights, 'bridge')).toMatchObject({ configure: '', read: '' });
    expect(mayPublish(of(rights, 'bridge'), 'pa.in', 'note.x')).toBe(true);
    expect(mayPublish(of(rights, 'bridge'), 'paxin', 'note.x')).toBe(false);
    expect(mayPublish(of(rights, 'bridge'), 'plain', '')).toBe(false);
  });
  test('to publish to a queue by its name is said to lead to every queue', () => {
    expect(mayPublish(of(rights, 'bridge'), '', 'straight')).toBe(true);
    expect(unsaid).toEqual([{ of: 'app:bridge', why: expect.stringContaining('publish to all of them') }]);
  });
  test('to take from a queue of its own is to make it, bind it and name where its dead letters go', () => {
    expect(of(rights, 'watch')).toMatchObject({
      configure: '^(?:own)\\z',
      write: '^(?:late|own)\\z',
      read: '^(?:own|pa\\.in)\\z',
    });
  });
  test('over MQTT is to have queues of its own that bear its name, and nobody else’s', () => {
    const { configure, read, write } = of(rights, 'deck');
    for (const pattern of [configure, read, write]) {
      expect(fits(pattern, 'mqtt-subscription-deck-7qos1')).toBe(true);
      expect(fits(pattern, 'mqtt-subscription-decks')).toBe(false);
      expect(fits(pattern, 'mqtt-subscription-board')).toBe(false);
    }
    expect([fits(read, 'pa.in'), fits(write, 'pa.in')]).toEqual([true, true]);
  });
  test('is nothing for who needs nothing, and for who is let nothing', () => {
    expect(of(rights, 'idle')).toBeUndefined();
    expect(of(rights, 'guest')).toBeUndefined();
  });
  test('is no matter of users where the broker is open, or another kind', () => {
    expect(rightsOf(PORT.replace('controlled', 'open'))).toMatchObject({ rights: [], unsaid: [] });
    expect(rightsOf(PORT, 'other')).toMatchObject({ rights: [], unsaid: [] });
  });
  test('which exchange MQTT enters is said to be for others', () => {
    expect(wantedState(read(PORT), 'm').leftToOthers).toContainEqual({
      of: 'broker:m',
      why: expect.stringContaining('see that it is in'),
    });
  });

  const NARROW = (statements: string, type = 'topic') => `
messages: { note: { key: "note.{ship}", headers: { ship: { type: string } } } }
apps: { bridge: { publishes: [ { message: note, to: m/in } ] } }
brokers: { m: { kind: amqp, access: controlled, exchanges: { in: { type: ${type} } }, queues: { q: {} } } }
access:
${statements}`;
  const SOME = `  - { name: some, allow: [publish], who: app:bridge, on: m/in, when: { key: "note.a.#" } }
  - { name: more, allow: [publish], who: app:bridge, on: m/in, when: { key: "note.*" } }
  - { name: not, deny: [publish], who: app:bridge, on: m/in, when: { key: note.z } }`;

  test('is narrowed by key on a topic exchange, denials held to', () => {
    const rights = of(rightsOf(NARROW(SOME)).rights, 'bridge');
    const keys = ['note.a', 'note.a.b', 'note.b', 'note.z', 'note.b.c', 'other', 'note'];
    expect(keys.filter((key) => mayPublish(rights, 'in', key))).toEqual(['note.a', 'note.a.b', 'note.b']);
    expect(rightsOf(NARROW(SOME)).unsaid).toEqual([]);
  });
  test('is every key but some where only those are denied', () => {
    const text = NARROW(`  - { allow: [publish], who: app:bridge, on: m/in }
  - { deny: [publish], who: app:bridge, on: m/in, when: { key: "note.z" } }`);
    const rights = of(rightsOf(text).rights, 'bridge');
    expect(['note.a', 'note.z', 'x'].filter((key) => mayPublish(rights, 'in', key))).toEqual(['note.a', 'x']);
  });
  test('cannot be narrowed by key elsewhere, which is said', () => {
    const { rights, unsaid } = rightsOf(NARROW(SOME, 'direct'));
    expect(of(rights, 'bridge').keys).toEqual({});
    expect(unsaid).toEqual([{ of: 'app:bridge', why: expect.stringContaining('topic exchanges only') }]);
  });
  test('an encrypted connection, and looking without taking, are nothing that a user has', () => {
    const { unsaid } = rightsOf(
      NARROW(`  - { allow: [publish], who: app:bridge, on: m/in, when: { encrypted: true } }
  - { allow: [browse], who: app:bridge, on: m/q }`),
    );
    expect(unsaid.map(({ why }) => why)).toEqual([
      expect.stringContaining('listeners have to'),
      expect.stringContaining('without taking'),
    ]);
  });
  test('is to make and bind where a statement says so', () => {
    const { rights } = rightsOf(
      NARROW(`  - { allow: [publish], who: app:bridge, on: m/in }
  - { allow: [declare, bind], who: app:bridge, on: m/* }`),
    );
    expect(of(rights, 'bridge')).toMatchObject({
      configure: '^(?:in|q)\\z',
      write: '^(?:in|q)\\z',
      read: '^(?:in)\\z',
    });
  });
  test('of more names than a pattern can hold is said, and not given', () => {
    const many = Array.from({ length: 3000 }, (_, i) => `a-rather-long-name-${i}`);
    const { rights, unsaid } = rightsOf(`
apps: { all: { consumes: [ ${many.map((name) => `{ from: m/${name} }`).join(', ')} ] } }
brokers: { m: { kind: amqp, access: controlled, queues: { ${many.map((name) => `${name}: {}`).join(', ')} } } }
access: [ { allow: [consume], who: app:all, on: m/* } ]`);
    expect(rights).toEqual([]);
    expect(unsaid).toEqual([{ of: 'app:all', why: expect.stringContaining('given no user') }]);
  });
  test('is said in words', () => {
    expect(rightsText(of(rights, 'bridge'))).toBe('write to every queue by its name, pa.in');
    expect(rightsText(of(rights, 'watch'))).toBe('make own, write to late, own, read from own, pa.in');
    expect(rightsText({ ...of(rights, 'watch'), configure: '.*', write: '', read: '' })).toBe(
      'make what matches .*',
    );
  });
});

const given = (app: string, write: string[], read: string[] = []): AppRights & { place: never } => {
  const pattern = (names: string[]) => (names.length ? `^(?:${[...names].sort().join('|')})\\z` : '');
  return {
    app,
    configure: '',
    write: pattern(write),
    read: pattern(read),
    keys: {},
    place: undefined as never,
  };
};
const bare = ({ place: _place, ...rights }: ReturnType<typeof given>): AppRights => rights;

describe('the steps', () => {
  /** Does them as a broker would. */
  const carried = (has: readonly AppRights[], steps: ReturnType<typeof planRights>['first']) => {
    const there = new Map(has.map((each) => [each.app, each]));
    for (const step of steps)
      if (step.do === 'take rights') there.delete(step.rights.app);
      else there.set(step.rights.app, step.rights);
    return [...there.values()];
  };

  /** Makes no patterns that are not ours, no keys; both stand below. */
  const all = fc.uniqueArray(
    fc.record({
      app: fc.constantFrom('a', 'b', 'c'),
      write: fc.uniqueArray(fc.constantFrom('x', 'y', 'z')),
      read: fc.uniqueArray(fc.constantFrom('x', 'y')),
    }),
    { selector: ({ app }) => app },
  );
  test('lead from any rights to any others, on the way through no more than both and no less than either needs', () => {
    fc.assert(
      fc.property(all, all, (before, after) => {
        const [was, is] = [before, after].map((some) =>
          some.map(({ app, write, read }) => given(app, write, read)),
        );
        const has = was!.map(bare);
        const { first, last } = planRights({ rights: is! }, has, new Set(['a', 'b', 'c']));
        const between = carried(has, first);
        for (const app of ['a', 'b', 'c'])
          for (const name of ['x', 'y', 'z']) {
            const may = (some: readonly AppRights[]) => fits(of(some, app)?.write ?? '', name);
            expect(may(between)).toBe(may(has) || may(is!));
          }
        const end = carried(between, last);
        expect(end.sort((a, b) => (a.app < b.app ? -1 : 1))).toEqual(
          is!.map(bare).sort((a, b) => (a.app < b.app ? -1 : 1)),
        );
        expect(planRights({ rights: is! }, end, new Set())).toMatchObject({ first: [], last: [], kept: [] });
      }),
      { numRuns: 300, seed: 5 },
    );
  });
  test('what somebody changed by hand to a pattern of their own is put right', () => {
    const has = [{ ...bare(given('a', ['x'])), write: '.*', keys: { x: '^a' } }];
    const { first, last } = planRights({ rights: [given('a', ['x'])] }, has, new Set());
    expect(first[0]!.do === 'give rights' && first[0]!.rights).toMatchObject({
      write: '(?:.*)|(?:^(?:x)\\z)',
      keys: {},
    });
    expect(last[0]).toMatchObject({ do: 'give rights', rights: bare(given('a', ['x'])) });
  });
  test('users that no revision of this topology made are left as they are, and named', () => {
    expect(planRights({ rights: [] }, [bare(given('a', ['x']))], new Set())).toMatchObject({
      first: [],
      last: [],
      kept: ['the user of a'],
    });
  });

  const NONE: Inventory = { exchanges: [], queues: [], bindings: [], rights: [] };
  const topology = read(PORT);
  const wanted = { ...wantedState(topology, 'm'), rights: wantedRights(buildGraph(topology), 'm') };

  test('stand before what needs them, and what takes them after all else', () => {
    const after = buildGraph(topology);
    const planned = planRollout(wanted, NONE);
    const { units } = safeOrder(NONE, planned.steps, { after, broker: 'm' });
    const kinds = units.map(({ step }) => ('rights' in step ? 'rights' : 'way'));
    expect(kinds).toEqual([...kinds].sort());
    expect(kinds.filter((each) => each === 'rights')).toHaveLength(4);
    expect(planned.leftToOthers.map(({ of: who }) => who)).toContain('app:bridge');
    expect(new Set(planned.steps.map(stepId)).size).toBe(planned.steps.length);
    const there = { ...NONE, rights: wanted.rights.rights.map(({ place: _place, ...each }) => each) };
    const gone = planRollout({ exchanges: [], queues: [], bindings: [], leftToOthers: [] }, there, [wanted]);
    expect(gone.steps.map((step) => step.do)).toEqual(Array<string>(4).fill('take rights'));
    expect(gone.steps[0]!.destroys).toContain('cut off');
  });
  test('are not planned where users cannot be seen', () => {
    const { rights: _rights, ...unseen } = NONE;
    expect(planRollout(wanted, unseen).steps.some((step) => 'rights' in step)).toBe(false);
  });
  test('are known to be done, also the first of two after the second', () => {
    const before = bare(given('a', ['x']));
    const { first, last } = planRights({ rights: [given('a', ['y'])] }, [before], new Set());
    const [union, end] = [first[0]!, last[0]!];
    const isSo = (rights: AppRights[]) => doneIn({ ...NONE, rights });
    expect([isSo([before])(union), isSo([before])(end)]).toEqual([false, false]);
    expect([isSo([union.rights])(union), isSo([union.rights])(end)]).toEqual([true, false]);
    expect([isSo([end.rights])(union), isSo([end.rights])(end)]).toEqual([true, true]);
    const takes = { do: 'take rights', rights: before, title: '', risk: 'none' } as const;
    expect([isSo([before])(takes), isSo([])(takes)]).toEqual([false, true]);
  });
  test('what changed since is told, of those it concerns', () => {
    const now = { ...NONE, rights: [bare(given('board', [], ['q'])), bare(given('else', ['x']))] };
    expect(inventoryChanges(wanted, NONE, now)).toEqual(['a user of board is there now']);
    expect(inventoryChanges(wanted, now, NONE)).toEqual(['the user of board is gone']);
    const other = { ...NONE, rights: [bare(given('board', [], ['p']))] };
    expect(inventoryChanges(wanted, now, other)).toEqual(['board may read from p now']);
  });
});

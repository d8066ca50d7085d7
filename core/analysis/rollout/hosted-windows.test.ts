import fc from 'fast-check';
import { message } from '../../conditions/message.ts';
import { buildGraph } from '../../routing/graph.ts';
import { trace } from '../../routing/trace.ts';
import { readTopology } from '../../topology/read.ts';
import { hostedWindows, safeHostedOrder } from './hosted-windows.ts';
import { type HostedThing, planHosted, wantedHosted } from './hosted.ts';

const read = (text: string) => readTopology([{ name: 'a.yaml', text }]);
const head = `
tenant: auklet
messages: { call: { headers: { severity: { type: integer, minimum: 1, maximum: 5 } }, required: [severity] } }
apps: { bridge: { publishes: [ { message: call, to: s/notices } ] } }
`;
const service = (subscriptions: string, access: string) => `${head}
brokers:
  s:
    kind: pubsub
    topics: { notices: { wireName: pa.notices } }
    queues: { loud: { wireName: pa.loud }, all: {} }
    subscriptions: ${subscriptions}
access:
  - { name: bridge, allow: [publish], who: app:bridge, on: s/notices }
${access}`;
const HAND = (queue: string) =>
  `  - { name: hand ${queue}, allow: [publish], who: "topic:s/notices", on: s/${queue} }\n`;

function between(before: string, after: string) {
  const [was, is] = [read(before), read(after)];
  const [had, wants] = [wantedHosted(was, 's')!, wantedHosted(is, 's')!];
  const has = had.things.map(({ place: _place, ...thing }): HostedThing => thing);
  const { steps } = planHosted(wants, has, [had]);
  const told = hostedWindows(has, steps, { before: buildGraph(was), after: buildGraph(is), broker: 's' });
  return { ...told, steps: steps.map(({ title }) => title.split(':')[0]) };
}

test('two subscriptions that change their filters lose between them what both ends deliver', () => {
  const of = (one: string, other: string) =>
    service(
      `{ one: { topic: notices, to: loud, filter: { selector: "severity ${one} 3" } }, other: { topic: notices, to: loud, filter: { selector: "severity ${other} 3" } } }`,
      HAND('loud'),
    );
  const { windows, unproved, steps } = between(of('>', '<='), of('<=', '>'));
  expect(steps).toEqual(['change subscription one', 'change subscription other']);
  expect(unproved).toEqual([]);
  expect(windows).toEqual([
    {
      from: 1,
      until: 1,
      kind: 'missing',
      message: 'call',
      store: 'pa.loud',
      witness: expect.objectContaining({ type: 'call', from: 'bridge', to: 's/notices' }),
    },
  ]);
  expect((windows[0]!.witness['headers'] as { severity: number }).severity).toBeGreaterThan(3);
});

test('a permission that comes before a filter narrows lets messages come where neither end has them', () => {
  const { windows } = between(
    service('{ one: { topic: notices, to: loud } }', ''),
    service('{ one: { topic: notices, to: loud, filter: { selector: "severity > 3" } } }', HAND('loud')),
  );
  expect(windows).toMatchObject([{ from: 1, until: 1, kind: 'extra', store: 'pa.loud' }]);
  expect((windows[0]!.witness['headers'] as { severity: number }).severity).toBeLessThanOrEqual(3);
});

test('where another order keeps every message on its way, that is taken', () => {
  const before = service('{ one: { topic: notices, to: loud } }', '');
  const after = service(
    '{ one: { topic: notices, to: loud, filter: { selector: "severity > 3" } } }',
    HAND('loud'),
  );
  const [was, is] = [read(before), read(after)];
  const had = wantedHosted(was, 's')!;
  const has = had.things.map(({ place: _place, ...thing }): HostedThing => thing);
  const { steps } = planHosted(wantedHosted(is, 's')!, has, [had]);
  const topologies = { before: buildGraph(was), after: buildGraph(is), broker: 's' };
  const found = safeHostedOrder(has, steps, topologies);
  expect(found.windows).toEqual([]);
  expect(found.steps.map(({ thing }) => thing.kind)).toEqual(['subscription', 'statement']);
  // what has to be there first stays first
  const fresh = planHosted(wantedHosted(is, 's')!, [], []).steps;
  expect(safeHostedOrder([], fresh, topologies).steps).toEqual(fresh);
});

test('a message that no class at either end stands for is found by what its filters ask on the way', () => {
  const text = (one: string, other: string) =>
    service(
      `{ one: { topic: notices, to: loud, filter: { selector: "${one}" } }, other: { topic: notices, to: loud, filter: { selector: "${other}" } } }`,
      HAND('loud'),
    ).replace(
      'severity: { type: integer, minimum: 1, maximum: 5 } }, required: [severity]',
      ['a', 'b', 'c', 'd']
        .map((each) => `${each}: { type: integer, minimum: 0, maximum: 1000000 }`)
        .join(', ') + ' }, required: [a, b, c, d]',
    );
  const { windows, unproved } = between(text('a = 170017', 'b <> 230023'), text('c <> 420042', 'd = 990099'));
  expect(unproved).toEqual([]);
  expect(windows).toMatchObject([
    {
      from: 1,
      until: 1,
      kind: 'missing',
      store: 'pa.loud',
      witness: { headers: { a: 170_017, b: 230_023, c: 420_042, d: 990_099 } },
    },
  ]);
});

test('steps that harm nothing have none, and neither have those that begin from nothing', () => {
  const whole = service('{ one: { topic: notices, to: loud }, two: { topic: notices } }', HAND('loud'));
  expect(between(whole, whole.replace('two:', 'three:')).windows).toEqual([]);
  const wants = wantedHosted(read(whole), 's')!;
  const { steps } = planHosted(wants, [], []);
  expect(hostedWindows([], steps, { after: buildGraph(read(whole)), broker: 's' })).toEqual({
    windows: [],
    unproved: [],
  });
});

test('too many states to look at are said', () => {
  const things = Array.from({ length: 300 }, (_, i): HostedThing => ({
    kind: 'queue',
    name: `q${i}`,
    settings: {},
  }));
  const steps = planHosted({ things, unsaid: [] }, [], []).steps;
  expect(hostedWindows([], steps, { after: buildGraph(read(head)), broker: 's' })).toEqual({
    windows: [],
    unproved: [expect.stringContaining('too many states')],
  });
});

/** Makes no aliases, spreads or dead letters; wire names stand above. */
const subscription = fc.record({
  to: fc.constantFrom('loud', 'all', undefined),
  filter: fc.constantFrom('severity > 3', 'severity <= 3', 'severity = 1', undefined),
});
const setup = fc.record({
  one: fc.option(subscription, { nil: undefined }),
  two: fc.option(subscription, { nil: undefined }),
  hands: fc.subarray(['loud', 'all']),
});
type Setup = typeof setup extends fc.Arbitrary<infer T> ? T : never;
const textOf = ({ hands, ...all }: Setup) =>
  service(
    `{ ${(['one', 'two'] as const)
      .flatMap((name) => {
        const each = all[name];
        if (!each) return [];
        const parts = [
          'topic: notices',
          ...(each.to ? [`to: ${each.to}`] : []),
          ...(each.filter ? [`filter: { selector: "${each.filter}" }`] : []),
        ];
        return [`${name}: { ${parts.join(', ')} }`];
      })
      .join(', ')} }`,
    hands.map(HAND).join(''),
  );

test('every message that meets something on the way of any change is in a window, and none is named for nothing', () => {
  fc.assert(
    fc.property(setup, setup, (a, b) => {
      const [before, after] = [textOf(a), textOf(b)];
      const had = wantedHosted(read(before), 's')!;
      const has = had.things.map(({ place: _place, ...thing }): HostedThing => thing);
      const { steps } = planHosted(wantedHosted(read(after), 's')!, has, [had]);
      const { windows } = between(before, after);
      // by brute force, in topologies written anew for each state
      const states = [has];
      for (const { do: what, thing } of steps) {
        const rest = states.at(-1)!.filter(({ kind, name }) => kind !== thing.kind || name !== thing.name);
        states.push(what === 'put' ? [...rest, thing] : rest);
      }
      const stores = (things: HostedThing[], severity: number) => {
        const open = (kind: string) => things.filter((each) => each.kind === kind);
        const allowed = (queue: string) =>
          open('statement').some(({ settings }) => (settings['on'] as string[]).includes(queue));
        if (open('topic').length === 0) return new Set<string>();
        return new Set(
          open('subscription').flatMap(({ name, settings }) => {
            const said = (settings['filter'] as { selector: string } | undefined)?.selector;
            const [, operator, than] = /severity (\S+) (\d)/.exec(said ?? 'severity > 0')!;
            const fits =
              operator === '>'
                ? severity > +than!
                : operator === '<='
                  ? severity <= +than!
                  : severity === +than!;
            const to = settings['to'] as string | undefined;
            return fits && (to === undefined || allowed(to)) ? [to ?? name] : [];
          }),
        );
      };
      const expected = new Set<string>();
      for (let severity = 1; severity <= 5; severity++) {
        const at = states.map((each) => stores(each, severity));
        for (const store of new Set(at.flatMap((each) => [...each])))
          for (let k = 1; k < at.length - 1; k++)
            if (at[0]!.has(store) === at.at(-1)!.has(store) && at[k]!.has(store) !== at[0]!.has(store))
              expected.add(`${k} ${at[0]!.has(store) ? 'missing' : 'extra'} ${store}`);
      }
      const told = new Set(
        windows.flatMap(({ from, until, kind, store }) =>
          Array.from({ length: until - from + 1 }, (_, i) => `${from + i} ${kind} ${store}`),
        ),
      );
      expect(told).toEqual(expected);
    }),
    { numRuns: 60, seed: 3 },
  );
});

test('the topology that is traced on the way is the one that is declared', () => {
  const topology = read(service('{ one: { topic: notices, to: loud } }', HAND('loud')));
  const { rests } = trace(buildGraph(topology), message({ headers: { severity: 1 } }), {
    to: 's/notices',
    from: 'app:bridge',
  }).trace;
  expect(rests.map(({ store }) => store.name)).toEqual(['loud']);
});

/** Steps and windows, held against a broker model that shares no code with core, on random pairs of topologies. */
import fc from 'fast-check';
import { stepsData } from '../../formats/steps.ts';
import { buildGraph } from '../../routing/graph.ts';
import { BrokerModel, type ModelMessage, type ModelStep } from '../../testing/broker-model.ts';
import { entryOf, messagesOf, pair, textOf, wrongIn } from '../../testing/random-rollout.ts';
import { readTopology } from '../../topology/read.ts';
import { safeOrder } from './order.ts';
import { operationsOf, planRollout } from './plan.ts';
import { BrokerState } from './state.ts';
import { Resters, trafficOf } from './traffic.ts';
import { Judge, walk } from './windows.ts';
import { inventoryOf, wantedState } from './wire.ts';

const NOTHING = { exchanges: [], queues: [], bindings: [] };

/** @returns what `vondle steps` would print */
function stepsOf(from: string | undefined, to: string) {
  const read = (text: string) => {
    const topology = readTopology([{ name: 'a', text }]);
    expect(topology.findings.filter(({ severity }) => severity === 'error')).toEqual([]);
    return topology;
  };
  const before = from === undefined ? undefined : read(from);
  const after = read(to);
  const earlier = before ? [wantedState(before, 'm')] : [];
  const has = earlier[0] ? inventoryOf(earlier[0]) : NOTHING;
  const { steps } = planRollout(wantedState(after, 'm'), has, earlier);
  const graphs = { before: before && buildGraph(before), after: buildGraph(after), broker: 'm' };
  return stepsData(safeOrder(has, steps, graphs), 'm');
}

/** @returns what each message that may be sent comes to, in each state */
function statesOf(first: BrokerModel, steps: readonly ModelStep[]): BrokerModel[] {
  const states = [first];
  for (const step of steps) {
    const next = states.at(-1)!.copy();
    next.take(step);
    states.push(next);
  }
  return states;
}

const empty = (to: string): BrokerModel => statesOf(new BrokerModel(), stepsOf(undefined, to).steps).at(-1)!;

test('every step can be taken, the end is what is wanted, and windows are exactly what messages meet', () => {
  fc.assert(
    fc.property(pair, ([before, after]) => {
      const [from, to] = [textOf(before), textOf(after)];
      const { steps, windows, unproved } = stepsOf(from, to);
      expect(unproved).toEqual([]);
      const states = statesOf(empty(from), steps);
      const last = states.at(-1)!;
      expect(last.told()).toBe(empty(to).told());

      const met: string[] = [];
      for (const made of [before, after])
        for (const send of made.sends)
          for (const message of messagesOf(send.message, made.key)) {
            const stores = states.map((state) => state.publish(entryOf(send, made), message));
            const [then, now] = [stores[0]!, stores.at(-1)!];
            for (const [k, here] of stores.entries()) {
              const wrong = wrongIn(then, here, now);
              for (const each of wrong) {
                met.push(`${k} ${each} ${send.message}`);
                const named = windows.some(
                  ({ kind, store, message: type, from: a, until }) =>
                    `${kind} ${store.slice(2)} ${type}` === `${each} ${send.message}` && a <= k && k <= until,
                );
                if (!named) throw new Error(`not named: ${k} ${each} ${JSON.stringify({ send, message })}`);
              }
            }
          }
      for (const { from: a, until, kind, store, message, witness } of windows)
        for (let k = a; k <= until; k++) {
          if (!met.includes(`${k} ${kind} ${store.slice(2)} ${message}`))
            throw new Error(
              `nothing meets the window ${JSON.stringify({ a, until, kind, store, witness })} in ${k}`,
            );
          const made = [before, after].find(({ sends }) =>
            sends.some(
              ({ to: name, message: type }) =>
                type === message && (witness.via || witness.to === `m/${name}`),
            ),
          )!;
          const entry = witness.via
            ? { kind: 'exchange' as const, name: made.mqtt! }
            : entryOf({ message, to: String(witness.to).slice(2) }, made);
          const sent = {
            key: String(witness.key ?? String(witness.topic).replaceAll('/', '.')),
            headers: witness.headers as ModelMessage['headers'],
          };
          const there = (state: BrokerModel) => state.publish(entry, sent).has(store.slice(2));
          expect([there(states[0]!), there(states[k]!), there(last)]).toEqual(
            kind === 'missing' ? [true, false, true] : [false, true, false],
          );
        }
    }),
    { numRuns: Number(process.env['FUZZ'] ?? 150) },
  );
});

describe('an order that harms nothing', () => {
  const broker = (exchanges: string, queues: string, bindings: string) =>
    `messages: { note: { key: "a.{x}", headers: { x: { enum: [p, q] } } } }\napps: { desk: { publishes: [{ message: note, to: m/in }] } }\nbrokers:\n  m:\n    kind: amqp\n    access: open\n    exchanges: { in: { type: topic${exchanges} } }\n    queues: { ${queues} }\n    bindings: [${bindings}]\n`;
  const titles = (steps: ReturnType<typeof stepsOf>['steps']) => steps.map(({ title }) => title);

  test('is found where the usual one has windows: what gets the unrouted is let go first', () => {
    const rest = ', unroutedTo: rest }, rest: { type: fanout ';
    const before = broker(rest, 'q: {}, lost: {}', '{ from: in, to: q, key: "#" }, { from: rest, to: lost }');
    const { steps, windows } = stepsOf(before, broker(rest, 'q: {}', ''));
    // the other way round, what is for q would come to `lost` meanwhile
    expect(windows).toEqual([]);
    expect(titles(steps).indexOf('remove the binding rest → lost')).toBeLessThan(
      titles(steps).indexOf('remove the binding in → q on #'),
    );
  });

  test('a new way is made before the old one goes', () => {
    const { steps, windows } = stepsOf(
      broker('', 'q: {}', '{ from: in, to: q, key: "a.*" }'),
      broker('', 'q: {}', '{ from: in, to: q, key: "#" }'),
    );
    expect(titles(steps)).toEqual(['bind in → q on #', 'remove the binding in → q on a.*']);
    expect(windows).toEqual([]);
  });

  test('where there is none, the window is as short as the replacement, and says what would close it', () => {
    const { steps, windows } = stepsOf(
      broker('', 'q: {}', '{ from: in, to: q, key: "#" }'),
      broker('', 'q: { ttl: 1s }', '{ from: in, to: q, key: "#" }'),
    );
    expect(steps.map(({ do: what, group }) => [what, group])).toEqual([
      ['delete queue', 'replace queue q'],
      ['declare queue', 'replace queue q'],
      ['bind', 'replace queue q'],
    ]);
    expect(windows).toMatchObject([
      {
        from: 1,
        until: 2,
        kind: 'missing',
        store: 'm/q',
        close: expect.stringContaining(
          'let nobody send note to m/in from before step 1 until step 3 is done',
        ),
      },
    ]);
  });

  test('a queue of which one stands for each instance comes and goes with them', () => {
    const with_ = (count: number) =>
      broker('', 'q: { perInstanceOf: desk }', '{ from: in, to: q, key: "#" }').replace(
        'desk: {',
        `desk: { instances: ${count},`,
      );
    expect(titles(stepsOf(with_(1), with_(2)).steps)).toEqual(['declare queue q.2', 'bind in → q.2 on #']);
    expect(titles(stepsOf(with_(2), with_(1)).steps)).toEqual([
      'remove the binding in → q.2 on #',
      'delete the queue q.2',
    ]);
  });

  test('what hangs on what nobody declares is no window: it is told apart', () => {
    const headers = (ttl: string) =>
      `messages: { note: { headers: { x: { type: string, pattern: "^(a|b)+c$" } } } }\napps: { desk: { publishes: [{ message: note, to: m/in }] } }\nbrokers:\n  m:\n    kind: amqp\n    access: open\n    exchanges: { in: { type: headers } }\n    queues: { q: { ${ttl} } }\n    bindings: [{ from: in, to: q, headers: { values: { x: abc } } }]\n`;
    const { windows, unproved } = stepsOf(headers(''), headers('ttl: 1s'));
    // a value that the pattern allows is proved; were it not, it would be told as not
    expect(windows.length + unproved.length).toBe(1);
  });

  test('a way with more states than are looked at says so', () => {
    const bindings = Array.from({ length: 40 }, (_, i) => `{ from: in, to: q, key: "a.${i}" }`).join(', ');
    const rest = ', unroutedTo: in2 }, in2: { type: topic ';
    // q gets both what is bound and what is not: each state has to be looked at
    const whole = '{ from: in2, to: q, key: "#" }';
    const [before, after] = [whole, `${whole}, ${bindings}`].map((each) =>
      readTopology([{ name: 'a', text: broker(rest, 'q: {}', each) }]),
    );
    const has = inventoryOf(wantedState(before!, 'm'));
    const state = new BrokerState(has);
    const { steps } = planRollout(wantedState(after!, 'm'), has);
    const operations = steps.flatMap((step) => operationsOf(step, state));
    const end = new BrokerState(inventoryOf(wantedState(after!, 'm')));
    const resters = new Resters(trafficOf(buildGraph(after!), 'm'), [state, end]);
    const judge = new Judge(resters, resters.in(state), resters.in(end));
    expect(walk(judge, state, operations).complete).toBe(true);
    expect(walk(judge, state, operations, 10).complete).toBe(false);
  });

  test('names and values of any characters are followed as they are', () => {
    const odd = (ttl: string) =>
      `messages: { note: { headers: { "\${y}": { enum: ["$\${z}", w] } } } }\napps: { desk: { publishes: [{ message: note, to: m/in }] } }\nbrokers:\n  m:\n    kind: amqp\n    access: open\n    exchanges: { in: { type: headers, wireName: "a/b:c $\${x}" } }\n    queues: { __proto__: { ${ttl} } }\n    bindings: [{ from: in, to: __proto__, headers: { values: { "\${y}": "$\${z}" } } }]\n`;
    const { windows } = stepsOf(odd(''), odd('ttl: 1s'));
    expect(windows).toMatchObject([
      { from: 1, until: 2, kind: 'missing', store: 'm/__proto__', witness: { headers: { '${y}': '${z}' } } },
    ]);
  });
});

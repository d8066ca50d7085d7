/** The words that say which messages a class has: short, true, and never of a value that nobody asked about. */
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';
import { classesOf, publishesOf } from './classes.ts';

const TYPE = `{ headers: {
  route: { enum: [north, south, outer, west, east, inner, far, near] },
  level: { type: integer, minimum: 0, maximum: 900 },
  hour: { type: integer, minimum: 0, maximum: 23 },
  rate: { type: number },
  late: { type: boolean },
  ship: { type: string },
  free: { type: string },
  maybe: { enum: [yes, no] },
  nothing: { enum: [null, "", 0] } }, required: [route, level, hour, rate, late, ship, nothing] }`;

/** What is said of the messages that a filter lets through, and of the others. */
function said(filter: string): readonly [through: string, others: string] {
  const graph = buildGraph(
    readTopology([
      {
        name: 'a.yaml',
        text: `messages: { note: ${TYPE} }
apps: { one: { publishes: [{ message: note, to: p/in }] } }
brokers: { p: { kind: pubsub, access: open, topics: { in: {} }, subscriptions: { s: { topic: in, filter: ${filter} } } } }
`,
      },
    ]),
  );
  expect(graph.topology.findings).toEqual([]);
  const { classes } = classesOf(graph, publishesOf(graph)[0]!);
  const when = (stores: number) =>
    classes.find(({ outcome }) => outcome.stores.length === stores)?.when ?? '';
  return [when(1), when(0)];
}

test.each([
  ['{ match: { route: north } }', 'route is north', 'route is not north'],
  ['{ selector: "route <> \'north\'" }', 'route is not north', 'route is north'],
  ["{ selector: \"route IN ('north', 'south')\" }", 'route is north or south', 'route is not north or south'],
  // of many the first are named, and the rest counted
  ["{ selector: \"route NOT IN ('near', 'far')\" }", 'route is not far or near', 'route is far or near'],
  ['{ selector: "level > 600" }', 'level is 601 to 900', 'level is 0 to 600'],
  ['{ selector: "level >= 600" }', 'level is 600 to 900', 'level is 0 to 599'],
  ['{ selector: "level = 5" }', 'level is 5', 'level is not 5'],
  ['{ selector: "level BETWEEN 10 AND 20" }', 'level is 10 to 20', 'level is not 10 to 20'],
  ['{ selector: "hour < 6 OR hour >= 22" }', 'hour is not 6 to 21', 'hour is 6 to 21'],
  ['{ selector: "rate > 1.5" }', 'rate is over 1.5', 'rate is 1.5 or less'],
  [
    '{ selector: "rate >= 1 AND rate < 2" }',
    'rate is 1 or more and under 2',
    'rate is not 1 or more and under 2',
  ],
  ['{ selector: "late" }', 'late is true', 'late is false'],
  ['{ selector: "maybe IS NULL" }', 'maybe is missing', 'maybe is not missing'],
  ['{ selector: "maybe = \'yes\'" }', 'maybe is yes', 'maybe is not yes'],
  ['{ match: { ship: auk } }', 'ship is auk', 'ship is not auk'],
  ['{ selector: "ship LIKE \'a%\'" }', 'ship begins with a', 'ship does not begin with a'],
  ['{ selector: "ship NOT LIKE \'%a\'" }', 'ship does not end with a', 'ship ends with a'],
  ['{ selector: "ship LIKE \'a_c%\'" }', 'ship is like “a_c%”', 'ship is not like “a_c%”'],
  ['{ prefix: { free: a } }', 'free begins with a', 'free is missing or does not begin with a'],
  [
    "{ selector: \"ship LIKE 'a%' AND ship LIKE '%b'\" }",
    'ship is such as “ab”',
    'ship is any other, such as “a” or such as “b”',
  ],
  ['{ selector: "nothing = \'\'" }', 'nothing is empty', 'nothing is not empty'],
  [
    '{ selector: "route = \'north\' AND level > 600" }',
    'route is north and level is 601 to 900',
    'route is not north; or route is north and level is 0 to 600',
  ],
  ['{ selector: "level >= 0" }', 'always', ''],
])('%s: %s, and else %s', (filter, through, others) => {
  const [first, second] = said(filter);
  expect([first, second]).toEqual([through, others]);
});

test('of many ways to be in a class some are told, and that there are more', () => {
  const [, others] = said(
    "{ selector: \"(route = 'north' AND hour = 1) OR (route = 'south' AND hour = 2) OR (route = 'outer' AND hour = 3) OR (route = 'west' AND hour = 4) OR (route = 'east' AND hour = 5)\" }",
  );
  expect(others.split('; or ').length).toBeLessThanOrEqual(5);
  expect(others).toContain('; or otherwise');
});

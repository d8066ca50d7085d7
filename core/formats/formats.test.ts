import { review } from '../analysis/checks/review.ts';
import { message } from '../conditions/message.ts';
import { findingsData, findingsText, toSarif } from './findings.ts';
import { graphData, toDot, toGraphml } from './graph/index.ts';
import { traceData, traceText } from './trace.ts';
import { buildGraph } from '../routing/graph.ts';
import { trace } from '../routing/trace.ts';
import { locator, readTopology } from '../topology/read.ts';

const TEXT = `apps:
  desk: { consumes: [ { from: m/boards } ] }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic, unroutedTo: "say \\"no\\" & <go>" }, "say \\"no\\" & <go>": { type: fanout } }
    queues: { boards: { ttl: 1m }, lonely: {} }
    bindings: [ { from: in, to: boards, key: "b.*" } ]
  s:
    kind: pubsub
    topics: { t: {} }
    subscriptions: { k: { topic: t, filter: { selector: "n > 3" } } }
`;
const topology = readTopology([{ name: 'docs/a b.yaml', text: TEXT }]);
const graph = buildGraph(topology);
const locate = locator(topology);
const { findings } = review(topology);

test('findings as text, one a line, with line and column', () => {
  expect(topology.findings).toEqual([]);
  const lines = findingsText(findings, locate, 1).trimEnd().split('\n');
  expect(lines).toEqual([
    expect.stringMatching(/^docs\/a b\.yaml:7:72 warning: m\/say .* \[nowhere\/unserved-entry\]$/),
    expect.stringMatching(
      /^docs\/a b\.yaml:8:36 warning: Nothing leads to m\/lonely: .* \[nowhere\/unreachable-store\]$/,
    ),
    expect.stringMatching(
      /^docs\/a b\.yaml:13:22 warning: Nobody takes from s\/k: .* \[nowhere\/untaken-store\]$/,
    ),
  ]);
  expect(findingsText([], locate, 1)).toBe('no findings in 1 document\n');
  expect(findingsText([], locate, 12)).toBe('no findings in 12 documents\n');
});

test('findings as data and as SARIF speak of the same places', () => {
  const data = findingsData(findings, locate);
  const log = toSarif(findings, locate) as {
    runs: {
      results: {
        message: { text: string };
        level: string;
        locations: {
          physicalLocation: {
            artifactLocation: { uri: string };
            region: { startLine: number; startColumn: number };
          };
        }[];
      }[];
      tool: { driver: { rules: { id: string; fullDescription?: { text: string } }[] } };
    }[];
  };
  const [run] = log.runs;
  run!.results.forEach((result, i) => {
    const { artifactLocation, region } = result.locations[0]!.physicalLocation;
    expect(artifactLocation.uri).toBe('docs/a%20b.yaml');
    expect([region.startLine, region.startColumn]).toEqual([data[i]!.line, data[i]!.column]);
    expect(result.message.text).toBe(data[i]!.message);
    expect(result.level).toBe('warning');
  });
  expect(run!.tool.driver.rules.every((rule) => rule.fullDescription?.text)).toBe(true);
});

test('the graph as data names every node and edge once', () => {
  const { nodes, edges } = graphData(graph);
  expect(new Set(nodes.map(({ id }) => id)).size).toBe(nodes.length);
  expect(new Set(edges.map(({ id }) => id)).size).toBe(edges.length);
  for (const edge of edges)
    expect(nodes.map(({ id }) => id)).toEqual(expect.arrayContaining([edge.from, edge.to]));
  expect(edges.find(({ kind }) => kind === 'subscription')!.label).toBe('k: n > 3');
});

test('names with quotes and brackets are kept in DOT and GraphML', () => {
  expect(toDot(graph)).toContain(
    '"exchange:m/say \\"no\\" & <go>" [label="say \\"no\\" & <go>", shape=ellipse];',
  );
  const xml = toGraphml(graph);
  expect(xml).toContain('<node id="exchange:m/say &quot;no&quot; &amp; &lt;go&gt;">');
  // every tag that is opened is closed, and nothing raw is left
  const tags = [...xml.matchAll(/<(\/?)([a-z]+)([^<>]*?)(\/?)>/g)];
  const open: string[] = [];
  for (const [, closing, name, , alone] of tags) {
    if (alone) continue;
    if (closing) expect(open.pop()).toBe(name);
    else open.push(name!);
  }
  expect(open).toEqual([]);
});

describe('a trace', () => {
  const of = (to: string, key: string, reason?: Parameters<typeof traceData>[4]) =>
    traceData(graph, trace(graph, message({ key }), { to }).trace, 7, locate, reason);

  test('as data keeps the promise of the command line', () => {
    expect(of('m/in', 'b.x')).toEqual({
      index: 7,
      stores: [{ at: 'm/boards', kind: 'queue', copies: 1, takers: ['app:desk'] }],
      ends: [{ outcome: 'taken', at: 'm/boards', why: 'taken by desk', copies: 1 }],
      hops: [
        { at: 'm/in', depth: 0, by: 'publish', why: 'published here', copies: 1, key: 'b.x' },
        {
          at: 'm/boards',
          depth: 1,
          by: 'binding',
          why: '`b.*` matches `b.x`',
          copies: 1,
          key: 'b.x',
          place: 'docs/a b.yaml:9:17',
        },
      ],
    });
  });

  test('tells what is lost, and what is given up', () => {
    expect(of('m/in', 'z').ends).toMatchObject([{ outcome: 'lost', at: 'm/say "no" & <go>' }]);
    expect(of('m/in', 'b.x', 'expired')).toMatchObject({
      stores: [],
      ends: [{ outcome: 'lost', at: 'm/boards' }],
    });
    // a reason a store does not have leaves its copies alone
    expect(of('m/in', 'b.x', 'overflow').stores).toHaveLength(1);
    expect(of('none/x', 'k').ends).toMatchObject([{ outcome: 'unresolved', at: 'none/x' }]);
  });

  test('as text reads from top to bottom', () => {
    expect(traceText(of('m/in', 'b.x'))).toBe(
      'message 7\n  rests in m/boards: 1 copy, taken by app:desk\n    m/in: published here\n      m/boards: `b.*` matches `b.x` (docs/a b.yaml:9:17)\n',
    );
    expect(traceText(of('m/in', 'z'))).toContain('lost at m/say "no" & <go>: no binding of');
  });
});

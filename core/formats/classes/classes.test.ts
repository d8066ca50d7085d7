import type { ClassOutcome, PublishClasses } from '../../analysis/classes/classes.ts';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';
import {
  changesInWords,
  changesOf,
  classesOf,
  publishPairs,
  publishesOf,
} from '../../analysis/classes/classes.ts';
import {
  cellText,
  changeSentence,
  changeText,
  classData,
  classesCsv,
  classesText,
  endsText,
  matrixCsv,
  matrixMarkdown,
  outcomeText,
  routeData,
  routesMarkdown,
  shareText,
  storesOf,
} from './index.ts';

/** An outcome in short: `a` rests and is taken, `a*2` in two copies, `?a` one of several, `held a`, `lost a`. */
function outcome(...items: string[]): ClassOutcome {
  const stores: ClassOutcome['stores'][number][] = [];
  const ends: ClassOutcome['ends'][number][] = [];
  for (const item of items) {
    const [, how, name, times] = /^(?:(held|lost|refused|waiting) |(?=[?\w]))(\??\w+)(?:\*(\d+))?$/.exec(
      item,
    )!;
    const at = name!.replace('?', '');
    if (how === undefined || how === 'held' || how === 'waiting')
      stores.push({
        at,
        copies: Number(times ?? 1),
        ...(name!.startsWith('?') ? { oneOf: 'spread:w' } : {}),
      });
    ends.push({ outcome: (how ?? 'taken') as 'taken', at });
  }
  return { stores, ends };
}

test.each([
  [['a'], ['a', 'b'], 'now reach b'],
  [['a', 'b'], ['a'], 'no longer reach b'],
  [['a'], ['b'], 'no longer reach a and now reach b'],
  [['a'], ['a*3'], 'reach a in 3 instead of 1'],
  [['a', '?b'], ['a', 'b'], 'reach b in 1 instead of one of'],
  [['a'], ['a', 'refused b'], 'are now refused at b'],
  [['a', 'lost b'], ['a'], 'are no longer lost at b'],
  [['a'], ['lost b'], 'no longer reach a and are now lost at b'],
  [['a'], ['held a'], 'are now held at a'],
  [['held a'], ['a'], 'are now taken at a'],
  [['a', 'b', 'c', 'd', 'e', 'f'], ['a'], 'no longer reach b, c, d and 2 more'],
])('%j and then %j: they %s', (before, after, words) =>
  expect(changeText(outcome(...before), outcome(...after))).toBe(words),
);

test('what is published no more, or is new, is told with where it went or goes', () => {
  expect(changeText(null, outcome('a'))).toBe('are new: a');
  expect(changeText(outcome('a', 'lost b'), null)).toBe('are published no more: a, lost at b until now');
});

test('outcomes, shares and cells in words', () => {
  expect(outcomeText(outcome('a', 'b*2', '?c', 'lost d'))).toBe('a, b ×2, c (one of spread:w), lost at d');
  expect(outcomeText(outcome())).toBe('nothing becomes of it');
  expect(outcomeText(null)).toBe('nobody publishes it');
  expect(endsText(outcome('a', 'lost b', 'refused c'))).toBe('lost at b; refused at c');
  expect(['a', 'b', 'c', 'd'].map((at) => cellText(outcome('a', 'b*2', '?c'), at))).toEqual([
    '1',
    '2',
    'one of',
    '',
  ]);
  expect(shareText({ share: { messages: 240, of: 1240 } })).toBe('240 of 1,240');
  expect(shareText({ share: { messages: 1240, of: 1240 } })).toBe('all 1,240');
  expect(shareText({ share: null })).toBe('some');
});

const graphOf = (filter: string) =>
  buildGraph(
    readTopology([
      {
        name: 'a.yaml',
        text: `messages: { note: { headers: { h: { enum: ["x|y", z] }, o: { type: string } }, required: [h] } }
apps: { one: { publishes: [{ message: note, to: p/in }] }, two: { consumes: [{ from: p/s }] } }
brokers: { p: { kind: pubsub, access: open, topics: { in: {} }, subscriptions: { s: { topic: in, filter: ${filter} }, all: { topic: in } } } }
`,
      },
    ]),
  );
const classesIn = (filter: string): PublishClasses => {
  const graph = graphOf(filter);
  return classesOf(graph, publishesOf(graph)[0]!);
};

describe('of a topology', () => {
  const told = classesIn('{ match: { h: "x|y" } }');

  test('classes are told as data, in a text, as CSV and as tables', () => {
    expect(classData(told)).toMatchObject([
      {
        message: 'note',
        share: null,
        proved: true,
        when: 'h is x|y',
        stores: [
          { at: 'p/all', copies: 1 },
          { at: 'p/s', copies: 1 },
        ],
        witness: { type: 'note', from: 'one', to: 'p/in', headers: { h: 'x|y' } },
      },
      { when: 'h is z', stores: [{ at: 'p/all', copies: 1 }] },
    ]);
    expect(classesText(told)).toBe(
      'note from one to p/in\n  some: h is x|y\n    → p/all, p/s\n  some: h is z\n    → p/all\n',
    );
    expect(classesCsv(told).split('\r\n')[0]).toBe(
      'note,one,p/in,,,,true,h is x|y,p/all 1; p/s 1,held at p/all; taken at p/s,"{""type"":""note"",""from"":""one"",""to"":""p/in"",""key"":"""",""headers"":{""h"":""x|y""},""properties"":{}}"',
    );
    expect(storesOf([told])).toEqual(['p/all', 'p/s']);
    expect(matrixCsv([told]).split('\r\n').slice(0, 2)).toEqual([
      'message,from,to,messages,which,p/all,p/s,otherwise,proved',
      'note,one,p/in,some,h is x|y,1,1,,yes',
    ]);
    // what stands between cells of Markdown stands for itself
    expect(matrixMarkdown([told])).toBe(
      '| message | from | to | messages | which | p/all | p/s | otherwise | proved |\n| --- | --- | --- | --- | --- | --- | --- | --- | --- |\n| note | one | p/in | some | h is x\\|y | 1 | 1 |  | yes |\n| note | one | p/in | some | h is z | 1 |  |  | yes |\n',
    );
  });

  test('what is not proved says why', () => {
    const open = classesIn('{ selector: "o = h" }');
    expect(classData(open).map(({ proved }) => proved)).toEqual([false, false]);
    expect(classesText(open)).toContain('    not proved: o = h: it cannot be told from what is declared');
    expect(matrixCsv([open])).toContain('no: o = h: it cannot be told from what is declared');
  });

  test('what a change does to messages is told by what differs, and by before and after', () => {
    const [before, after] = [graphOf('{ match: { h: "x|y" } }'), graphOf('{ match: { h: z } }')];
    const [pair] = publishPairs(before, after);
    expect(changesInWords(before, after, pair!, changeText).map(changeSentence)).toEqual([
      'Some note messages from one to p/in no longer reach p/s: those where h is x|y',
      'Some note messages from one to p/in now reach p/s: those where h is z',
    ]);
    const routes = changesOf(before, after, pair!).map(routeData);
    expect(routes).toMatchObject([
      { message: 'note', when: 'h is x|y', before: { stores: [{ at: 'p/all' }, { at: 'p/s' }] } },
      { message: 'note', when: 'h is z', after: { stores: [{ at: 'p/all' }, { at: 'p/s' }] } },
    ]);
    expect(routesMarkdown(routes)).toContain(
      '| note from one to p/in | some | h is x\\|y | p/all, p/s | p/all |',
    );
    expect(routesMarkdown([])).toBe('No message goes elsewhere.\n');
  });
});

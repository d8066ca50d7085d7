import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { answerInWords, askAccess } from './ask.ts';
import { labelsOf, reachOfLabel } from './label.ts';
import { callersOf, cellsOf, subjectsOf } from './matrix.ts';
import { allowNeeds, needTitle, needsOfRoute } from './route.ts';
import { usageOf } from './usage.ts';
import { arrivalsIn } from '../classes/arrivals.ts';
import { type TextDocument, applyEdits } from '../../base/edits.ts';
import { matrixCsv } from '../../formats/csv/matrix.ts';
import { addressOf } from '../../language/thing.ts';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';

const path = join(__dirname, '../../../demo/draft');
const demo: TextDocument[] = readdirSync(path)
  .sort()
  .map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }));
const graphOf = (documents: readonly TextDocument[]) => buildGraph(readTopology(documents));
const graph = graphOf(demo);
const cells = cellsOf(graph, usageOf(graph), callersOf(graph), subjectsOf(graph));
const cell = (who: string, action: string, on: string) =>
  cells.find((each) => each.who.id === who && each.action === action && addressOf(each.on) === on);

describe('the matrix', () => {
  test('says what is needed, missing and allowed beyond need, each with its reason', () => {
    expect(cell('app:departure-board', 'consume', 'mainland/boards')).toMatchObject({
      state: 'needed',
      tenant: 'auklet',
      why: '“our apps on the mainland” allows it',
    });
    expect(cell('topic:shore/notices', 'publish', 'shore/texting-in')).toMatchObject({
      state: 'missing',
      why: 'no statement lets topic:shore/notices publish into shore/texting-in',
    });
    expect(cell('app:archive', 'consume', 'mainland/boards')).toMatchObject({ state: 'unused', needs: [] });
    expect(cell('app:auditor', 'browse', 'shore/parked')).toMatchObject({
      state: 'unused',
      why: '“night desk reads” allows it',
    });
    expect(cell('app:customs-liaison', 'publish', 'mainland/freight')).toBeUndefined();
    expect(cells.filter(({ state }) => state === 'missing')).toHaveLength(1);
  });

  test('agrees with what each single question is answered', () => {
    for (const { who, action, on, state } of cells) {
      if (who.kind === 'topic' || who.kind === 'link') continue;
      const asked = askAccess(graph, { who: who.id, action, on: on.id });
      expect([who.id, action, on.id, asked.ok && asked.decision.allowed]).toEqual([
        who.id,
        action,
        on.id,
        state !== 'missing',
      ]);
    }
  });

  test('is exported as CSV', () => {
    const lines = matrixCsv(cells).split('\r\n');
    expect(lines[0]).toBe('who,tenant,action,on,owner,state,why,needed because');
    expect(lines).toContain(
      'topic:shore/notices,auklet,publish,shore/texting-in,auklet,missing,no statement lets topic:shore/notices publish into shore/texting-in,subscription texting hands messages to it',
    );
    expect(lines).toHaveLength(cells.length + 2);
  });
});

describe('a question', () => {
  const ask = (who: string, on: string, more: object = {}) =>
    askAccess(graph, { who, action: 'consume', on, ...more });
  test('is answered with the statement, or the lack of one', () => {
    const yes = ask('tenant:northquay', 'shore/quay-closures');
    expect(
      yes.ok &&
        answerInWords(
          { who: 'tenant:northquay', action: 'consume', on: 'shore/quay-closures' },
          yes.decision,
        ),
    ).toBe('Yes: tenant:northquay may consume from shore/quay-closures; “harbour control reads” allows it.');
    const no = ask('tenant:northquay', 'mainland/boards');
    expect(no.ok && no.decision).toMatchObject({ allowed: false });
    expect(ask('app:nobody', 'mainland/boards')).toEqual({ ok: false, message: 'There is no app:nobody.' });
    expect(ask('app:archive', 'mainland/nothing')).toMatchObject({ ok: false });
    expect(ask('somebody', 'mainland/boards')).toMatchObject({ ok: false });
  });

  test('may say how the caller is connected, and with which key', () => {
    const text = `brokers: { m: { kind: amqp, queues: { q: {} } } }
apps: { a: {} }
access:
  - { name: secret, allow: [consume], who: app:a, on: m/q, when: { encrypted: true, key: "x.#" } }
`;
    const small = graphOf([{ name: 'a.yaml', text }]);
    const over = (encrypted: boolean, key: string) =>
      askAccess(small, { who: 'app:a', action: 'consume', on: 'm/q', encrypted, key });
    expect(
      [over(true, 'x.y'), over(false, 'x.y'), over(true, 'y')].map(
        (each) => each.ok && each.decision.allowed,
      ),
    ).toEqual([true, false, false]);
  });
});

describe('labels', () => {
  test('name every app that takes such data, or may', () => {
    expect(labelsOf(graph)).toEqual(['operational', 'safety', 'financial', 'personal']);
    const reach = reachOfLabel(graph, arrivalsIn(graph), 'personal');
    const takes = reach.filter((each) => each.takes).map(({ app, store }) => `${app} ${addressOf(store)}`);
    expect(takes.sort()).toEqual(['manifest-builder islet/manifests', 'manifest-builder mainland/manifests']);
    expect(reach.some(({ tenant }) => tenant !== 'auklet')).toBe(false);
    const financial = reachOfLabel(graph, arrivalsIn(graph), 'financial');
    expect(financial.find(({ app, takes }) => app === 'fareworks-settlement' && takes)).toMatchObject({
      takes: true,
      allowed: true,
      cleared: true,
      types: ['fare-refunded'],
    });
    // who may, without taking, is let in by the statement for everyone
    expect(
      financial.find(({ app, store }) => app === 'customs-liaison' && store.name === 'audit'),
    ).toMatchObject({ takes: false, cleared: false });
  });
});

describe('a route', () => {
  test('needs the permission of every hop, and is given what is missing', () => {
    const needs = needsOfRoute(graph, 'duty-officer', 'closure-announced');
    expect(needs.map(needTitle)).toEqual(
      expect.arrayContaining([
        'duty-officer publishes to mainland/sailings',
        'duty-officer publishes to shore/notices',
        'shore/notices publishes to shore/texting-in',
        'passenger-texting consumes from shore/texting-in',
        'islet-down consumes from mainland/to-islet',
        'islet-down publishes to islet/inbox',
        'islet-desk consumes from islet/desk',
      ]),
    );
    const edited = allowNeeds(graph.topology, graph, needs);
    if (!edited.ok) throw new Error(edited.message);
    const after = graphOf(applyEdits(demo, edited.edits));
    expect(usageOf(after).unmet).toEqual([]);
    expect(
      allowNeeds(after.topology, after, needsOfRoute(after, 'duty-officer', 'closure-announced')),
    ).toMatchObject({ ok: false });
  });

  test('gives, on a broker without statements, exactly what every message of it needs', () => {
    const documents = demo.map(({ name, text }) => ({
      name,
      text: text.replace(/\naccess:\n(?:[ #-].*\n|\n(?= ))*/g, '\n').replace(/^access:\n(?:[ #-].*\n)*/, ''),
    }));
    const bare = graphOf(documents);
    expect(bare.topology.declared.access).toBeUndefined();
    const needs = needsOfRoute(bare, 'freight-desk', 'freight-booked');
    const edited = allowNeeds(bare.topology, bare, needs);
    if (!edited.ok) throw new Error(edited.message);
    const after = graphOf(applyEdits(documents, edited.edits));
    expect(after.topology.findings).toEqual([]);
    const { unmet } = usageOf(after);
    expect(
      needsOfRoute(after, 'freight-desk', 'freight-booked').filter((need) => unmet.includes(need)),
    ).toEqual([]);
    expect(unmet.length).toBeGreaterThan(10);
  });
});

/** Edits of what has no name to be found by: bindings, statements, publishes. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Edited, type TextDocument, applyEdits } from '../../base/edits.ts';
import { removeItem, replaceItem, setIn } from './edit.ts';
import type { Place } from '../place.ts';
import { readTopology } from '../../topology/read.ts';
import type { Topology } from '../../topology/topology.ts';

const path = join(__dirname, '../../../demo/draft');
const demo: TextDocument[] = readdirSync(path)
  .sort()
  .map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }));
const topology = readTopology(demo);

/** Everything in the demo that stands in a list, by what it is. */
function itemsOf({ declared }: Topology): readonly (readonly [string, Place])[] {
  const apps = [...(declared.apps?.values() ?? [])].flatMap(({ name, value }) =>
    [...(value.publishes?.items ?? []), ...(value.consumes?.items ?? [])].map(
      (each) => [`a way of ${name}`, each.place] as const,
    ),
  );
  const bindings = [...(declared.brokers?.values() ?? [])].flatMap(({ name, value }) =>
    value.variant === 'amqp'
      ? (value.bindings?.items ?? []).map((each) => [`a binding of ${name}`, each.place] as const)
      : [],
  );
  const statements = (declared.access?.items ?? []).map(
    (each) => [`statement ${each.name?.value}`, each.place] as const,
  );
  return [...apps, ...bindings, ...statements];
}
const items = itemsOf(topology);

function after(edited: Edited): { documents: TextDocument[]; read: Topology } {
  if (!edited.ok) throw new Error(edited.message);
  const documents = applyEdits(demo, edited.edits);
  return { documents, read: readTopology(documents) };
}
/** How many lines are not what they were. */
const changed = (documents: readonly TextDocument[]) =>
  documents.flatMap(({ text }, i) => {
    const before = new Set(demo[i]!.text.split('\n'));
    return text.split('\n').filter((line) => !before.has(line));
  });

test('there is something to try', () => expect(items.length).toBeGreaterThan(70));

describe.each(items)('%s', (_, place) => {
  test('is given a key, and nothing else changes', () => {
    const { documents, read } = after(
      setIn(topology, place, ['accept'], [{ check: 'match/always', because: 'so' }]),
    );
    expect(read.findings).toEqual([]);
    expect(changed(documents).join('\n')).toContain('check: match/always');
    expect(changed(documents).length).toBeLessThan(3);
    // written again it is the same, not twice
    const again = readTopology(documents);
    expect(itemsOf(again)).toHaveLength(items.length);
  });

  test('is taken away whole, and its neighbours stay', () => {
    const { read } = after(removeItem(topology, place));
    expect(itemsOf(read)).toHaveLength(items.length - 1);
    expect(read.findings.filter(({ check }) => check === 'language/syntax')).toEqual([]);
  });

  test('gives its place to others', () => {
    const at = { name: 'first', allow: ['publish'], who: 'app:x', on: 'm/x' };
    const edited = replaceItem(topology, place, [at, { ...at, name: 'second' }]);
    const { documents, read } = after(edited);
    expect(read.findings.filter(({ check }) => check === 'language/syntax')).toEqual([]);
    const text = documents.map((each) => each.text).join('');
    expect(text).toContain('name: first');
    expect(text).toContain('name: second');
    expect(changed(documents).length).toBeLessThan(3);
  });
});

test('inside an item, keys are followed as far as they lead', () => {
  const place = topology.declared.access!.items.find(({ when }) => when)!.place;
  const { documents, read } = after(setIn(topology, place, ['when', 'encrypted'], true));
  expect(read.findings).toEqual([]);
  expect(changed(documents)[0]).toMatch(/when: \{ tenant: \w+, encrypted: true \}/);
});

test('what cannot be edited says why', () => {
  const nowhere = { doc: 'none.yaml', from: 0, to: 1 };
  for (const edited of [
    setIn(topology, nowhere, ['a'], 1),
    removeItem(topology, nowhere),
    replaceItem(topology, nowhere, [{}]),
  ])
    expect(edited).toMatchObject({ ok: false, message: expect.stringMatching(/./) });
  expect(removeItem(topology, { doc: 'messages.yaml', from: 0, to: 6 })).toMatchObject({ ok: false });
});

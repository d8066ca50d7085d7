import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { applyEdits } from '../../base/edits.ts';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';
import { TABLES, type TableKind, changeCells, tableOf, tableSizes, tableText } from './tables.ts';

const folder = join(__dirname, '../../../demo/draft');
const documents = readdirSync(folder).map((name) => ({
  name,
  text: readFileSync(join(folder, name), 'utf8'),
}));
const topology = readTopology(documents);
const graph = buildGraph(topology);
const cell = (kind: TableKind, id: string, column: string, of = graph) => {
  const { columns, rows } = tableOf(of, kind);
  return rows.find((row) => row.id === id)?.cells[columns.findIndex(({ name }) => name === column)];
};

/** Changes cells, and gives what is then in them and the lines of the text that are new. */
function change(kind: TableKind, rows: readonly string[], column: string, text: string) {
  const edited = changeCells(topology, kind, rows, column, text);
  if (!edited.ok) throw new Error(edited.message);
  const after = applyEdits(documents, edited.edits);
  const then = buildGraph(readTopology(after));
  const lines = new Set(documents.flatMap((each) => each.text.split('\n')));
  return {
    cells: rows.map((row) => cell(kind, row, column, then)),
    fresh: after.flatMap((each) => each.text.split('\n')).filter((line) => !lines.has(line)),
    findings: then.topology.findings,
  };
}

test('everything declared is in its table, with settings as they are written', () => {
  const sizes = tableSizes(topology);
  for (const kind of TABLES) {
    const { columns, rows } = tableOf(graph, kind);
    expect([kind, rows.length]).toEqual([kind, sizes[kind]]);
    expect(new Set(rows.map(({ id }) => id)).size).toBe(rows.length);
    for (const { cells } of rows) expect(cells.length).toBe(columns.length);
  }
  expect(cell('queue', 'queue:mainland/boards', 'taken by')).toBe('departure-board');
  expect(cell('queue', 'queue:mainland/boards', 'perInstanceOf')).toBe('departure-board');
  expect(cell('exchange', 'exchange:mainland/sailings', 'type')).toBe('topic');
  expect(cell('app', 'departure-board', 'takes from')).toBe('mainland/boards');
});

test('a cell that is empty says what holds', () => {
  const { columns } = tableOf(graph, 'queue');
  expect(columns.find(({ name }) => name === 'durable')).toMatchObject({
    otherwise: '`true`',
    editable: true,
  });
  expect(columns.find(({ name }) => name === 'taken by')).toMatchObject({ editable: false });
});

test('one setting of many rows is one change, and nothing else of the text changes', () => {
  const rows = tableOf(graph, 'queue')
    .rows.slice(0, 3)
    .map(({ id }) => id);
  const { cells, fresh, findings } = change('queue', rows, 'maxDeliveries', '7');
  expect(cells).toEqual(['7', '7', '7']);
  expect(fresh.every((line) => /maxDeliveries: 7/.test(line))).toBe(true);
  expect(findings.length).toBe(topology.findings.length);
  const back = change('queue', rows, 'deadLetter.to', '');
  expect(back.cells).toEqual(['', '', '']);
});

test('lists and pairs are written with commas between, and things without a name by their place', () => {
  expect(change('permission', ['0', '1'], 'allow', 'publish, browse').cells).toEqual([
    'publish, browse',
    'publish, browse',
  ]);
  expect(change('permission', ['0'], 'when.encrypted', 'true').cells).toEqual(['true']);
  expect(change('tenant', ['northquay'], 'clears', 'personal').cells).toEqual(['personal']);
  const [binding] = tableOf(graph, 'binding').rows;
  expect(change('binding', [binding!.id], 'key', 'a.#').fresh).toEqual([expect.stringContaining('a.#')]);
  expect(change('binding', [binding!.id], 'headers.values', 'hazard: true, ship').cells).toEqual([
    'hazard: true, ship: null',
  ]);
});

test('what a kind of broker has no word for is not stated, and not written', () => {
  expect(cell('queue', 'queue:mainland/boards', 'lease')).toBeNull();
  expect(cell('queue', 'queue:shore/parked', 'lease')).toBe('');
  const refused = changeCells(
    topology,
    'queue',
    ['queue:shore/parked', 'queue:mainland/boards'],
    'lease',
    '30s',
  );
  expect(refused).toEqual({
    ok: false,
    message: expect.stringContaining('mainland/boards cannot state `lease`'),
  });
});

test('what cannot be written is refused, and what is there already changes nothing', () => {
  expect(changeCells(topology, 'queue', ['queue:mainland/boards'], 'taken by', 'x')).toMatchObject({
    ok: false,
  });
  expect(changeCells(topology, 'exchange', ['exchange:mainland/sailings'], 'type', 'topic')).toEqual({
    ok: true,
    edits: [],
  });
  expect(changeCells(topology, 'queue', ['queue:nowhere/none'], 'ttl', '1s')).toEqual({
    ok: true,
    edits: [],
  });
});

test('as text with commas, cells are quoted where they must be and never reckoned with', () => {
  const columns = ['a', 'b'].map((name) => ({ name, about: '', editable: false }));
  const rows = [{ id: '', thing: '', place: { doc: '', from: 0, to: 0 }, cells: ['x, "y"', '=1+1'] }];
  expect(tableText({ columns, rows })).toBe('a,b\r\n"x, ""y""",\'=1+1\r\n');
  expect(tableText(tableOf(graph, 'queue')).split('\r\n').length).toBe(tableSizes(topology).queue + 2);
});

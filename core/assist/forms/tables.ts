/** Everything that is declared as tables, one a kind: settings in columns, and the edits that change cells of many rows at once. */
import { type Writable, fieldsOf } from './fields.ts';
import { wordsAt } from '../settings.ts';
import { nodeName } from '../words.ts';
import { nodesOfThing } from '../hover.ts';
import type { Edited } from '../../base/edits.ts';
import { kindOf, shapeOf } from '../../brokers/kinds.ts';
import type { List, Shape } from '../../language/shape.ts';
import { type Thing, type ThingKind, addressOf, thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { removeAt, removeIn, setAt, setIn, setText, wordOf } from '../../syntax/edit/edit.ts';
import { type Proved, isProved, together } from '../../syntax/edit/proved.ts';
import { type Located, type Place, writtenAt } from '../../syntax/place.ts';
import { pathOf } from '../../topology/declarations.ts';
import { document } from '../../topology/document.ts';
import type { Topology } from '../../topology/topology.ts';

/** The tables there are, in the order people go through them. */
export const TABLES = [
  'queue',
  'subscription',
  'binding',
  'exchange',
  'topic',
  'message',
  'app',
  'permission',
  'link',
  'alias',
  'spread',
  'expectation',
  'alert',
  'tap',
  'tenant',
  'parameter',
] as const;
export type TableKind = (typeof TABLES)[number];

/** One column of a table. */
export interface Column {
  readonly name: string;
  readonly about: string;
  /** What holds where a cell is empty, in words; a value is set as code. */
  readonly otherwise?: string;
  readonly values?: readonly string[];
  readonly suggest?: readonly string[];
  /** Whether its cells are settings that can be written; the others are worked out. */
  readonly editable: boolean;
}

/** One thing, or one binding, statement or promise. */
export interface Row {
  /** Known by this among the rows of its table. */
  readonly id: string;
  /** What a view is shown about: a thing's id; empty where it has none. */
  readonly thing: string;
  readonly place: Place;
  /** As many as there are columns; empty where nothing is stated, null where such a thing cannot state it. */
  readonly cells: readonly (string | null)[];
}

export interface Table {
  readonly kind: TableKind;
  readonly columns: readonly Column[];
  readonly rows: readonly Row[];
}

const SECTIONS: Partial<Record<TableKind, string>> = {
  message: 'messages',
  app: 'apps',
  link: 'links',
  spread: 'spreads',
  tenant: 'tenants',
  parameter: 'parameters',
};
const ON_BROKERS: Partial<Record<TableKind, string>> = {
  queue: 'queues',
  subscription: 'subscriptions',
  exchange: 'exchanges',
  topic: 'topics',
  alias: 'aliases',
};
const LISTS: Partial<Record<TableKind, readonly string[]>> = {
  permission: ['access'],
  expectation: ['expectations'],
  alert: ['watch'],
  tap: ['taps'],
};

/** Columns that come first, and those nobody looks for in a table. */
const FIRST = [
  'type',
  'topic',
  'from',
  'to',
  'key',
  'headers',
  'ttl',
  'lease',
  'deadLetter.to',
  'maxDeliveries',
];
const LEFT_OUT = ['examples', 'body', 'publishes', 'consumes', 'hands', 'properties'];

/** What is declared in a list of the document. */
const listOf = (declared: Topology['declared'], kind: TableKind): readonly Placed[] =>
  (declared as unknown as Record<string, { readonly items: readonly Placed[] } | undefined>)[LISTS[kind]![0]!]
    ?.items ?? [];

interface Placed {
  readonly place: Place;
}

/** @returns how many rows each table has, without making them */
export function tableSizes({ declared }: Topology): Readonly<Record<TableKind, number>> {
  const size = (kind: TableKind): number => {
    const section = SECTIONS[kind];
    if (section) return (declared as Record<string, { size?: number } | undefined>)[section]?.size ?? 0;
    if (LISTS[kind]) return listOf(declared, kind).length;
    let count = 0;
    for (const { value } of declared.brokers?.values() ?? []) {
      if (kind === 'binding') count += kindOf(value).unnamed(value).length;
      else
        for (const [of, items] of kindOf(value).resources(value)) if (of === kind) count += items?.size ?? 0;
    }
    return count;
  };
  return Object.fromEntries(TABLES.map((kind) => [kind, size(kind)])) as Record<TableKind, number>;
}

/** @returns a table of everything of a kind, in the order of the text */
export function tableOf(graph: RoutingGraph, kind: TableKind): Table {
  const { topology } = graph;
  const fields = settingsIn(topology, kind);
  const extra = WORKED_OUT[kind] ?? [];
  const columns: Column[] = [
    ...(isNamed(kind) ? [{ name: 'name', about: 'what it is called', editable: false }] : []),
    ...(ON_BROKERS[kind] || kind === 'binding'
      ? [{ name: 'broker', about: 'the broker it is on', editable: false }]
      : []),
    ...extra.map(({ name, about }) => ({ name, about, editable: false })),
    ...fields.map(({ name, about, otherwise, values, suggest }) => ({
      name,
      about,
      ...(otherwise ? { otherwise } : {}),
      ...(values ? { values } : {}),
      ...(suggest ? { suggest } : {}),
      editable: true,
    })),
  ];
  const rows = subjectsOf(topology, kind).map(({ id, of, broker, place, decl }): Row => {
    const node = of ? nodesOfThing(graph, of)[0] : undefined;
    const can = statable(topology, kind, broker);
    return {
      id,
      thing: of?.id ?? '',
      place,
      cells: [
        ...(isNamed(kind) ? [of?.name ?? id] : []),
        ...(ON_BROKERS[kind] || kind === 'binding' ? [broker] : []),
        ...extra.map(({ cell }) => (of ? cell(graph, of, node ?? of.id) : '')),
        ...fields.map(({ name }) => (can(name) ? cellOf(topology, decl, name) : null)),
      ],
    };
  });
  return { kind, columns, rows };
}

/** @returns a table with commas, a line a row, quoted where it has to be (RFC 4180) */
export function tableText({ columns, rows }: Pick<Table, 'columns' | 'rows'>): string {
  // a cell that a table program would reckon with stays a text
  const cell = (text: string) => {
    const safe = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
    return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
  };
  const line = (cells: readonly (string | null)[]) => cells.map((each) => cell(each ?? '')).join(',');
  return `${[line(columns.map(({ name }) => name)), ...rows.map(({ cells }) => line(cells))].join('\r\n')}\r\n`;
}

const isNamed = (kind: TableKind): boolean => !LISTS[kind] && kind !== 'binding';

interface Subject {
  readonly id: string;
  readonly of?: Thing;
  readonly broker: string;
  readonly place: Place;
  readonly decl: object;
}

function subjectsOf({ declared }: Topology, kind: TableKind): Subject[] {
  const found: Subject[] = [];
  const section = SECTIONS[kind];
  if (section) {
    const items = (
      declared as unknown as Record<string, ReadonlyMap<string, { key: Place; value: object }> | undefined>
    )[section];
    for (const [name, { key, value }] of items ?? []) {
      // a parameter is no thing that a view could be about
      const of = kind === 'parameter' ? undefined : thing(kind as ThingKind, name);
      found.push({ id: name, ...(of ? { of } : {}), broker: '', place: key, decl: value });
    }
    return found;
  }
  if (LISTS[kind])
    return listOf(declared, kind).map((decl, i) => ({ id: String(i), broker: '', place: decl.place, decl }));
  for (const { name: broker, value } of declared.brokers?.values() ?? []) {
    if (kind === 'binding')
      for (const [i, decl] of kindOf(value).unnamed(value).entries())
        found.push({ id: `${broker} ${i}`, broker, place: decl.place, decl });
    else
      for (const [of, items] of kindOf(value).resources(value))
        if (of === kind)
          for (const [name, { key, value: decl }] of items ?? []) {
            const what = thing(of, name, broker);
            found.push({ id: what.id, of: what, broker, place: key, decl });
          }
  }
  return found;
}

/** The settings that things of a kind have, of every kind of broker there is. */
function settingsIn(topology: Topology, kind: TableKind): Writable[] {
  const shapes: Shape<unknown>[] = [];
  const section = SECTIONS[kind] ?? LISTS[kind]?.[0];
  if (section) shapes.push(document.fields![section]!.shape.items!);
  else
    for (const { value } of topology.declared.brokers?.values() ?? []) {
      const shape = shapeOf(value).fields?.[ON_BROKERS[kind] ?? 'bindings']?.shape.items;
      if (shape && !shapes.includes(shape)) shapes.push(shape);
    }
  const found = new Map<string, Writable>();
  for (const shape of shapes)
    for (const field of fieldsOf(topology, shape))
      if (!LEFT_OUT.includes(field.name.split('.')[0]!) && !found.has(field.name))
        found.set(field.name, field);
  const rank = ({ name }: Writable) => (FIRST.includes(name) ? FIRST.indexOf(name) : FIRST.length);
  return [...found.values()].sort((a, b) => rank(a) - rank(b));
}

/** @returns what tells whether a thing on a broker can state a setting: kinds of brokers differ in that */
function statable(topology: Topology, kind: TableKind, broker: string): (setting: string) => boolean {
  const decl = topology.declared.brokers?.get(broker)?.value;
  const fields = decl && shapeOf(decl).fields?.[ON_BROKERS[kind] ?? 'bindings']?.shape.items?.fields;
  return (setting) => !fields || Object.hasOwn(fields, setting.split('.')[0]!);
}

/** What is stated of a setting, in a line, as it is written. */
function cellOf(topology: Topology, decl: object, name: string): string {
  let at: unknown = decl;
  for (const step of name.split('.')) at = (at as Record<string, unknown> | undefined)?.[step];
  if (at === undefined || at === null) return '';
  if (at instanceof Map || 'get' in (at as object))
    return [...(at as ReadonlyMap<string, { value: { place: Place } }>)]
      .map(([key, { value }]) => `${key}: ${inLine(topology, value.place)}`)
      .join(', ');
  if ('items' in (at as object))
    return (at as List<Located<unknown>>).items.map(({ place }) => wordsAt(topology, place)).join(', ');
  return inLine(topology, (at as { place: Place }).place);
}

const inLine = (topology: Topology, place: Place): string =>
  place.node?.kind === 'scalar' ? wordsAt(topology, place) : writtenAt(topology, place).replace(/\s+/g, ' ');

interface WorkedOut {
  readonly name: string;
  readonly about: string;
  readonly cell: (graph: RoutingGraph, of: Thing, node: string) => string;
}

const names = (graph: RoutingGraph, ids: readonly string[]): string =>
  [...new Set(ids)].map((id) => nodeName(graph, id)).join(', ');

const FED: WorkedOut = {
  name: 'fed by',
  about: 'where its messages come from',
  cell: (graph, _, node) =>
    names(
      graph,
      (graph.into.get(node) ?? []).map(({ from }) => from),
    ),
};
const TAKEN: WorkedOut = {
  name: 'taken by',
  about: 'the apps and links that take from it',
  cell: (graph, _, node) =>
    (graph.out.get(node) ?? [])
      .flatMap((edge) =>
        edge.kind === 'take' ? nodeName(graph, edge.to) : edge.kind === 'link' ? `link ${edge.label}` : [],
      )
      .join(', '),
};
const WAYS_ON: WorkedOut = {
  name: 'ways on',
  about: 'how many bindings or subscriptions lead on from it',
  cell: (graph, _, node) => String((graph.out.get(node) ?? []).length),
};

const WORKED_OUT: Partial<Record<TableKind, readonly WorkedOut[]>> = {
  queue: [FED, TAKEN],
  subscription: [TAKEN],
  exchange: [WAYS_ON],
  topic: [WAYS_ON],
  message: [
    {
      name: 'published by',
      about: 'the apps that send it',
      cell: ({ topology }, { name }) =>
        [...(topology.declared.apps ?? [])]
          .filter(([, { value }]) => value.publishes?.items.some(({ message }) => message?.value === name))
          .map(([app]) => app)
          .join(', '),
    },
  ],
  app: [
    {
      name: 'publishes',
      about: 'what it sends, and where',
      cell: ({ topology }, of) =>
        (topology.declared.apps?.get(of.name)?.value.publishes?.items ?? [])
          .map(({ message, to }) => `${message?.value ?? '?'} → ${to?.value ?? '?'}`)
          .join(', '),
    },
    {
      name: 'takes from',
      about: 'the stores it takes from',
      cell: ({ topology }, of) =>
        (topology.declared.apps?.get(of.name)?.value.consumes?.items ?? [])
          .map(({ from, topic }) => `${from?.value ?? '?'}${topic ? ` ${topic.value}` : ''}`)
          .join(', '),
    },
  ],
};

/**
 * States one setting in many rows at once, or takes it away.
 * @param rows the ids of rows of the table
 * @param column the setting, as its column is called
 * @param text as a person writes it, several with commas between; empty to take it away
 * @returns the edits, as one change; refused where one of them cannot be made
 */
export function changeCells(
  topology: Topology,
  kind: TableKind,
  rows: readonly string[],
  column: string,
  text: string,
): Edited {
  const field = settingsIn(topology, kind).find(({ name }) => name === column);
  if (!field) return { ok: false, message: `\`${column}\` is worked out; it is no setting.` };
  const chosen = new Set(rows);
  const made: Proved[] = [];
  for (const subject of subjectsOf(topology, kind)) {
    if (!chosen.has(subject.id)) continue;
    if (!statable(topology, kind, subject.broker)(column))
      return {
        ok: false,
        message: `${subject.of ? addressOf(subject.of) : 'One of them'} cannot state \`${column}\`: its kind of broker has no such thing. Pick only those that can.`,
      };
    if (cellOf(topology, subject.decl, column) === text.trim()) continue;
    const edited = changeCell(topology, subject, field, text.trim());
    if (!edited.ok)
      return { ok: false, message: `${subject.of ? addressOf(subject.of) : 'Row'}: ${edited.message}` };
    if (isProved(edited)) made.push(edited);
  }
  return made.length ? together(topology, made) : { ok: true, edits: [] };
}

function changeCell(topology: Topology, { of, place, decl }: Subject, field: Writable, text: string): Edited {
  const steps = field.name.split('.');
  const named = of ? pathOf(of) : undefined;
  if (text === '') {
    const alone = steps.length > 1 && isAlone(decl, steps);
    const path = alone ? steps.slice(0, -1) : steps;
    return named ? removeAt(topology, [...named, ...path]) : removeIn(topology, place, path[0]!);
  }
  if (field.kind === 'text') {
    if (named) return setText(topology, [...named, ...steps], text);
    const word = wordOf(text);
    return setIn(topology, place, steps, field.write(text) ?? word ?? text, { withParameters: true });
  }
  const given = field.kind === 'many' ? text.split(',') : field.kind === 'rows' ? pairs(text) : text;
  try {
    const value = field.write(given);
    if (value === undefined) return { ok: false, message: 'There is nothing to write.' };
    return named
      ? setAt(topology, [...named, ...steps], value, { withParameters: true })
      : setIn(topology, place, steps, value, { withParameters: true });
  } catch (error) {
    if (error instanceof TypeError) return { ok: false, message: error.message };
    throw error;
  }
}

/** Whether nothing else is stated beside a setting inside another: the map would be left empty. */
function isAlone(decl: object, [outer, inner]: readonly string[]): boolean {
  const around = (decl as Record<string, object | undefined>)[outer!];
  return (
    around !== undefined &&
    Object.keys(around).every((key) => key === inner || key === 'place' || key === 'unread')
  );
}

/** `name: value` pairs with commas between, as rows. */
const pairs = (text: string): Readonly<Record<string, string>>[] =>
  text.split(',').map((each) => {
    const colon = each.indexOf(':');
    return colon < 0
      ? { name: each.trim(), value: '' }
      : { name: each.slice(0, colon).trim(), value: each.slice(colon + 1).trim() };
  });

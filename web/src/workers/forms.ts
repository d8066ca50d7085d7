/** Forms and tables as the screen shows them, and what is written with them, tried before it is written. */
import { checked } from '@vondle/core/analysis';
import {
  attempt,
  changeCells,
  FORM_KINDS,
  formOf,
  tableOf,
  tableSizes,
  tableText,
  type FormField,
  type FormKind,
  type Order,
  type Table,
  type TableKind,
} from '@vondle/core/assist/forms';
import { applyEdits, type ChangeSet } from '@vondle/core/base';
import { spanOf, TopologyReader, type Topology } from '@vondle/core/topology';
import { changesOf } from './findings.ts';
import type { AttemptView, Edits, FieldOfForm, FormView, TableAsked, TableView } from './views.ts';
import type { Workspace } from './workspace.ts';

/** More news than this about one form are read by nobody. */
const MOST_NEWS = 6;
/** So many rows are sent at once. */
const MOST_ROWS = 400;

/** Tries forms out on a copy of what the workspace holds, which is kept up to date as cheaply as the workspace. */
export class Trying {
  private readonly reader = new TopologyReader();

  constructor(private readonly workspace: Workspace) {}

  attempt(order: Order, permits: boolean): AttemptView {
    const { workspace } = this;
    const { graph, findings, documents, options } = workspace;
    const read = (edits: ChangeSet): Topology => this.reader.read(applyEdits(documents, edits), options);
    const tried = attempt({ topology: graph.topology, graph, findings }, order, permits, {
      read,
      findings: (topology) => checked(topology).findings,
    });
    if (!tried.ok) return tried;
    const { edits, brings, cures, trials } = tried;
    return {
      ok: true,
      edits: edits.map((edit) => ({ ...edit })),
      changes: changesOf(documents, edits),
      // expectations are tried later: that one is broken now is not what the form would mend
      brings: brings.slice(0, MOST_NEWS).map((each) => ({ ...each })),
      cures: [...cures].slice(0, MOST_NEWS),
      trials: trials.map((each) => ({ ...each })),
    };
  }
}

export function formView({ graph }: Workspace, kind: FormKind, on: string): FormView {
  const { fields, on: place, ...form } = formOf(graph.topology, kind, on);
  return {
    ...form,
    ...(place ? { on: { of: place.of, names: [...place.names] } } : {}),
    fields: fields.map(fieldView),
  };
}

const fieldView = ({
  name,
  about,
  otherwise,
  required,
  kind,
  values,
  suggest,
  columns,
}: FormField): FieldOfForm => ({
  name,
  about,
  kind,
  otherwise: otherwise ?? '',
  required: required === true,
  ...(values ? { values: [...values] } : {}),
  ...(suggest ? { suggest: [...suggest] } : {}),
  ...(columns ? { columns: columns.map(fieldView) } : {}),
});

/** What there are forms for here, each with whether there is anything it could be declared on. */
export const formKinds = ({ graph }: Workspace): { kind: FormKind; title: string; possible: boolean }[] =>
  FORM_KINDS.map((kind) => {
    const { title, on } = formOf(graph.topology, kind);
    return { kind, title, possible: !on || on.names.length > 0 };
  });

/** The tables, each made once for one state of the topology. */
export class Tables {
  private made: { readonly of: unknown; readonly table: Table } | undefined;

  constructor(private readonly workspace: Workspace) {}

  private table(kind: TableKind): Table {
    const { graph } = this.workspace;
    if (this.made?.of !== graph || this.made.table.kind !== kind)
      this.made = { of: graph, table: tableOf(graph, kind) };
    return this.made.table;
  }

  sizes = (): Record<TableKind, number> => ({ ...tableSizes(this.workspace.graph.topology) });

  /** The rows that hold some words, sorted by a column, a page of them. */
  view(asked: TableAsked): TableView {
    const { columns } = this.table(asked.kind);
    const rows = this.rows(asked);
    const { topology } = this.workspace.graph;
    return {
      columns: columns.map(({ name, about, otherwise, values, suggest, editable }) => ({
        name,
        about,
        otherwise: otherwise ?? '',
        editable,
        ...(values ? { values: [...values] } : {}),
        ...(suggest ? { suggest: suggest.slice(0, 100) } : {}),
      })),
      stated: columns.map((_, i) => rows.some(({ cells }) => Boolean(cells[i]))),
      count: rows.length,
      rows: rows.slice(asked.from, asked.from + MOST_ROWS).map(({ id, thing, place, cells }) => {
        const { doc, start, end } = spanOf(topology, place);
        return { id, thing, at: { doc, start, end }, cells: [...cells] };
      }),
    };
  }

  private rows({ kind, words, sort, down }: TableAsked): Table['rows'] {
    const { columns, rows } = this.table(kind);
    const wanted = words.trim().toLowerCase();
    const found = wanted
      ? rows.filter(({ cells }) => cells.some((cell) => cell?.toLowerCase().includes(wanted)))
      : rows;
    const at = columns.findIndex(({ name }) => name === sort);
    if (at < 0) return found;
    const by = new Intl.Collator('en', { numeric: true });
    return [...found].sort((a, b) => by.compare(a.cells[at] ?? '', b.cells[at] ?? '') * (down ? -1 : 1));
  }

  ids = (asked: TableAsked): string[] => this.rows(asked).map(({ id }) => id);

  csv = (asked: TableAsked): string =>
    tableText({ columns: this.table(asked.kind).columns, rows: this.rows(asked) });

  change(kind: TableKind, rows: readonly string[], column: string, text: string): Edits {
    const edited = changeCells(this.workspace.graph.topology, kind, rows, column, text);
    return edited.ok ? { ok: true, edits: edited.edits.map((edit) => ({ ...edit })) } : edited;
  }
}

/** What the language server answers, from a workspace: the protocol's own shapes, positions and all. */
import {
  completionsAt,
  foldsIn,
  keyAt,
  keyInWords,
  lineOn,
  symbolAt,
  symbolsIn,
  TOKEN_TYPES,
  tokensIn,
  usesOf,
  type DocumentSymbol as DeclaredSymbol,
} from '@vondle/core/assist';
import type { ChangeSet } from '@vondle/core/base';
import { mendsOf, rename, tryMend } from '@vondle/core/change';
import {
  addressOf,
  declarationOf,
  spanOf,
  type Finding,
  type Place,
  type ThingKind,
} from '@vondle/core/topology';
import {
  CodeActionKind,
  CompletionItemKind,
  DiagnosticSeverity,
  SymbolKind,
  type CodeAction,
  type CompletionList,
  type Diagnostic,
  type DocumentSymbol,
  type FoldingRange,
  type Hover,
  type Location,
  type Position,
  type Range,
  type SemanticTokens,
  type SymbolInformation,
  type WorkspaceEdit,
} from 'vscode-languageserver/node.js';
import type { Workspace } from './workspace.ts';

const SEVERITIES = {
  error: DiagnosticSeverity.Error,
  warning: DiagnosticSeverity.Warning,
  advice: DiagnosticSeverity.Information,
} as const;

const SYMBOLS: Readonly<Record<ThingKind, SymbolKind>> = {
  app: SymbolKind.Class,
  tenant: SymbolKind.Namespace,
  message: SymbolKind.Event,
  broker: SymbolKind.Module,
  exchange: SymbolKind.Interface,
  queue: SymbolKind.Array,
  topic: SymbolKind.Interface,
  subscription: SymbolKind.Array,
  alias: SymbolKind.Constant,
  link: SymbolKind.Operator,
  spread: SymbolKind.Enum,
};

const COMPLETIONS = {
  key: CompletionItemKind.Property,
  name: CompletionItemKind.Reference,
  value: CompletionItemKind.Value,
} as const;

/** What tells a finding's mend from others when it is asked for by itself. */
export interface MendData {
  readonly uri: string;
  readonly check: string;
  readonly message: string;
  readonly index: number;
}

const START: Position = { line: 0, character: 0 };

function rangeOf(workspace: Workspace, place: Place): Range {
  const document = workspace.document(place.doc);
  if (!document) return { start: START, end: START };
  const { start, end } = spanOf(workspace.state.topology, place);
  return { start: document.positionAt(start), end: document.positionAt(end) };
}

const locationOf = (workspace: Workspace, place: Place): Location => ({
  uri: workspace.uriOf(place.doc),
  range: rangeOf(workspace, place),
});

/** @returns a finding as a diagnostic: its code is the check's id */
export function diagnosticOf(workspace: Workspace, finding: Finding): Diagnostic {
  const { check, severity, message, place, related } = finding;
  return {
    range: rangeOf(workspace, place),
    severity: SEVERITIES[severity],
    code: check,
    source: 'vondle',
    message,
    ...(related?.length
      ? {
          relatedInformation: related.map((each) => ({
            location: locationOf(workspace, each.place),
            message: each.message,
          })),
        }
      : {}),
  };
}

/** @returns the diagnostics of every document, of those without any too */
export function diagnosticsIn(workspace: Workspace): Map<string, Diagnostic[]> {
  const found = new Map<string, Diagnostic[]>(workspace.names.map((name) => [name, []]));
  for (const finding of workspace.state.findings)
    found.get(finding.place.doc)?.push(diagnosticOf(workspace, finding));
  return found;
}

/** A document and an offset in it, as a request names them. */
interface At {
  readonly name: string;
  readonly offset: number;
}

export function at(workspace: Workspace, uri: string, position: Position): At | undefined {
  const name = workspace.nameAt(uri);
  const document = name === undefined ? undefined : workspace.document(name);
  return name === undefined || !document ? undefined : { name, offset: document.offsetAt(position) };
}

export function completion(workspace: Workspace, { name, offset }: At): CompletionList {
  const document = workspace.document(name)!;
  const found = completionsAt(workspace.state.topology, document.getText(), offset);
  if (!found) return { isIncomplete: false, items: [] };
  const range = { start: document.positionAt(found.from), end: document.positionAt(offset) };
  return {
    isIncomplete: false,
    items: found.options.map(({ label, insert, kind, about }) => ({
      label,
      kind: COMPLETIONS[kind],
      detail: about,
      filterText: label,
      textEdit: { range, newText: insert },
    })),
  };
}

export function hover(workspace: Workspace, { name, offset }: At): Hover | null {
  const { topology, graph } = workspace.state;
  const found = symbolAt(topology, name, offset);
  if (!found) return hoverOfKey(workspace, { name, offset });
  const declared = declarationOf(topology, found.thing);
  const uses = usesOf(topology, found.thing).length;
  const where = declared ? `declared in ${declared.doc}` : 'not declared';
  return {
    contents: {
      kind: 'markdown',
      value: `**${addressOf(found.thing)}**: ${lineOn(graph, found.thing)}\n\n${where}; ${uses === 1 ? '1 use' : `${uses} uses`}`,
    },
    range: rangeOf(workspace, found.place),
  };
}

function hoverOfKey(workspace: Workspace, { name, offset }: At): Hover | null {
  const key = keyAt(workspace.state.topology, name, offset);
  const document = workspace.document(name);
  if (!key || !document) return null;
  return {
    contents: { kind: 'markdown', value: `**${key.name}**: ${keyInWords(key)}` },
    range: { start: document.positionAt(key.start), end: document.positionAt(key.end) },
  };
}

export function definition(workspace: Workspace, { name, offset }: At): Location | null {
  const { topology } = workspace.state;
  const found = symbolAt(topology, name, offset);
  const place = found && declarationOf(topology, found.thing);
  return place ? locationOf(workspace, place) : null;
}

export function references(workspace: Workspace, { name, offset }: At, withDeclaration: boolean): Location[] {
  const { topology } = workspace.state;
  const found = symbolAt(topology, name, offset);
  if (!found) return [];
  const declared = withDeclaration ? declarationOf(topology, found.thing) : undefined;
  return [...(declared ? [declared] : []), ...usesOf(topology, found.thing)].map((place) =>
    locationOf(workspace, place),
  );
}

/** @returns what would be renamed, and what it is called; null where nothing can be */
export function prepareRename(workspace: Workspace, { name, offset }: At) {
  const found = symbolAt(workspace.state.topology, name, offset);
  return found ? { range: rangeOf(workspace, found.place), placeholder: found.thing.name } : null;
}

/** @returns the edits that rename what stands there everywhere; in words why not */
export function renamed(workspace: Workspace, { name, offset }: At, newName: string): WorkspaceEdit | string {
  const { topology } = workspace.state;
  const found = symbolAt(topology, name, offset);
  if (!found) return 'There is no name here.';
  const edited = rename(topology, found.thing, newName);
  return edited.ok ? workspaceEdit(workspace, edited.edits) : edited.message;
}

function workspaceEdit(workspace: Workspace, edits: ChangeSet): WorkspaceEdit {
  const names = [...new Set(edits.map(({ doc }) => doc))];
  return {
    documentChanges: names.map((name) => {
      const document = workspace.document(name)!;
      return {
        textDocument: { uri: document.uri, version: document.version || null },
        edits: edits
          .filter(({ doc }) => doc === name)
          .map(({ start, end, text }) => ({
            range: { start: document.positionAt(start), end: document.positionAt(end) },
            newText: text,
          })),
      };
    }),
  };
}

/** @returns the mends of what is wrong in a range; their edits are worked out when one is chosen */
export function codeActions(workspace: Workspace, uri: string, range: Range): CodeAction[] {
  const name = workspace.nameAt(uri);
  const document = name === undefined ? undefined : workspace.document(name);
  if (!document) return [];
  const [from, to] = [document.offsetAt(range.start), document.offsetAt(range.end)];
  return workspace.state.findings.flatMap((finding) => {
    if (finding.place.doc !== name) return [];
    const { start, end } = spanOf(workspace.state.topology, finding.place);
    if (start > to || end < from) return [];
    const mends = mendsOf(workspace.state.topology, finding);
    return mends.map(({ title }, index): CodeAction => {
      const data: MendData = { uri, check: finding.check, message: finding.message, index };
      return {
        title,
        kind: CodeActionKind.QuickFix,
        diagnostics: [diagnosticOf(workspace, finding)],
        isPreferred: mends.length === 1,
        data,
      };
    });
  });
}

/** Works a mend out and tries it. @returns its edits; in words why it is not to be made */
export function mendEdits(workspace: Workspace, { check, message, index }: MendData): WorkspaceEdit | string {
  const { topology, findings } = workspace.state;
  const finding = findings.find((each) => each.check === check && each.message === message);
  const mend = finding && mendsOf(topology, finding)[index];
  if (!finding || !mend) return 'This finding is no longer there.';
  const outcome = tryMend(topology, findings, finding, mend);
  return outcome.ok ? workspaceEdit(workspace, outcome.edits) : outcome.message;
}

export function documentSymbols(workspace: Workspace, name: string): DocumentSymbol[] {
  const document = workspace.document(name)!;
  const range = (from: number, to: number) => ({
    start: document.positionAt(from),
    end: document.positionAt(to),
  });
  const made = symbolsIn(workspace.state.topology, name).map((symbol) => ({
    symbol,
    told: {
      name: symbol.thing.name,
      detail: symbol.thing.kind,
      kind: SYMBOLS[symbol.thing.kind],
      range: range(symbol.whole.start, symbol.whole.end),
      selectionRange: range(symbol.name.start, symbol.name.end),
      children: [] as DocumentSymbol[],
    },
  }));
  const inside = (inner: DeclaredSymbol, outer: DeclaredSymbol) =>
    inner !== outer && inner.whole.start >= outer.whole.start && inner.whole.end <= outer.whole.end;
  return made.flatMap(({ symbol, told }) => {
    // what is on a broker stands under it
    const around = made.find((other) => inside(symbol, other.symbol));
    around?.told.children.push(told);
    return around ? [] : [told];
  });
}

/** More symbols than this are no help. */
const MOST_SYMBOLS = 500;

export function workspaceSymbols(workspace: Workspace, query: string): SymbolInformation[] {
  const wanted = query.toLowerCase();
  return symbolsIn(workspace.state.topology)
    .filter(({ thing }) => thing.id.toLowerCase().includes(wanted))
    .slice(0, MOST_SYMBOLS)
    .map(({ thing, name }) => ({
      name: addressOf(thing),
      kind: SYMBOLS[thing.kind],
      containerName: thing.broker,
      location: locationOf(workspace, { doc: name.doc, from: name.start, to: name.end }),
    }));
}

export function folding(workspace: Workspace, name: string): FoldingRange[] {
  const document = workspace.document(name)!;
  const tree = workspace.state.topology.trees.get(name);
  return (tree ? foldsIn(tree) : []).flatMap(({ start, end }) => {
    const text = document.getText().slice(start, end).trimEnd();
    const [startLine, endLine] = [start, start + text.length].map(
      (offset) => document.positionAt(offset).line,
    );
    return endLine! > startLine! ? [{ startLine: startLine!, endLine: endLine! }] : [];
  });
}

export function semanticTokens(workspace: Workspace, name: string): SemanticTokens {
  const document = workspace.document(name)!;
  const data: number[] = [];
  let [line, character] = [0, 0];
  for (const { start, end, type } of tokensIn(workspace.state.topology, name)) {
    const from = document.positionAt(start);
    const to = document.positionAt(end);
    const length = to.line === from.line ? to.character - from.character : 0;
    if (length <= 0) continue;
    data.push(
      from.line - line,
      from.line === line ? from.character - character : from.character,
      length,
      TOKEN_TYPES.indexOf(type),
      0,
    );
    ({ line, character } = from);
  }
  return { data };
}

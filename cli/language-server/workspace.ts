/** One folder as a topology: its documents as they are in the editor, or else on disk, and what is said of them. */
import { readFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { review } from '@vondle/core/analysis';
import { compose, type ChangeSet } from '@vondle/core/base';
import type { RoutingGraph } from '@vondle/core/routing';
import { TopologyReader, type Finding, type Topology } from '@vondle/core/topology';
import { TextDocument } from 'vscode-languageserver-textdocument';
import type { TextDocumentContentChangeEvent } from 'vscode-languageserver/node.js';
import { documentsIn } from '../files.ts';

/** A folder with more documents than this is no topology. */
export const MOST_DOCUMENTS = 5000;

/** What is known of a workspace at one time. */
export interface State {
  readonly topology: Topology;
  readonly graph: RoutingGraph;
  /** Everything wrong, expectations that are not kept included, in the order of the text. */
  readonly findings: readonly Finding[];
}

/** @returns the path of a document, or undefined for one that is no file */
export function pathOf(uri: string): string | undefined {
  try {
    return fileURLToPath(uri);
  } catch {
    return undefined;
  }
}

export class Workspace {
  private readonly reader = new TopologyReader();
  /** By name: their paths in the folder. */
  private readonly documents = new Map<string, TextDocument>();
  private readonly open = new Set<string>();
  /** Edits since the last reading; none where documents came or went. */
  private pending: ChangeSet | undefined;
  private known: State | undefined;
  private graph: RoutingGraph | undefined;

  /** @param folder its path; what cannot be read in it is left out */
  constructor(readonly folder: string) {
    for (const path of documentsIn(folder, MOST_DOCUMENTS)) this.readFile(this.nameOf(path));
  }

  /** Whether a document belongs here. */
  holds(uri: string): boolean {
    const path = pathOf(uri);
    return path !== undefined && !relative(this.folder, path).startsWith('..');
  }

  nameOf(path: string): string {
    return relative(this.folder, path).split(sep).join('/');
  }

  uriOf(name: string): string {
    return this.documents.get(name)?.uri ?? pathToFileURL(join(this.folder, name)).href;
  }

  nameAt(uri: string): string | undefined {
    const path = pathOf(uri);
    return path === undefined ? undefined : this.nameOf(path);
  }

  document(name: string): TextDocument | undefined {
    return this.documents.get(name);
  }

  get names(): string[] {
    return [...this.documents.keys()];
  }

  private readFile(name: string): void {
    const path = join(this.folder, name);
    try {
      const text = readFileSync(path, 'utf8');
      this.put(name, TextDocument.create(pathToFileURL(path).href, 'yaml', 0, text));
    } catch {
      this.remove(name);
    }
  }

  private put(name: string, document: TextDocument): void {
    this.documents.set(name, document);
    this.pending = undefined;
    this.known = undefined;
  }

  private remove(name: string): void {
    if (!this.documents.delete(name)) return;
    this.pending = undefined;
    this.known = undefined;
  }

  /** A document is shown in the editor: from now on its text there counts. */
  opened(uri: string, version: number, text: string): void {
    const name = this.nameAt(uri);
    if (name === undefined) return;
    this.open.add(name);
    this.put(name, TextDocument.create(uri, 'yaml', version, text));
  }

  /** Takes in what was typed, one change after another. */
  changed(uri: string, version: number, changes: readonly TextDocumentContentChangeEvent[]): void {
    const name = this.nameAt(uri);
    const document = name === undefined ? undefined : this.documents.get(name);
    if (name === undefined || !document) return;
    for (const change of changes) {
      const [start, end] =
        'range' in change
          ? [document.offsetAt(change.range.start), document.offsetAt(change.range.end)]
          : [0, document.getText().length];
      const edit = { doc: name, start, end: Math.max(start, end), text: change.text };
      TextDocument.update(document, [change], version);
      if (this.pending) this.pending = compose(this.pending, [edit]);
    }
    this.known = undefined;
  }

  /** A document is no longer shown: what is on disk counts again. */
  closed(uri: string): void {
    const name = this.nameAt(uri);
    if (name === undefined) return;
    this.open.delete(name);
    this.readFile(name);
  }

  /** A file was made, changed or removed by somebody else. */
  touched(uri: string): void {
    const name = this.nameAt(uri);
    if (name !== undefined && !this.open.has(name)) this.readFile(name);
  }

  /** @returns what is known of the documents as they are now; worked out when first asked */
  get state(): State {
    if (this.known) return this.known;
    const topology =
      this.pending && this.graph
        ? this.reader.change(this.pending)
        : this.reader.read(
            [...this.documents]
              .map(([name, document]) => ({ name, text: document.getText() }))
              .sort((a, b) => inFolderOrder(a.name, b.name)),
          );
    this.pending = [];
    const { graph, findings } = review(topology);
    this.graph = graph;
    return (this.known = { topology, graph, findings });
  }
}

/** The order in which a folder is gone through: its entries by name, a folder's own before what follows it. */
function inFolderOrder(a: string, b: string): number {
  const [one, other] = [a.split('/'), b.split('/')];
  for (let i = 0; ; i++) {
    const [left, right] = [one[i], other[i]];
    if (left === undefined || right === undefined)
      return (left === undefined ? 0 : 1) - (right === undefined ? 0 : 1);
    if (left !== right) return left < right ? -1 : 1;
  }
}

/** @returns the folder a document that is in no workspace folder is read with */
export const folderOf = (uri: string): string | undefined => {
  const path = pathOf(uri);
  return path === undefined ? undefined : dirname(path);
};

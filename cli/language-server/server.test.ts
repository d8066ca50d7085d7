/** The language server as an editor drives it: a process, over standard input and output. */
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import fc from 'fast-check';
import { load } from 'js-yaml';
import { TextDocument } from 'vscode-languageserver-textdocument';
import {
  createProtocolConnection,
  StreamMessageReader,
  StreamMessageWriter,
  type CodeAction,
  type Diagnostic,
  type DocumentSymbol,
  type Location,
  type ProtocolConnection,
  type Range,
  type WorkspaceEdit,
} from 'vscode-languageserver/node.js';
import { review } from '../../core/analysis/checks/review.ts';
import { spanOf } from '../../core/syntax/place.ts';
import type { Json } from '../../core/syntax/render.ts';
import { demo } from '../../core/testing/demo.ts';
import { randomTopology } from '../../core/testing/random-topology.ts';
import { pickerOf, uglyYaml } from '../../core/testing/ugly-yaml.ts';
import { readTopology } from '../../core/topology/read.ts';

const ROOT = join(__dirname, '../..');
const RUNS = Number(process.env['FUZZ'] ?? 1) * 4;
const SEVERITY = { error: 1, warning: 2, advice: 3 } as const;

/** An editor with one folder open. */
class Editor {
  readonly folder = mkdtempSync(join(tmpdir(), 'vondle-editor-'));
  readonly documents = new Map<string, TextDocument>();
  private readonly told = new Map<string, { version?: number; diagnostics: Diagnostic[] }>();
  private readonly server: ChildProcess;
  readonly connection: ProtocolConnection;
  private heard: () => void = () => {};

  constructor(files: readonly { name: string; text: string }[]) {
    for (const { name, text } of files) {
      writeFileSync(join(this.folder, name), text);
      this.documents.set(name, TextDocument.create(this.uri(name), 'yaml', 0, text));
    }
    this.server = spawn(process.execPath, [join(ROOT, 'cli/bin/vondle.mjs'), 'language-server', '--stdio'], {
      stdio: ['pipe', 'pipe', 'inherit'],
    });
    this.connection = createProtocolConnection(
      new StreamMessageReader(this.server.stdout!),
      new StreamMessageWriter(this.server.stdin!),
    );
    this.connection.onNotification(
      'textDocument/publishDiagnostics',
      (params: { uri: string; version?: number; diagnostics: Diagnostic[] }) => {
        this.told.set(params.uri, params);
        this.heard();
      },
    );
    this.connection.listen();
  }

  uri = (name: string) => pathToFileURL(join(this.folder, name)).href;

  async begin(resolves = true) {
    const codeAction = resolves ? { dataSupport: true, resolveSupport: { properties: ['edit'] } } : {};
    const { capabilities } = (await this.connection.sendRequest('initialize', {
      processId: process.pid,
      rootUri: null,
      workspaceFolders: [{ uri: pathToFileURL(this.folder).href, name: 'it' }],
      capabilities: { textDocument: { codeAction } },
    })) as { capabilities: object };
    await this.connection.sendNotification('initialized', {});
    return capabilities;
  }

  async open(name: string) {
    const document = this.documents.get(name)!;
    const opened = TextDocument.create(document.uri, 'yaml', document.version + 1, document.getText());
    this.documents.set(name, opened);
    const { uri, version } = opened;
    await this.connection.sendNotification('textDocument/didOpen', {
      textDocument: { uri, languageId: 'yaml', version, text: opened.getText() },
    });
  }

  /** Types into a document, as an incremental change. */
  async type(name: string, start: number, end: number, text: string) {
    const document = this.documents.get(name)!;
    const change = { range: { start: document.positionAt(start), end: document.positionAt(end) }, text };
    TextDocument.update(document, [change], document.version + 1);
    await this.connection.sendNotification('textDocument/didChange', {
      textDocument: { uri: document.uri, version: document.version },
      contentChanges: [change],
    });
  }

  /** Makes edits as an editor makes them. */
  async make({ documentChanges = [] }: WorkspaceEdit) {
    for (const each of documentChanges) {
      if (!('textDocument' in each)) continue;
      const name = [...this.documents].find(([, { uri }]) => uri === each.textDocument.uri)![0];
      const document = this.documents.get(name)!;
      const edits = each.edits
        .map((edit) => edit as { range: Range; newText: string })
        .sort((a, b) => document.offsetAt(b.range.start) - document.offsetAt(a.range.start));
      for (const { range, newText } of edits)
        await this.type(name, document.offsetAt(range.start), document.offsetAt(range.end), newText);
    }
  }

  /** What `vondle check` says of the documents as they are, in the protocol's own shape. */
  expected(): Map<string, unknown[]> {
    const documents = [...this.documents]
      .map(([name, document]) => ({ name, text: document.getText() }))
      .sort((a, b) => (a.name < b.name ? -1 : 1));
    const topology = readTopology(documents);
    const found = new Map<string, unknown[]>([...this.documents.keys()].map((name) => [name, []]));
    for (const { check, severity, message, place } of review(topology).findings) {
      const document = this.documents.get(place.doc)!;
      const { start, end } = spanOf(topology, place);
      found.get(place.doc)!.push({
        code: check,
        severity: SEVERITY[severity],
        message,
        range: { start: document.positionAt(start), end: document.positionAt(end) },
      });
    }
    return found;
  }

  /** What the server said last, once it spoke of the present versions of what is open. */
  async diagnostics(): Promise<Map<string, unknown[]>> {
    // an answer comes behind what was sent before it
    await this.connection.sendRequest('workspace/symbol', { query: 'nothing at all' });
    const isNow = () =>
      [...this.documents.values()].every(
        ({ uri, version }) => (this.told.get(uri)?.version ?? 0) === version,
      );
    while (!isNow()) await new Promise<void>((resolve) => (this.heard = resolve));
    return new Map(
      [...this.documents].map(([name, { uri }]) => [
        name,
        this.told
          .get(uri)!
          .diagnostics.map(({ code, severity, message, range }) => ({ code, severity, message, range })),
      ]),
    );
  }

  /** Asks about a place in a document. */
  ask<T>(method: string, name: string, offset: number, more: object = {}): Promise<T> {
    const document = this.documents.get(name)!;
    return this.connection.sendRequest<T>(method, {
      textDocument: { uri: document.uri },
      position: document.positionAt(offset),
      ...more,
    });
  }

  of<T>(method: string, name: string): Promise<T> {
    return this.connection.sendRequest<T>(method, { textDocument: { uri: this.uri(name) } });
  }

  async end() {
    await this.connection.sendRequest('shutdown');
    const ended = new Promise((resolve) => this.server.once('exit', resolve));
    await this.connection.sendNotification('exit');
    await ended;
    this.connection.dispose();
    rmSync(this.folder, { recursive: true });
  }
}

const sorted = (all: Map<string, unknown[]>) =>
  new Map([...all].map(([name, list]) => [name, list.map((each) => JSON.stringify(each)).sort()]));

describe('on the demo', () => {
  let editor: Editor;
  const text = (name: string) => editor.documents.get(name)!.getText();
  beforeAll(async () => {
    editor = new Editor(demo('draft'));
    await editor.begin();
    for (const name of editor.documents.keys()) await editor.open(name);
  });
  afterAll(() => editor.end());

  test('says what a check says, with its id as the code', async () => {
    const told = await editor.diagnostics();
    expect(sorted(told)).toEqual(sorted(editor.expected()));
    expect([...told.values()].flat()).toContainEqual(
      expect.objectContaining({ code: 'access/missing-permission' }),
    );
  });

  test('completes what may stand there', async () => {
    const at = text('mainland.yaml').indexOf('to: boards') + 'to: '.length;
    const { items } = await editor.ask<{ items: { label: string }[] }>(
      'textDocument/completion',
      'mainland.yaml',
      at,
    );
    expect(items.map(({ label }) => label)).toContain('boards');
  });

  test('tells of a name, where it is declared, and where it is used', async () => {
    const at = text('apps.yaml').indexOf('mainland/boards') + 12;
    const hover = await editor.ask<{ contents: { value: string } }>('textDocument/hover', 'apps.yaml', at);
    expect(hover.contents.value).toMatch(/^\*\*mainland\/boards\*\*: .*taken by departure-board/);
    const there = await editor.ask<Location>('textDocument/definition', 'apps.yaml', at);
    const document = editor.documents.get('mainland.yaml')!;
    expect(there.uri).toBe(document.uri);
    expect(document.getText(there.range)).toBe('boards');
    const uses = await editor.ask<Location[]>('textDocument/references', 'apps.yaml', at, {
      context: { includeDeclaration: true },
    });
    const words = uses.map(({ uri, range }) =>
      [...editor.documents.values()].find((each) => each.uri === uri)!.getText(range),
    );
    expect(words.length).toBeGreaterThan(2);
    for (const word of words) expect(word).toMatch(/(^|\/)boards$/);
    const key = await editor.ask<{ contents: { value: string } }>('textDocument/hover', 'apps.yaml', 0);
    expect(key.contents.value).toMatch(/^\*\*apps\*\*: publishers and takers/);
  });

  test('lists what is declared, what folds, and what words are', async () => {
    const symbols = await editor.of<DocumentSymbol[]>('textDocument/documentSymbol', 'mainland.yaml');
    const broker = symbols.find(({ name }) => name === 'mainland')!;
    expect(broker.children!.map(({ name }) => name)).toContain('boards');
    const found = await editor.connection.sendRequest<{ name: string }[]>('workspace/symbol', {
      query: 'boards',
    });
    expect(found.map(({ name }) => name)).toContain('mainland/boards');
    const folds = await editor.of<{ startLine: number; endLine: number }[]>(
      'textDocument/foldingRange',
      'mainland.yaml',
    );
    expect(folds.length).toBeGreaterThan(4);
    for (const { startLine, endLine } of folds) expect(endLine).toBeGreaterThan(startLine);
    const { data } = await editor.of<{ data: number[] }>('textDocument/semanticTokens/full', 'mainland.yaml');
    expect(data.length % 5).toBe(0);
    // every token says something, and none stands over another
    const lines = text('mainland.yaml').split('\n');
    let [line, from, end] = [0, 0, 0];
    for (let i = 0; i < data.length; i += 5) {
      const [down, right, length] = data.slice(i, i + 3) as [number, number, number];
      line += down;
      from = down ? right : from + right;
      expect(from).toBeGreaterThanOrEqual(down ? 0 : end);
      end = from + length;
      expect(lines[line]!.slice(from, end).trim()).not.toBe('');
    }
  });

  test('mends, each mend tried before it is handed out', async () => {
    const document = editor.documents.get('storm-season.yaml')!;
    const actions = await editor.connection.sendRequest<CodeAction[]>('textDocument/codeAction', {
      textDocument: { uri: document.uri },
      range: { start: { line: 0, character: 0 }, end: document.positionAt(document.getText().length) },
      context: { diagnostics: [] },
    });
    const action = actions.find(({ diagnostics }) => diagnostics![0]!.code === 'copies/shared-store')!;
    expect(action.edit).toBeUndefined();
    const { edit } = await editor.connection.sendRequest<CodeAction>('codeAction/resolve', action);
    await editor.make(edit!);
    expect(document.getText()).toContain('perInstanceOf: quay-screens');
    const told = await editor.diagnostics();
    expect([...told.values()].flat()).not.toContainEqual(
      expect.objectContaining({ code: 'copies/shared-store' }),
    );
    expect(sorted(told)).toEqual(sorted(editor.expected()));
  });

  test('renames everywhere, or says why not', async () => {
    const at = text('apps.yaml').indexOf('mainland/boards') + 12;
    expect(await editor.ask('textDocument/prepareRename', 'apps.yaml', at)).toMatchObject({
      placeholder: 'boards',
    });
    const edit = await editor.ask<WorkspaceEdit>('textDocument/rename', 'apps.yaml', at, {
      newName: 'panels # 1',
    });
    await editor.make(edit);
    expect(text('mainland.yaml')).toContain('"panels # 1":');
    expect(text('apps.yaml')).toContain('"mainland/panels # 1"');
    expect(sorted(await editor.diagnostics())).toEqual(sorted(editor.expected()));
    await expect(editor.ask('textDocument/rename', 'apps.yaml', at, { newName: '' })).rejects.toThrow(
      '255 bytes',
    );
  });
});

test('without an editor that asks again, mends come with their edits', async () => {
  const editor = new Editor([
    { name: 'a.yaml', text: 'brokers:\n  m: { kind: amqp, queues: { q: { tll: 1s } } }\n' },
  ]);
  await editor.begin(false);
  await editor.open('a.yaml');
  const actions = await editor.connection.sendRequest<CodeAction[]>('textDocument/codeAction', {
    textDocument: { uri: editor.uri('a.yaml') },
    range: { start: { line: 1, character: 0 }, end: { line: 1, character: 80 } },
    context: { diagnostics: [] },
  });
  const action = actions.find(({ diagnostics }) => diagnostics![0]!.code === 'language/unknown-key')!;
  await editor.make(action.edit!);
  expect(editor.documents.get('a.yaml')!.getText()).toContain('{ ttl: 1s }');
  await editor.end();
});

/** Things people type, and things that break a line. */
const TYPED = [
  '',
  'x',
  ' ',
  '\n',
  ': ',
  '- ',
  '#',
  '{',
  ' }',
  '"',
  '\r\n',
  'extra:\n  a: 1\n',
  '|\n',
  '&a ',
  '*a',
  'é⛴',
];

test(
  'whatever is typed into whatever text, it says what a fresh check says',
  async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 1, max: 2 ** 31 - 1 }),
        fc.array(
          fc.record({ at: fc.nat(), cut: fc.nat(12), put: fc.constantFrom(...TYPED), doc: fc.nat() }),
          {
            minLength: 8,
            maxLength: 14,
          },
        ),
        async (seed, edits) => {
          const pick = pickerOf(seed);
          const files = ['a.yaml', 'b.yaml'].map((name, i) => {
            const plain = randomTopology(seed + i * pick(0, 1));
            return { name, text: pick(true, true, false) ? uglyYaml(load(plain) as Json, seed + i) : plain };
          });
          const editor = new Editor(files);
          await editor.begin();
          for (const { name } of files) await editor.open(name);
          for (const { at, cut, put, doc } of edits) {
            const { name } = files[doc % files.length]!;
            const now = editor.documents.get(name)!.getText();
            const start = at % (now.length + 1);
            const end = Math.min(now.length, start + cut);
            await editor.type(name, start, end, put);
            expect(sorted(await editor.diagnostics())).toEqual(sorted(editor.expected()));
            // half of it is taken back, so that most texts stay ones that can be read
            if (pick(true, false)) await editor.type(name, start, start + put.length, now.slice(start, end));
          }
          await editor.end();
        },
      ),
      { numRuns: RUNS },
    );
    // a few hundred steps, each an analysis of its own
  },
  60_000 + RUNS * 15_000,
);

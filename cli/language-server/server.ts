/** `vondle language-server`: the Language Server Protocol 3.17 over standard input and output. */
import { TOKEN_TYPES } from '@vondle/core/assist';
import {
  createConnection,
  ErrorCodes,
  ProposedFeatures,
  ResponseError,
  StreamMessageReader,
  StreamMessageWriter,
  TextDocumentSyncKind,
  type InitializeParams,
  type Position,
} from 'vscode-languageserver/node.js';
import {
  at,
  codeActions,
  completion,
  definition,
  diagnosticsIn,
  documentSymbols,
  folding,
  hover,
  mendEdits,
  prepareRename,
  references,
  renamed,
  semanticTokens,
  workspaceSymbols,
  type MendData,
} from './answers.ts';
import { folderOf, pathOf, Workspace } from './workspace.ts';

/** Serves one editor until it hangs up. */
export function languageServer(): void {
  const connection = createConnection(
    ProposedFeatures.all,
    new StreamMessageReader(process.stdin),
    new StreamMessageWriter(process.stdout),
  );
  const workspaces: Workspace[] = [];
  /** What was told last of each document, to tell only what is new. */
  const told = new Map<string, string>();
  let resolves = false;

  const add = (folder: string) => {
    if (!workspaces.some((each) => each.folder === folder)) workspaces.push(new Workspace(folder));
  };
  /** The workspace a document belongs to: the innermost folder, or else the one it lies in. */
  const workspaceOf = (uri: string, make = false): Workspace | undefined => {
    const found = workspaces
      .filter((each) => each.holds(uri))
      .sort((a, b) => b.folder.length - a.folder.length)[0];
    const folder = found || !make ? undefined : folderOf(uri);
    if (folder === undefined) return found;
    add(folder);
    return workspaces.at(-1);
  };

  let telling: NodeJS.Immediate | undefined;
  /** Tells what is wrong, once what came in at the same time is taken in. */
  const tellSoon = () => {
    telling ??= setImmediate(() => {
      telling = undefined;
      tell();
    });
  };
  const tell = () => {
    const now = new Set<string>();
    for (const workspace of workspaces) {
      for (const [name, diagnostics] of diagnosticsIn(workspace)) {
        const uri = workspace.uriOf(name);
        const { version } = workspace.document(name)!;
        const sign = JSON.stringify([version, diagnostics]);
        now.add(uri);
        if (told.get(uri) === sign) continue;
        told.set(uri, sign);
        void connection.sendDiagnostics({ uri, diagnostics, ...(version ? { version } : {}) });
      }
    }
    for (const uri of told.keys()) {
      if (now.has(uri)) continue;
      told.delete(uri);
      void connection.sendDiagnostics({ uri, diagnostics: [] });
    }
  };

  connection.onInitialize(({ workspaceFolders, rootUri, capabilities }: InitializeParams) => {
    const folders = workspaceFolders?.map(({ uri }) => uri) ?? (rootUri ? [rootUri] : []);
    for (const uri of folders) {
      const path = pathOf(uri);
      if (path !== undefined) add(path);
    }
    resolves =
      capabilities.textDocument?.codeAction?.resolveSupport?.properties.includes('edit') === true &&
      capabilities.textDocument.codeAction.dataSupport === true;
    return {
      serverInfo: { name: 'vondle' },
      capabilities: {
        textDocumentSync: { openClose: true, change: TextDocumentSyncKind.Incremental },
        completionProvider: { triggerCharacters: [' ', ':', '/', '"', '[', '{', ','] },
        hoverProvider: true,
        definitionProvider: true,
        referencesProvider: true,
        renameProvider: { prepareProvider: true },
        codeActionProvider: { codeActionKinds: ['quickfix'], resolveProvider: true },
        documentSymbolProvider: true,
        workspaceSymbolProvider: true,
        foldingRangeProvider: true,
        semanticTokensProvider: { legend: { tokenTypes: [...TOKEN_TYPES], tokenModifiers: [] }, full: true },
        workspace: { workspaceFolders: { supported: true, changeNotifications: true } },
      },
    };
  });
  connection.onInitialized(tellSoon);

  connection.onDidOpenTextDocument(({ textDocument: { uri, version, text } }) => {
    workspaceOf(uri, true)?.opened(uri, version, text);
    tellSoon();
  });
  connection.onDidChangeTextDocument(({ textDocument: { uri, version }, contentChanges }) => {
    workspaceOf(uri)?.changed(uri, version, contentChanges);
    tellSoon();
  });
  connection.onDidCloseTextDocument(({ textDocument: { uri } }) => {
    workspaceOf(uri)?.closed(uri);
    tellSoon();
  });
  connection.onDidChangeWatchedFiles(({ changes }) => {
    for (const { uri } of changes) workspaceOf(uri)?.touched(uri);
    tellSoon();
  });
  connection.onNotification(
    'workspace/didChangeWorkspaceFolders',
    ({ event }: { event: { added: { uri: string }[]; removed: { uri: string }[] } }) => {
      for (const { uri } of event.added) {
        const path = pathOf(uri);
        if (path !== undefined) add(path);
      }
      for (const { uri } of event.removed) {
        const index = workspaces.findIndex(({ folder }) => folder === pathOf(uri));
        if (index >= 0) workspaces.splice(index, 1);
      }
      tellSoon();
    },
  );

  interface Asked {
    readonly textDocument: { readonly uri: string };
    readonly position: Position;
  }
  /** Answers a question about a place in a document; nothing for one that is not held. */
  const about =
    <P extends Asked, T, N>(
      answer: (workspace: Workspace, at: { name: string; offset: number }, asked: P) => T,
      none: N,
    ) =>
    (asked: P): T | N => {
      const workspace = workspaceOf(asked.textDocument.uri);
      const place = workspace && at(workspace, asked.textDocument.uri, asked.position);
      return workspace && place ? answer(workspace, place, asked) : none;
    };
  /** Answers a question about a whole document. */
  const of =
    <T>(answer: (workspace: Workspace, name: string) => T, none: T) =>
    ({ textDocument: { uri } }: { readonly textDocument: { readonly uri: string } }): T => {
      const workspace = workspaceOf(uri);
      const name = workspace?.nameAt(uri);
      return workspace && name !== undefined && workspace.document(name) ? answer(workspace, name) : none;
    };

  connection.onCompletion(about(completion, null));
  connection.onHover(about(hover, null));
  connection.onDefinition(about(definition, null));
  connection.onReferences(
    about((workspace, place, { context }) => references(workspace, place, context.includeDeclaration), []),
  );
  connection.onPrepareRename(about(prepareRename, null));
  connection.onRenameRequest(
    about((workspace, place, { newName }) => {
      const made = renamed(workspace, place, newName);
      return typeof made === 'string' ? new ResponseError(ErrorCodes.InvalidParams, made) : made;
    }, null),
  );
  connection.onCodeAction(({ textDocument: { uri }, range }) => {
    const workspace = workspaceOf(uri);
    if (!workspace) return [];
    const actions = codeActions(workspace, uri, range);
    if (resolves) return actions;
    return actions.flatMap((action) => {
      const edit = mendEdits(workspace, action.data as MendData);
      return typeof edit === 'string' ? [] : [{ ...action, edit }];
    });
  });
  connection.onCodeActionResolve((action) => {
    const data = action.data as MendData;
    const workspace = workspaceOf(data.uri);
    const edit = workspace ? mendEdits(workspace, data) : 'This finding is no longer there.';
    return typeof edit === 'string'
      ? new ResponseError(ErrorCodes.InvalidRequest, edit)
      : { ...action, edit };
  });
  connection.onDocumentSymbol(of(documentSymbols, []));
  connection.onWorkspaceSymbol(({ query }) => workspaces.flatMap((each) => workspaceSymbols(each, query)));
  connection.onFoldingRanges(of(folding, []));
  connection.languages.semanticTokens.on(of(semanticTokens, { data: [] }));
  connection.listen();
}

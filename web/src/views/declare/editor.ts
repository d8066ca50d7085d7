/** The text editor: its text in our own colours, findings in place, completion, names explained. */
import {
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { defaultKeymap, indentWithTab } from '@codemirror/commands';
import { bracketMatching, HighlightStyle, indentOnInput, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, lintKeymap, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search';
import { Annotation, EditorState, type Extension } from '@codemirror/state';
import {
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightActiveLineGutter,
  highlightSpecialChars,
  hoverTooltip,
  keymap,
  lineNumbers,
} from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { Completions } from '@vondle/core/assist';
import type { TextEdit } from '@vondle/core/base';
import type { FindingView, NamedView } from '../../workers/views.ts';
import { topologyText } from './colouring.ts';

const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--accent)' },
  { tag: tags.comment, color: 'var(--soft)', fontStyle: 'italic' },
  { tag: tags.string, color: 'var(--ink)' },
  { tag: [tags.separator, tags.punctuation, tags.squareBracket, tags.brace], color: 'var(--soft)' },
  { tag: [tags.meta, tags.labelName, tags.typeName], color: 'var(--warning)' },
]);

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '13px', color: 'var(--ink)', backgroundColor: 'var(--sheet)' },
  '.cm-scroller': { fontFamily: 'var(--mono)', lineHeight: '1.55' },
  '.cm-gutters': { backgroundColor: 'var(--sheet)', color: 'var(--soft)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': {
    backgroundColor: 'color-mix(in srgb, var(--band) 60%, transparent)',
  },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'var(--accent-sheet)',
  },
  '.cm-selectionMatch': { backgroundColor: 'color-mix(in srgb, var(--accent-sheet) 60%, transparent)' },
  '.explained': {
    padding: '6px 10px',
    fontFamily: 'var(--face)',
    fontSize: '13px',
    display: 'grid',
    gap: '2px',
  },
  '.explained code': { fontFamily: 'var(--mono)', fontWeight: '600' },
  '.explained small': { color: 'var(--soft)', fontSize: '12px' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': {
    fontFamily: 'var(--mono)',
    fontSize: '12.5px',
    maxHeight: '15em',
  },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li': { padding: '2px 8px', lineHeight: '1.5' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    background: 'var(--accent-sheet)',
    color: 'var(--ink)',
  },
  '.cm-completionDetail': {
    fontFamily: 'var(--face)',
    fontStyle: 'normal',
    color: 'var(--soft)',
    fontSize: '12.5px',
  },
  '.cm-completionMatchedText': { textDecoration: 'none', color: 'var(--accent)', fontWeight: '600' },
  '.option-key .cm-completionLabel': { fontWeight: '600' },
  '.cm-tooltip': {
    backgroundColor: 'var(--sheet)',
    border: '1px solid var(--hairline)',
    color: 'var(--ink)',
    maxWidth: '460px',
  },
  // marks in our own shapes: a bar for an error, a dot for a warning, a ring for advice
  '.cm-lint-marker': { width: '9px', height: '9px', margin: '5px 0 0 3px' },
  '.cm-lint-marker-error': {
    content: '""',
    width: '5px',
    height: '13px',
    marginTop: '3px',
    background: 'var(--error)',
  },
  '.cm-lint-marker-warning': { content: '""', borderRadius: '50%', background: 'var(--warning)' },
  '.cm-lint-marker-info': { content: '""', borderRadius: '50%', border: '1.5px solid var(--soft)' },
  '.cm-diagnostic': { fontFamily: 'var(--face)', fontSize: '13px', borderLeftWidth: '3px' },
  '.cm-diagnosticAction': {
    backgroundColor: 'var(--accent)',
    color: 'var(--on-accent)',
    borderRadius: '3px',
    padding: '2px 8px',
  },
});

/** Marks changes that come from outside the editor, so that they are not sent back. */
const fromOutside = Annotation.define<boolean>();

export interface Editor {
  readonly view: EditorView;
  /** Shows another document; each keeps its own history and cursor. */
  show(name: string, text: string): void;
  /**
   * Brings the shown document to a text changed elsewhere.
   * @param before the text that edits lead from, where they are known; else all of it is put anew
   */
  update(text: string, before?: string, edits?: readonly Replacement[]): void;
  mark(findings: readonly FindingView[], mend: (finding: FindingView, index: number) => void): void;
  select(start: number, end: number): void;
  destroy(): void;
}

/** A stretch of the shown document that becomes another text. */
export type Replacement = Pick<TextEdit, 'start' | 'end' | 'text'>;

/** What the editor asks and tells. */
export interface EditorHost {
  readonly readOnly: boolean;
  change(edits: readonly Replacement[]): void;
  cursor(offset: number): void;
  complete(text: string, offset: number): Promise<Completions | undefined>;
  nameAt(offset: number): Promise<NamedView | undefined>;
  undo(): void;
  redo(): void;
  toDeclaration(offset: number): void;
  toUses(offset: number): void;
  rename(offset: number): void;
}

export function createEditor(parent: HTMLElement, on: EditorHost): Editor {
  const command = (run: (offset: number) => void) => (view: EditorView) => {
    run(view.state.selection.main.head);
    return true;
  };
  const extensions: Extension[] = [
    lineNumbers(),
    lintGutter(),
    drawSelection(),
    highlightSpecialChars(),
    highlightActiveLine(),
    highlightActiveLineGutter(),
    highlightSelectionMatches(),
    bracketMatching(),
    closeBrackets(),
    indentOnInput(),
    keymap.of([
      { key: 'Mod-z', run: command(() => on.undo()), shift: command(() => on.redo()) },
      { key: 'Mod-y', run: command(() => on.redo()) },
      { key: 'Alt-d', run: command((at) => on.toDeclaration(at)) },
      { key: 'Alt-u', run: command((at) => on.toUses(at)) },
      { key: 'Alt-r', run: command((at) => on.rename(at)) },
      ...closeBracketsKeymap,
      ...searchKeymap,
      ...lintKeymap,
      indentWithTab,
      ...defaultKeymap,
    ]),
    autocompletion({
      override: [(context) => complete(context, on)],
      icons: false,
      activateOnTypingDelay: 60,
      optionClass: ({ type }) => `option-${type ?? 'name'}`,
    }),
    hoverTooltip((view, at) => explain(at, on), { hoverTime: 250 }),
    topologyText,
    syntaxHighlighting(colours),
    look,
    EditorState.readOnly.of(on.readOnly),
    EditorView.contentAttributes.of({ 'aria-label': 'topology document', tabindex: '0' }),
    EditorView.updateListener.of((update) => {
      if (update.docChanged && !update.transactions.some((each) => each.annotation(fromOutside))) {
        const edits: Replacement[] = [];
        update.changes.iterChanges((start, end, _from, _to, text) =>
          edits.push({ start, end, text: text.toString() }),
        );
        on.change(edits);
      }
      if (update.docChanged || update.selectionSet) on.cursor(update.state.selection.main.head);
    }),
  ];
  const view = new EditorView({ parent });
  const states = new Map<string, EditorState>();
  let shown = '';

  return {
    view,
    show(name, text) {
      if (shown) states.set(shown, view.state);
      shown = name;
      view.setState(states.get(name) ?? EditorState.create({ doc: text, extensions }));
      this.update(text);
    },
    update(text, before, edits) {
      const own = view.state.doc.toString();
      if (own === text) return;
      const changes =
        own === before && edits
          ? edits.map(({ start, end, text: insert }) => ({ from: start, to: end, insert }))
          : { from: 0, to: own.length, insert: text };
      view.dispatch({ changes, annotations: fromOutside.of(true) });
    },
    mark(findings, mend) {
      const length = view.state.doc.length;
      const diagnostics: Diagnostic[] = findings.map((finding) => ({
        from: Math.min(finding.spot.start, length),
        to: Math.min(Math.max(finding.spot.end, finding.spot.start + 1), length),
        severity: finding.severity === 'advice' ? 'info' : finding.severity,
        message: finding.message,
        actions: finding.mends.map((title, index) => ({
          name: title,
          apply: () => mend(finding, index),
        })),
      }));
      view.dispatch(setDiagnostics(view.state, diagnostics));
    },
    select(start, end) {
      const length = view.state.doc.length;
      const [anchor, head] = [Math.min(start, length), Math.min(end, length)];
      view.dispatch({
        selection: { anchor, head },
        effects: EditorView.scrollIntoView(anchor, { y: 'center' }),
      });
      view.focus();
    },
    destroy: () => view.destroy(),
  };
}

async function complete(context: CompletionContext, on: EditorHost): Promise<CompletionResult | null> {
  const { state, pos, explicit } = context;
  const before = state.doc.lineAt(pos);
  const word = state.sliceDoc(before.from, pos);
  // a list that opens by itself on an empty line would be in the way
  if (!explicit && /^\s*$|[}\]]$/.test(word)) return null;
  const found = await on.complete(state.doc.toString(), pos);
  if (!found) return null;
  return {
    from: found.from,
    options: found.options.map(({ label, insert, kind, about }) => ({
      label,
      apply: insert,
      type: kind,
      detail: about,
    })),
    // a colon or a space may end a key, and then other things may follow
    validFor: /^[\w./*#-]*$/,
  };
}

async function explain(at: number, on: EditorHost) {
  const found = await on.nameAt(at);
  if (!found) return null;
  const { start, end, id, line, declares, spot, uses } = found;
  return {
    pos: start,
    end,
    create: () => {
      const dom = document.createElement('div');
      dom.className = 'explained';
      const add = (tag: string, text: string) =>
        dom.append(Object.assign(document.createElement(tag), { textContent: text }));
      add('code', id);
      add('p', line);
      const where = declares
        ? 'declared here'
        : spot
          ? `declared in ${spot.doc}, line ${spot.line}`
          : 'not declared';
      add('small', `${where}; ${uses.length === 1 ? '1 use' : `${uses.length} uses`}`);
      return { dom };
    },
  };
}

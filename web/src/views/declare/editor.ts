/** The text editor: YAML highlighting in our own colours, findings in place, undo. */
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { bracketMatching, HighlightStyle, indentOnInput, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, lintKeymap, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search';
import { Annotation, EditorState, type Extension, type TransactionSpec } from '@codemirror/state';
import {
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightActiveLineGutter,
  highlightSpecialChars,
  keymap,
  lineNumbers,
} from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { FindingView } from '../../workers/views.ts';

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
  /** Brings the shown document to a text changed elsewhere, as one undoable change of what differs. */
  update(text: string): void;
  mark(findings: readonly FindingView[], mend: (finding: FindingView, index: number) => void): void;
  select(start: number, end: number): void;
  destroy(): void;
}

export function createEditor(
  parent: HTMLElement,
  on: { change: (text: string) => void; cursor: (offset: number) => void; readOnly: boolean },
): Editor {
  const extensions: Extension[] = [
    lineNumbers(),
    lintGutter(),
    history(),
    drawSelection(),
    highlightSpecialChars(),
    highlightActiveLine(),
    highlightActiveLineGutter(),
    highlightSelectionMatches(),
    bracketMatching(),
    indentOnInput(),
    keymap.of([...defaultKeymap, ...historyKeymap, ...searchKeymap, ...lintKeymap, indentWithTab]),
    yaml(),
    syntaxHighlighting(colours),
    look,
    EditorState.readOnly.of(on.readOnly),
    EditorView.contentAttributes.of({ 'aria-label': 'topology document' }),
    EditorView.updateListener.of((update) => {
      if (update.docChanged && !update.transactions.some((each) => each.annotation(fromOutside))) {
        on.change(update.state.doc.toString());
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
    update(text) {
      const before = view.state.doc.toString();
      if (before === text) return;
      view.dispatch({ ...difference(before, text), annotations: fromOutside.of(true) });
    },
    mark(findings, mend) {
      const length = view.state.doc.length;
      const diagnostics: Diagnostic[] = findings.map((finding) => ({
        from: Math.min(finding.spot.start, length),
        to: Math.min(Math.max(finding.spot.end, finding.spot.start + 1), length),
        severity: finding.severity === 'advice' ? 'info' : finding.severity,
        message: finding.message,
        actions: finding.mends.map(({ title }, index) => ({
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

/** The one replacement that turns a text into another: what lies between what both begin and end with. */
function difference(before: string, after: string): TransactionSpec {
  let start = 0;
  const most = Math.min(before.length, after.length);
  while (start < most && before[start] === after[start]) start++;
  let tail = 0;
  while (tail < most - start && before[before.length - 1 - tail] === after[after.length - 1 - tail]) tail++;
  return {
    changes: { from: start, to: before.length - tail, insert: after.slice(start, after.length - tail) },
  };
}

/** The text editor: its text in our own colours, findings in place, completion, names explained. */
import {
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { defaultKeymap, indentWithTab } from '@codemirror/commands';
import {
  bracketMatching,
  codeFolding,
  foldGutter,
  foldKeymap,
  foldService,
  HighlightStyle,
  indentOnInput,
  syntaxHighlighting,
} from '@codemirror/language';
import { lintGutter, lintKeymap, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search';
import {
  Annotation,
  Compartment,
  EditorSelection,
  EditorState,
  StateEffect,
  StateField,
  type Extension,
} from '@codemirror/state';
import {
  Decoration,
  drawSelection,
  EditorView,
  MatchDecorator,
  ViewPlugin,
  WidgetType,
  type DecorationSet,
  type ViewUpdate,
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
import { lineBreak } from './enter.ts';

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
  '.value-of': { color: 'var(--faint)', fontStyle: 'italic', paddingLeft: '4px' },
  '.cm-foldPlaceholder': {
    background: 'var(--band)',
    border: '1px solid var(--hairline)',
    color: 'var(--soft)',
    padding: '0 5px',
    font: '12px var(--face)',
  },
  '.cm-foldGutter span': { color: 'var(--soft)', cursor: 'pointer' },
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
  /** Says what parameters stand for, faintly behind each. */
  value(parameters: Readonly<Record<string, string>>): void;
  /** Whether long lines are broken where the window ends. */
  wrap(wraps: boolean): void;
  mark(findings: readonly FindingView[], mend: (finding: FindingView, index: number) => void): void;
  select(start: number, end: number): void;
  destroy(): void;
}

/** A stretch of the shown document that becomes another text. */
export type Replacement = Pick<TextEdit, 'start' | 'end' | 'text'>;

/** A key of the language, and what it says. */
export interface KeyHere {
  readonly name: string;
  readonly start: number;
  readonly end: number;
  /** With code between backticks. */
  readonly words: string;
}

/** What the editor asks and tells. */
export interface EditorHost {
  readonly readOnly: boolean;
  readonly wraps: boolean;
  change(edits: readonly Replacement[]): void;
  cursor(offset: number): void;
  complete(text: string, offset: number): Promise<Completions | undefined>;
  nameAt(offset: number): Promise<NamedView | undefined>;
  keyAt(offset: number): Promise<KeyHere | undefined>;
  /** Writes what stands between brackets at an offset on lines of its own. */
  asLines(offset: number): void;
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
  const wrapping = new Compartment();
  let wraps = on.wraps;
  let parameters: Readonly<Record<string, string>> = {};
  const extensions: Extension[] = [
    lineNumbers(),
    lintGutter(),
    codeFolding({ placeholderDOM: folded, preparePlaceholder: linesIn }),
    foldGutter({ openText: '▾', closedText: '▸' }),
    foldService.of(foldByIndent),
    values,
    wrapping.of(wraps ? EditorView.lineWrapping : []),
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
      { key: 'Alt-b', run: command((at) => on.asLines(at)) },
      { key: 'Enter', run: breakLine },
      ...foldKeymap,
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
      // a document that was put away meanwhile is shown as the others are
      this.wrap(wraps);
      this.value(parameters);
    },
    value(now) {
      parameters = now;
      view.dispatch({ effects: setValues.of(now) });
    },
    wrap(now) {
      wraps = now;
      view.dispatch({ effects: wrapping.reconfigure(now ? EditorView.lineWrapping : []) });
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

/** A block folds to the line it begins on: what stands further in below it, and a list right under its key. */
function foldByIndent(state: EditorState, start: number): { from: number; to: number } | null {
  const line = state.doc.lineAt(start);
  if (line.text.trim() === '' || line.text.trimStart().startsWith('#')) return null;
  const indentOf = (text: string) => /^ */.exec(text)![0].length;
  const isItem = (text: string) => /^ *- /.test(text);
  const own = indentOf(line.text);
  let last = line;
  for (let n = line.number + 1; n <= state.doc.lines; n++) {
    const next = state.doc.line(n);
    if (next.text.trim() === '') continue;
    const indent = indentOf(next.text);
    const isUnder = indent > own || (indent === own && isItem(next.text) && !isItem(line.text));
    if (!isUnder) break;
    last = next;
  }
  return last.number > line.number ? { from: line.to, to: last.to } : null;
}

/** How many lines are folded away, which stands where they were. */
const linesIn = (state: EditorState, { from, to }: { from: number; to: number }) =>
  state.doc.lineAt(to).number - state.doc.lineAt(from).number;

function folded(_: EditorView, unfold: (event: Event) => void, lines: number): HTMLElement {
  const dom = Object.assign(document.createElement('span'), {
    className: 'cm-foldPlaceholder',
    textContent: `${lines} ${lines === 1 ? 'line' : 'lines'}`,
    title: 'unfold',
    onclick: unfold,
  });
  dom.setAttribute('aria-label', `${lines} lines folded away`);
  return dom;
}

/** What parameters stand for in the environment that is looked at. */
const setValues = StateEffect.define<Readonly<Record<string, string>>>();
const valuesNow = StateField.define<Readonly<Record<string, string>>>({
  create: () => ({}),
  update: (before, { effects }) =>
    effects.reduce((found, effect) => (effect.is(setValues) ? effect.value : found), before),
});

class ValueOf extends WidgetType {
  constructor(private readonly text: string) {
    super();
  }
  override eq = (other: ValueOf) => other.text === this.text;
  override toDOM() {
    return Object.assign(document.createElement('span'), { className: 'value-of', textContent: this.text });
  }
}

const matcher = new MatchDecorator({
  regexp: /(?<!\$)\$\{([^}\n]+)\}/g,
  decorate(add, _from, to, [, name], view) {
    const known = view.state.field(valuesNow);
    if (!Object.hasOwn(known, name!)) return;
    add(to, to, Decoration.widget({ widget: new ValueOf(known[name!]!), side: 1 }));
  },
});

const values: Extension = [
  valuesNow,
  ViewPlugin.fromClass(
    class {
      shown: DecorationSet;
      constructor(view: EditorView) {
        this.shown = matcher.createDeco(view);
      }
      update(update: ViewUpdate) {
        const anew = update.startState.field(valuesNow) !== update.state.field(valuesNow);
        this.shown = anew ? matcher.createDeco(update.view) : matcher.updateDeco(update, this.shown);
      }
    },
    { decorations: ({ shown }) => shown },
  ),
];

async function explain(at: number, on: EditorHost) {
  const found = await on.nameAt(at);
  if (!found) return explainKey(at, on);
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

/** A key of the language: what it says, and what holds without it. */
async function explainKey(at: number, on: EditorHost) {
  const key = await on.keyAt(at);
  if (!key) return null;
  const { name, words, start, end } = key;
  return {
    pos: start,
    end,
    create: () => {
      const dom = document.createElement('div');
      dom.className = 'explained';
      const line = document.createElement('p');
      for (const [i, text] of words.split('`').entries())
        line.append(i % 2 ? Object.assign(document.createElement('code'), { textContent: text }) : text);
      dom.append(Object.assign(document.createElement('code'), { textContent: name }), line);
      return { dom };
    },
  };
}

/** Begins a new line where its text is to stand; nothing else is moved to another column. */
function breakLine(view: EditorView): boolean {
  if (view.state.readOnly) return false;
  const text = view.state.doc.toString();
  view.dispatch(
    view.state.changeByRange(({ from, to }) => {
      const { start, end, text: insert } = lineBreak(text, from, to);
      return {
        changes: { from: start, to: end, insert },
        range: EditorSelection.cursor(start + insert.length),
      };
    }),
    { scrollIntoView: true, userEvent: 'input' },
  );
  return true;
}

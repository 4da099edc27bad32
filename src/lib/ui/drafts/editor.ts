import {
  autocompletion,
  closeBrackets,
  snippet,
  startCompletion,
  type CompletionContext,
  type CompletionResult
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { bracketMatching, codeFolding, foldGutter, foldKeymap, indentUnit, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search';
import { Compartment, EditorState, StateEffect, StateField, type Extension } from '@codemirror/state';
import {
  Decoration,
  drawSelection,
  EditorView,
  highlightActiveLine,
  hoverTooltip,
  keymap,
  lineNumbers,
  WidgetType,
  type DecorationSet
} from '@codemirror/view';
import { completionAt, meaningAt, starterOf, type NameAtHand } from '$core/drafts';
import { secretSpans } from './cover';
import { colours, look } from './look';
import type { Finding, Link, TextEdit } from './types';

export interface EditorHandle {
  readonly view: EditorView;
  /** Shows a file; each keeps its own history of steps. */
  open(name: string, text: string): void;
  mark(findings: readonly Finding[]): void;
  link(links: readonly Link[]): void;
  know(names: readonly NameAtHand[]): void;
  cover(on: boolean): void;
  show(line: number, column: number): void;
  apply(edits: readonly TextEdit[]): void;
  replace(text: string): void;
}

export interface EditorCalls {
  changed(name: string, text: string): void;
  mend(finding: Finding): void;
  jump(link: Link): void;
}

class Covered extends WidgetType {
  toDOM(): HTMLElement {
    const span = document.createElement('span');
    span.className = 'rb-covered';
    span.textContent = '··········';
    span.setAttribute('aria-label', 'covered');
    return span;
  }
  override eq(): boolean {
    return true;
  }
}

const setCover = StateEffect.define<boolean>();
const coverOf = (text: string): DecorationSet =>
  Decoration.set(secretSpans(text).map(({ from, to }) => Decoration.replace({ widget: new Covered() }).range(from, to)));
const coverField = StateField.define<{ on: boolean; marks: DecorationSet }>({
  create: (state) => ({ on: true, marks: coverOf(state.doc.toString()) }),
  update(value, transaction) {
    let { on } = value;
    for (const effect of transaction.effects) if (effect.is(setCover)) on = effect.value;
    if (on === value.on && !transaction.docChanged) return value;
    return { on, marks: on ? coverOf(transaction.state.doc.toString()) : Decoration.none };
  },
  provide: (field) => [
    EditorView.decorations.from(field, (value) => value.marks),
    EditorView.atomicRanges.of((view) => view.state.field(field).marks)
  ]
});

const setLinks = StateEffect.define<readonly Link[]>();
const linkField = StateField.define<{ links: readonly Link[]; marks: DecorationSet }>({
  create: () => ({ links: [], marks: Decoration.none }),
  update(value, transaction) {
    for (const effect of transaction.effects) {
      if (!effect.is(setLinks)) continue;
      const fit = effect.value.filter((one) => one.to <= transaction.state.doc.length && one.from < one.to).sort((a, b) => a.from - b.from);
      return {
        links: fit,
        marks: Decoration.set(
          fit.map((one) =>
            Decoration.mark({ class: `rb-link rb-link-${one.there}`, attributes: { title: `${one.kind} ${one.name}` } }).range(
              one.from,
              one.to
            )
          )
        )
      };
    }
    return transaction.docChanged ? { links: [], marks: value.marks.map(transaction.changes) } : value;
  },
  provide: (field) => EditorView.decorations.from(field, (value) => value.marks)
});

/** A starter as a snippet: its names are typed once and stand everywhere. */
const asSnippet = (text: string): string =>
  text.replace(/([:-] )(name|image)$/gm, (_, lead: string, word: string) => `${lead}\${${word}}`).replace(/: key$/gm, ': ${key}');

function completionSource(names: () => readonly NameAtHand[]) {
  return (context: CompletionContext): CompletionResult | null => {
    const text = context.state.doc.toString();
    const { from: start, to: end, empty } = context.state.selection.main;
    // What is selected, a name to be chosen say, is to be replaced: it is no part of the word.
    const found = empty ? completionAt(text, context.pos, names()) : completionAt(text.slice(0, start) + text.slice(end), start, names());
    if (!found) return null;
    if (
      !context.explicit &&
      found.from === context.pos &&
      !/[:-] $/.test(context.state.sliceDoc(Math.max(0, context.pos - 2), context.pos))
    )
      return null;
    return {
      from: found.from,
      ...(empty ? {} : { to: end }),
      options: found.proposals.map((one, i) => ({
        label: one.label,
        detail: one.detail,
        boost: -i / 10,
        ...(one.info ? { info: one.info } : {}),
        apply: starterOf(one.label) === one.insert && one.insert.includes('\n') ? snippet(asSnippet(one.insert)) : applied(one.insert)
      })),
      filter: false
    };
  };
}

const applied = (insert: string) => (view: EditorView, _: unknown, from: number, to: number) => {
  view.dispatch({
    changes: { from, to, insert },
    selection: { anchor: from + insert.length },
    scrollIntoView: true,
    userEvent: 'input.complete'
  });
  if (/(: |- |\n\s+)$/.test(insert)) startCompletion(view);
};

const hover = hoverTooltip((view, pos) => {
  const found = meaningAt(view.state.doc.toString(), pos);
  if (!found) return null;
  return {
    pos,
    create: () => {
      const dom = document.createElement('div');
      const head = document.createElement('p');
      head.className = 'mono';
      head.textContent = `${found.field}: ${found.says}${found.needed ? ', needed' : ''}`;
      const text = document.createElement('p');
      text.textContent = found.meaning ?? 'A field of the published schema; there are no words for it here yet.';
      dom.append(head, text);
      return { dom };
    }
  };
});

/** A fold's mark: a hairline for what is open, a square outline for what is folded. */
function foldMark(open: boolean): HTMLElement {
  const mark = document.createElement('span');
  mark.className = open ? 'rb-fold' : 'rb-fold rb-folded';
  mark.title = open ? 'Fold' : 'Open';
  return mark;
}
function foldedLines(_view: EditorView, onclick: (event: Event) => void, lines: number): HTMLElement {
  const mark = document.createElement('button');
  mark.className = 'rb-folded-lines';
  mark.textContent = `${lines} ${lines === 1 ? 'line' : 'lines'}`;
  mark.onclick = onclick;
  return mark;
}

const levels = { error: 'error', warning: 'warning', note: 'info' } as const;

/** Stands a YAML editor up in an element. */
export function makeEditor(parent: HTMLElement, calls: EditorCalls): EditorHandle {
  const states = new Map<string, EditorState>();
  let name = '';
  let names: readonly NameAtHand[] = [];
  let covered = true;
  let findings: readonly Finding[] = [];
  const own = new Compartment();

  const linkAt = (view: EditorView, pos: number) => view.state.field(linkField).links.find((one) => one.from <= pos && pos <= one.to);
  const extensions: Extension[] = [
    lineNumbers(),
    foldGutter({ markerDOM: foldMark }),
    codeFolding({
      preparePlaceholder: (state, range) => state.doc.lineAt(range.to).number - state.doc.lineAt(range.from).number,
      placeholderDOM: foldedLines
    }),
    history(),
    EditorState.allowMultipleSelections.of(true),
    drawSelection(),
    bracketMatching(),
    closeBrackets(),
    highlightActiveLine(),
    highlightSelectionMatches(),
    search({ top: false }),
    lintGutter(),
    indentUnit.of('  '),
    yaml(),
    syntaxHighlighting(colours),
    look,
    autocompletion({ override: [completionSource(() => names)], icons: false, maxRenderedOptions: 60, activateOnTypingDelay: 60 }),
    hover,
    coverField,
    linkField,
    // Tab is not taken, but where the names of a starter are gone through: it leaves the editor, so the keyboard is never caught in it.
    keymap.of([
      {
        key: 'F12',
        run: (view) => {
          const link = linkAt(view, view.state.selection.main.head);
          if (link) calls.jump(link);
          return link !== undefined;
        }
      },
      {
        key: 'Alt-Enter',
        run: (view) => {
          const line = view.state.doc.lineAt(view.state.selection.main.head).number;
          const found = findings.find((one) => one.at.line === line && one.mend);
          if (found) calls.mend(found);
          return found !== undefined;
        }
      },
      ...foldKeymap,
      ...searchKeymap,
      ...defaultKeymap,
      ...historyKeymap
    ]),
    EditorView.domEventHandlers({
      mousedown(event, view) {
        if (!event.ctrlKey && !event.metaKey) return false;
        const pos = view.posAtCoords({ x: event.clientX, y: event.clientY });
        const link = pos === null ? undefined : linkAt(view, pos);
        if (!link) return false;
        calls.jump(link);
        return true;
      }
    }),
    EditorView.contentAttributes.of({
      'aria-label': 'Manifests of the draft',
      'aria-description':
        'Tab leaves the editor. Ctrl and ] indents, Ctrl and [ takes the indent back, Alt and Enter mends the finding of the line.'
    }),
    EditorView.updateListener.of((update) => {
      if (update.docChanged) calls.changed(name, update.state.doc.toString());
    }),
    own.of([])
  ];
  const fresh = (text: string) => EditorState.create({ doc: text, extensions });
  const view = new EditorView({ parent, state: fresh('') });
  // When what stands under it grows, the line in which one writes stays in sight.
  const resized = new ResizeObserver(() => {
    if (view.hasFocus) view.dispatch({ effects: EditorView.scrollIntoView(view.state.selection.main.head, { y: 'nearest', yMargin: 48 }) });
  });
  resized.observe(view.dom);
  const offset = (line: number, column: number) => {
    const { doc } = view.state;
    const at = doc.line(Math.min(Math.max(1, line), doc.lines));
    const from = Math.min(at.to, at.from + column - 1);
    return { from, to: Math.max(from, at.to) };
  };
  return {
    view,
    open(next, text) {
      if (name) states.set(name, view.state);
      name = next;
      const kept = states.get(next);
      view.setState(kept && kept.doc.toString() === text ? kept : fresh(text));
      view.dispatch({ effects: setCover.of(covered) });
    },
    replace(text) {
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
    },
    mark(next) {
      findings = next;
      const diagnostics: Diagnostic[] = next
        .filter((one) => one.at.line !== undefined)
        .map((one) => ({
          ...offset(one.at.line!, one.at.column ?? 1),
          severity: levels[one.severity],
          message: `${one.message} ${one.remedy}`,
          ...(one.mend ? { actions: [{ name: one.mend.says, apply: () => calls.mend(one) }] } : {})
        }));
      view.dispatch(setDiagnostics(view.state, diagnostics));
    },
    link(links) {
      view.dispatch({ effects: setLinks.of(links) });
    },
    know(next) {
      names = next;
    },
    cover(on) {
      covered = on;
      view.dispatch({ effects: setCover.of(on) });
    },
    show(line, column) {
      const { from } = offset(line, column);
      view.dispatch({ selection: { anchor: from }, effects: EditorView.scrollIntoView(from, { y: 'center' }) });
      view.focus();
    },
    apply(edits) {
      if (edits.length) view.dispatch({ changes: edits.map(({ from, to, insert }) => ({ from, to, insert })), userEvent: 'input.mend' });
    }
  };
}

/** Stands what is kept (left) beside what was written here (right), which can be written on; parts of the left can be taken over. */
export async function makeMerge(
  parent: HTMLElement,
  theirs: string,
  mine: string,
  covered: boolean,
  changed: (text: string) => void
): Promise<{ destroy(): void }> {
  const { MergeView } = await import('@codemirror/merge');
  const common = [lineNumbers(), yaml(), syntaxHighlighting(colours), look, covered ? [coverField] : []];
  return new MergeView({
    a: {
      doc: theirs,
      extensions: [
        ...common,
        EditorState.readOnly.of(true),
        EditorView.editable.of(false),
        EditorView.contentAttributes.of({ 'aria-label': 'As it stands now', tabindex: '0' })
      ]
    },
    b: {
      doc: mine,
      extensions: [
        ...common,
        history(),
        keymap.of([...defaultKeymap, ...historyKeymap]),
        EditorView.contentAttributes.of({ 'aria-label': 'Yours' }),
        EditorView.updateListener.of((update) => update.docChanged && changed(update.state.doc.toString()))
      ]
    },
    parent,
    gutter: true,
    highlightChanges: true,
    revertControls: 'a-to-b',
    renderRevertControl() {
      const button = document.createElement('button');
      button.textContent = '→';
      button.className = 'word';
      button.setAttribute('aria-label', 'Take this part over from the left');
      return button;
    }
  });
}

/** Stands two texts side by side, with what differs between them. */
export async function makeCompare(parent: HTMLElement, before: string, after: string): Promise<{ destroy(): void }> {
  const { MergeView } = await import('@codemirror/merge');
  const side = (doc: string, label: string) => ({
    doc,
    extensions: [
      lineNumbers(),
      yaml(),
      syntaxHighlighting(colours),
      look,
      EditorState.readOnly.of(true),
      EditorView.editable.of(false),
      EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' })
    ]
  });
  return new MergeView({
    a: side(before, 'Before'),
    b: side(after, 'After'),
    parent,
    gutter: true,
    highlightChanges: true,
    collapseUnchanged: { margin: 4, minSize: 12 }
  });
}

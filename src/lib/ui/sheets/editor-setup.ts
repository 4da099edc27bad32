import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { bracketMatching, foldGutter, HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '13px', color: 'var(--color-ink)', backgroundColor: 'transparent' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '1.6' },
  '.cm-gutters': { backgroundColor: 'transparent', color: 'var(--color-quiet)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'color-mix(in oklab, var(--color-tape) 80%, transparent)' },
  '.cm-cursor': { borderLeftColor: 'var(--color-ink)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'color-mix(in oklab, var(--color-moss) 24%, transparent)'
  },
  '&.cm-focused': { outline: '2px solid var(--color-moss)', outlineOffset: '-2px' },
  '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: '2px solid var(--color-brick)' },
  '.cm-lint-marker-error': { content: 'none', width: '9px', height: '9px', border: '2px solid var(--color-brick)', borderTopStyle: 'none' },
  '.cm-tooltip': { backgroundColor: 'var(--color-sheet)', color: 'var(--color-ink)', border: '1px solid var(--color-ink)' }
});

const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--color-moss)' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--color-ink)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--color-ochre)' },
  { tag: tags.comment, color: 'var(--color-quiet)', fontStyle: 'italic' },
  { tag: [tags.separator, tags.meta], color: 'var(--color-quiet)' }
]);

interface Problem {
  readonly message: string;
  readonly at: { readonly line?: number; readonly column?: number };
}

export interface EditorHandle {
  readonly view: EditorView;
  mark(problems: readonly Problem[]): void;
  show(line: number, column: number): void;
}

/** Stands a YAML editor up in an element. */
export function makeEditor(parent: HTMLElement, text: string, changed: (text: string) => void): EditorHandle {
  const view = new EditorView({
    parent,
    state: EditorState.create({
      doc: text,
      extensions: [
        lineNumbers(),
        foldGutter(),
        history(),
        drawSelection(),
        bracketMatching(),
        highlightActiveLine(),
        lintGutter(),
        yaml(),
        syntaxHighlighting(colours),
        look,
        // Escape first, then Tab leaves the editor: the keyboard is never caught in it.
        keymap.of([...defaultKeymap, ...historyKeymap, indentWithTab]),
        EditorView.contentAttributes.of({ 'aria-label': 'Manifests of the draft' }),
        EditorView.updateListener.of((update) => update.docChanged && changed(update.state.doc.toString()))
      ]
    })
  });
  const offset = (line: number, column: number) => {
    const { doc } = view.state;
    const at = doc.line(Math.min(Math.max(1, line), doc.lines));
    return { from: Math.min(at.to, at.from + column - 1), to: at.to };
  };
  return {
    view,
    mark(problems) {
      const diagnostics = problems
        .filter((one) => one.at.line !== undefined)
        .map((one) => ({ ...offset(one.at.line!, one.at.column ?? 1), severity: 'error' as const, message: one.message }));
      view.dispatch(setDiagnostics(view.state, diagnostics));
    },
    show(line, column) {
      const { from } = offset(line, column);
      view.dispatch({ selection: { anchor: from }, effects: EditorView.scrollIntoView(from, { y: 'center' }) });
      view.focus();
    }
  };
}

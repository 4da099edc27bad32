import { HighlightStyle } from '@codemirror/language';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';

const mark = (colour: string) => ({
  content: 'none',
  width: '10px',
  height: '10px',
  boxSizing: 'border-box',
  border: `2px solid ${colour}`
});

/** How the editor looks: our own paper, ink and pegs. */
export const look = EditorView.theme({
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
  '.cm-lintRange-warning': { backgroundImage: 'none', borderBottom: '2px solid var(--color-ochre)' },
  '.cm-lintRange-info': { backgroundImage: 'none', borderBottom: '1px dotted var(--color-slate)' },
  '.cm-lint-marker-error': {
    ...mark('var(--color-brick)'),
    borderTopStyle: 'none',
    background: 'linear-gradient(to bottom, transparent 35%, var(--color-brick) 35% 62%, transparent 62%)'
  },
  '.cm-lint-marker-warning': {
    ...mark('var(--color-ochre)'),
    background: 'linear-gradient(135deg, var(--color-ochre) 50%, transparent 50%)'
  },
  '.cm-lint-marker-info': { ...mark('var(--color-slate)'), borderWidth: '1px', borderStyle: 'dotted' },
  '.cm-tooltip': {
    backgroundColor: 'var(--color-sheet)',
    color: 'var(--color-ink)',
    border: '1px solid var(--color-ink)',
    fontFamily: 'var(--font-sans)',
    maxWidth: '30rem'
  },
  '.cm-tooltip-hover': { padding: '4px 8px' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--font-mono)', maxHeight: '15rem' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li': { padding: '2px 8px' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--color-tape)',
    color: 'var(--color-ink)',
    fontWeight: '600'
  },
  '.cm-completionDetail': { fontFamily: 'var(--font-sans)', fontStyle: 'normal', color: 'var(--color-quiet)', marginLeft: '1em' },
  '.cm-completionMatchedText': { textDecoration: 'none', color: 'var(--color-moss)' },
  '.cm-completionInfo': { border: '1px solid var(--color-ink)', padding: '4px 8px' },
  '.cm-diagnostic': { borderLeft: 'none', padding: '4px 8px' },
  '.cm-diagnosticAction': {
    backgroundColor: 'transparent',
    color: 'var(--color-ink)',
    border: '1px solid var(--color-ink)',
    borderRadius: '1px',
    marginLeft: '8px',
    padding: '1px 6px'
  },
  '.cm-panels': { backgroundColor: 'var(--color-tape)', color: 'var(--color-ink)', borderTop: '1px solid var(--color-line)' },
  '.cm-textfield': {
    backgroundColor: 'var(--color-sheet)',
    color: 'var(--color-ink)',
    border: '1px solid var(--color-line)',
    borderRadius: '1px'
  },
  '.cm-button': { background: 'transparent', border: '1px solid var(--color-ink)', borderRadius: '1px', color: 'var(--color-ink)' },
  '.cm-searchMatch': { backgroundColor: 'color-mix(in oklab, var(--color-ochre) 35%, transparent)' },
  '.cm-snippetField': { backgroundColor: 'color-mix(in oklab, var(--color-moss) 18%, transparent)' },
  '.rb-fold': {
    display: 'inline-block',
    width: '7px',
    borderTop: '1px solid var(--color-line)',
    verticalAlign: 'middle',
    cursor: 'pointer'
  },
  '.rb-folded': { height: '7px', border: '1px solid var(--color-quiet)' },
  '.rb-folded-lines': {
    fontFamily: 'var(--font-sans)',
    color: 'var(--color-quiet)',
    borderBottom: '1px solid var(--color-quiet)',
    marginLeft: '1ch',
    cursor: 'pointer'
  },
  '.cm-collapsedLines': {
    background: 'none',
    backgroundColor: 'var(--color-tape)',
    color: 'var(--color-quiet)',
    borderTop: '1px solid var(--color-line)',
    borderBottom: '1px solid var(--color-line)',
    fontFamily: 'var(--font-sans)',
    padding: '2px 12px'
  },
  '.cm-collapsedLines::before, .cm-collapsedLines::after': { content: 'none !important' },
  '.cm-foldPlaceholder': {
    backgroundColor: 'transparent',
    border: '1px solid var(--color-line)',
    color: 'var(--color-quiet)',
    borderRadius: '1px'
  },
  '.rb-covered': { color: 'var(--color-quiet)', letterSpacing: '0.15em' },
  '.rb-link': { textDecoration: 'underline', textDecorationColor: 'var(--color-line)', textUnderlineOffset: '3px' },
  '.rb-link-nowhere': { textDecorationColor: 'var(--color-brick)', textDecorationStyle: 'dashed' },
  '.cm-changedText': { background: 'color-mix(in oklab, var(--color-ochre) 28%, transparent) !important' },
  '.cm-changedLine': { backgroundColor: 'color-mix(in oklab, var(--color-ochre) 9%, transparent) !important' },
  '& .cm-changedLineGutter, & .cm-deletedLineGutter': { background: 'var(--color-ochre) !important' },
  '.cm-deletedChunk': { backgroundColor: 'color-mix(in oklab, var(--color-brick) 9%, transparent)' }
});

export const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--color-moss)' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--color-ink)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--color-ochre)' },
  { tag: tags.comment, color: 'var(--color-quiet)', fontStyle: 'italic' },
  { tag: [tags.separator, tags.meta], color: 'var(--color-quiet)' }
]);

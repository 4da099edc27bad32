/** Whether a key belongs to a field or a dialog and not to the frame. */
export function isTyping(event: KeyboardEvent): boolean {
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return true;
  const at = event.target;
  if (!(at instanceof HTMLElement)) return false;
  return at.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(at.tagName) || at.closest('dialog, .cm-editor') !== null;
}

/** All keys, as the help sheet lists them. */
export const keyList: readonly (readonly [string, string])[] = [
  ['1 – 5', 'Ground, Supply, Claims, Members, Proofs'],
  ['t', 'root line of what is selected, or of the first break'],
  ['d', 'put the remedy in a draft; elsewhere: the drafts'],
  ['p', 'prove what is selected, or the first workload; elsewhere: the proofs'],
  ['h', 'handover'],
  ['e', 'the estate'],
  ['space', 'run, pause'],
  ['.  ,', 'one event on, one back'],
  ['+ - 0', 'on the tape: zoom in, out, all'],
  ['s', 'run until settled'],
  ['Ctrl Enter', 'in a draft: send it'],
  ['f', 'fork here'],
  ['u', 'take the latest action back'],
  ['l', 'fold the tape, open it'],
  ['/', 'find'],
  ['c', 'cover addresses and secrets, uncover'],
  ['n', 'paper or night'],
  ['?', 'help for the sheet, and this list']
];

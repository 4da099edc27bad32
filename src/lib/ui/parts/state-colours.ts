import type { State } from '$core/rootline';

/** The colour of each state; shape alone tells too. */
export const stateColours: Readonly<Record<State, string>> = {
  holds: 'var(--color-moss)',
  settling: 'var(--color-ochre)',
  broken: 'var(--color-brick)',
  waiting: 'var(--color-quiet)',
  unseen: 'var(--color-slate)'
};

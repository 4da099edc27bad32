import { wordsOf } from '$core/shared';

/** A pause in a square: short. From a minute on in minutes, with a half where it is one. */
export function pauseText(ms: number): string {
  if (ms === 0) return '0';
  if (ms < 60_000) return wordsOf(ms);
  const halves = Math.round(ms / 30_000);
  return `${Math.floor(halves / 2) || ''}${halves % 2 ? '½' : ''}\u00a0min`;
}

/** What is measured, row by row. */
export const rowTitles: Readonly<Record<string, string>> = {
  'writes-pause': 'writes pause',
  'reads-pause': 'reads pause',
  lost: 'acknowledged, lost',
  steady: 'nothing fails any more',
  whole: 'members hold again',
  others: 'others hurt'
};

/** What can be asked of a time, in ms, with its words. */
export const limits: readonly (readonly [value: number, word: string])[] = [
  [-1, 'for any time'],
  [0, 'not at all'],
  [1_000, '1 s'],
  [5_000, '5 s'],
  [10_000, '10 s'],
  [15_000, '15 s'],
  [30_000, '30 s'],
  [60_000, '1 min'],
  [120_000, '2 min'],
  [180_000, '3 min'],
  [300_000, '5 min'],
  [360_000, '6 min'],
  [600_000, '10 min'],
  [900_000, '15 min']
];

import { describe, expect, test } from 'vitest';
import { allTexts } from '../../scripts/texts.mjs';

const texts = allTexts();
const shown = (list: typeof texts) => list.map((one) => `${one.file}: ${one.text}`);

/** Words and figures that were left behind: each with what stands for it now. */
const left: readonly (readonly [RegExp, string])[] = [
  [/bootstrap/i, 'front'],
  [/access node|data node|\bchunks?\b/i, 'front member, store members, spans'],
  [/asks nobody|nobody can claim of/i, 'needs no rights; no claim can be made'],
  [/\bfit disks?\b/i, 'usable disks'],
  [/no driver counts/i, 'no limit known'],
  [/lay beside/i, 'compare with'],
  [/\btake out\b/i, 'export'],
  [/what starts what|down goes the other way/i, 'order of start'],
  [/counts at position/i, 'committed at position'],
  [/says the same still/i, 'has not changed since'],
  [/that no volume names/i, 'orphaned'],
  [/looks each .* over/i, 'checks each'],
  [/closed to new pods/i, 'cordoned']
];

describe('texts', () => {
  test('there are as many as one would expect, so the list sees them', () => {
    expect(texts.length).toBeGreaterThan(2_500);
    expect(shown(texts).some((one) => one.includes('Claims outlive') || one.includes('is being taken away'))).toBe(true);
  });

  test('no word stands twice, no bracket or quote stands open, no mark of punctuation stands wrong', () => {
    const doubled = texts.filter(({ text }) => /\b([a-z]{2,}) \1\b/i.test(text) && !/\bthat that\b/.test(text));
    const count = (text: string, mark: string) => text.split(mark).length - 1;
    // Sentences only: pieces that are put together may open what another one closes.
    const open = texts.filter(
      ({ text }) =>
        /[.!?]$/.test(text) &&
        (count(text, '(') !== count(text, ')') || count(text, '“') !== count(text, '”') || count(text, '"') % 2 === 1)
    );
    const marks = texts.filter(
      ({ text }) => !text.includes('( , )') && / [,;](?=\s|$)|,,|;;|\.\.(?!\.)(?=\s|$)|\?\.(?=\s|$)|,\./.test(text)
    );
    expect(shown(doubled)).toEqual([]);
    expect(shown(open)).toEqual([]);
    expect(shown(marks)).toEqual([]);
  });

  test('nothing says what was given up for a plainer word', () => {
    for (const [old, now] of left) expect(shown(texts.filter(({ text }) => old.test(text))), now).toEqual([]);
  });
});

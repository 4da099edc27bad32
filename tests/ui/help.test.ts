import { expect, test } from 'vitest';
import { findHelp, helpPages } from '$ui/help';

test('help is found by its words, and first by its title', () => {
  const found = findHelp('dri').map((one) => one.id);
  expect(found[0]).toBe('drills');
  expect(found.length).toBeGreaterThan(3);
  expect(new Set(found).size).toBe(found.length);
  expect(found.every((id) => /dri/i.test(Object.values(helpPages.find((one) => one.id === id)!).join()))).toBe(true);
  expect([findHelp('d'), findHelp('no such words at all')]).toEqual([[], []]);
});

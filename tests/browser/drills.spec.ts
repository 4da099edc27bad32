import { expect, forkOf, open, sendDraft, test } from './help';

test('from the members to a first drill in three presses; it comes out worse, its remedy is sent, and it holds', async ({ page }) => {
  test.setTimeout(180_000);
  const at = await forkOf(page, 'north-quay', 'drilled');
  await open(page, `${at}/members`);
  await page.getByRole('navigation', { name: 'The stack' }).getByRole('link', { name: 'Drills' }).click();
  await expect(page.getByRole('heading', { name: 'Nothing has been tried yet.' })).toBeVisible();
  await page.getByRole('link', { name: /^boarding, hangs: not tried yet/ }).click();
  await page.getByRole('button', { name: 'Run it' }).click();
  await expect(page.getByRole('heading', { name: /^boarding-0, hangs: writes paused/ })).toBeVisible({ timeout: 60_000 });
  const side = page.getByRole('complementary', { name: 'What is expected' });
  await expect(side.getByText('no probe asks it')).toBeVisible();
  await expect(side.getByRole('img', { name: 'worse' })).toHaveCount(1);
  await side.getByRole('button', { name: 'Put in a draft' }).click();
  await sendDraft(page, 'north-quay~drilled');
  await page.request.post(`/api/v1/rehearsals/${at.slice(3)}/clock`, { data: { until: 'settled' } });
  await open(page, `${at}/drills`);
  await expect(page.getByText(/1 stale/)).toBeVisible();
  await page.getByRole('link', { name: /^boarding, hangs: stale/ }).click();
  await page.getByRole('button', { name: 'Run again' }).click();
  await expect(side.getByRole('img', { name: 'worse' })).toHaveCount(0, { timeout: 60_000 });
  await expect(page.getByText(/stale: what it tried/)).toHaveCount(0);
});

test('an expectation is written down before: what cannot hold by arithmetic is said; what is asked for is kept, and the fork opens where it struck', async ({
  page
}) => {
  test.setTimeout(120_000);
  const at = await forkOf(page, 'north-quay', 'demanded');
  await open(page, `${at}/drills/plans/timetable/cut-from-clients`);
  const side = page.getByRole('complementary', { name: 'What is expected' });
  await side.getByRole('combobox', { name: 'Longest pause of writes' }).selectOption('10 s');
  await expect(side.getByText(/By arithmetic that can't hold.*nobody takes over/)).toBeVisible();
  await side.getByRole('button', { name: 'Run it' }).click();
  await expect(side.getByRole('row', { name: /writes pause/ })).toContainText('10 s', { timeout: 60_000 });
  await expect(side.getByText('Asked for by you.')).toBeVisible();
  await expect(side.getByRole('row', { name: /writes pause/ }).getByRole('img', { name: 'worse' })).toBeVisible();
  await side.getByRole('button', { name: 'Open the fork' }).click();
  await expect(page).toHaveURL(/north-quay~timetable-cut-from-clients\/members/);
  await expect(page.getByRole('status').filter({ hasText: 'The fault has just been put in' })).toBeVisible();
});

test('the matrix is walked by arrow keys alone, and a round can be watched and stopped', async ({ page }) => {
  test.setTimeout(120_000);
  const at = await forkOf(page, 'north-quay', 'walked');
  await open(page, `${at}/drills`);
  const first = page.getByRole('link', { name: /^chartroom, node dark/ });
  await first.focus();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('link', { name: /^boarding, node cut off/ })).toBeFocused();
  await page.getByRole('button', { name: /^Run all/ }).click();
  await expect(page.getByRole('progressbar', { name: 'Drills that are done' })).toBeVisible({ timeout: 45_000 });
  await page.getByRole('button', { name: 'Stop' }).click();
  await expect(page.getByRole('button', { name: /^Run the \d+ that/ })).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press('Home');
});

test('clients come from outside where an address leads in, and that stays with the drill', async ({ page }) => {
  const at = await forkOf(page, 'north-quay', 'from-outside');
  await open(page, `${at}/drills/plans/timetable/program-ends`);
  await expect(page.getByRole('combobox', { name: 'Where clients come from' })).toHaveCount(0);
  await open(page, `${at}/drills/events/boarding/program-ends`);
  const way = page.getByRole('combobox', { name: 'Where clients come from' });
  await way.selectOption('outside');
  await page.getByRole('button', { name: 'Run it' }).click();
  await expect(page.getByText('two writes and two reads a second, from outside')).toBeVisible({ timeout: 60_000 });
  await open(page, `${at}/drills/events/boarding/program-ends`);
  await expect(way).toHaveValue('outside');
});

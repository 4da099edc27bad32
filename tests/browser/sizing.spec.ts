import { expect, forkOf, open, overflows, test } from './help';

/** Before anything that other tests do to the trunk. */
const asLeftMs = 23_990_000;

test('a broker is sized from what stands: ranges, a slot that can not be read, kept by name, beside another, into a draft, and stale then', async ({
  page
}) => {
  await forkOf(page, 'north-quay', 'sized');
  await open(page, '/r/north-quay~sized/members');
  await page.getByRole('link', { name: 'Sizing', exact: true }).click();
  await page.getByRole('link', { name: 'Log broker' }).click();
  const headline = page.getByRole('heading', { level: 1 });
  await expect(headline).toContainText('3 days of traffic need 186 GiB a broker');
  const kept = page.getByRole('textbox', { name: 'How long messages are kept' });
  await kept.fill('soon');
  await expect(page.getByRole('alert')).toContainText('How long messages are kept: Write a time, like 5 days');
  await expect(kept).toHaveAttribute('aria-invalid', 'true');
  await expect(page.getByRole('button', { name: 'Keep', exact: true })).toBeDisabled();
  await kept.fill('5 days');
  await page.getByRole('textbox', { name: 'Bytes a second that come in' }).fill('0.55 MB/s');
  await expect(headline).toContainText('5 days of traffic need 309 GiB a broker');
  await expect(page.getByRole('alert')).toHaveCount(0);
  await expect(page.getByText(/draws, each value/)).toHaveCount(0);

  const from = page.getByRole('combobox', { name: 'Take it from' });
  await from.selectOption('plans/timetable');
  await expect(page.getByText('Nothing was taken: it is no log broker.')).toBeVisible();
  const has = page.getByRole('textbox', { name: 'Disk that a broker has' });
  await has.fill('10 GiB');
  await from.selectOption('events/boarding');
  await expect(page.getByText('Not taken: ')).toBeVisible();
  await expect(has).toHaveValue('140 GiB');
  const rate = page.getByRole('textbox', { name: 'Bytes a second that come in' });
  await rate.fill('0.5 MB/s');
  await expect(headline).toContainText('and is full after');
  const name = page.getByRole('textbox', { name: 'Name to keep it under' });
  await name.fill('summer');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  // What is written while it is being kept stays.
  await rate.fill('0.25 MB/s');
  await expect(page.getByRole('link', { name: 'summer' })).toBeVisible();
  await expect(page).toHaveURL(/kept=\d+/);
  await expect(rate).toHaveValue('0.25 MB/s');
  await name.fill('winter');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await page.getByRole('listitem').filter({ hasText: 'summer' }).getByRole('link', { name: 'compare with' }).click();
  await expect(page.getByRole('columnheader', { name: 'summer' })).toBeVisible();
  const row = page.getByRole('row').filter({ hasText: 'network out' });
  await expect(row).toContainText('500 kB/s');
  await expect(row).toContainText('1 MB/s');
  expect(await overflows(page)).toBe(false);

  await page.getByRole('link', { name: 'summer' }).click();
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await page.getByRole('button', { name: 'Send to north-quay~sized in these steps' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(page.getByTestId('standing')).toContainText('settled', { timeout: 30_000 });
  await page.getByRole('link', { name: 'Sizing', exact: true }).click();
  await page.getByRole('link', { name: 'Log broker' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'summer' })).toContainText(/stale: disk that a broker has .*, now /);
  await page.getByRole('button', { name: 'Take winter away' }).click();
  await expect(page.getByRole('link', { name: 'winter' })).toHaveCount(0);
});

test('members are packed on nodes as they stand; a cell that can not be read, what blocks, rows and their undo, kept', async ({ page }) => {
  await forkOf(page, 'north-quay', 'packed', asLeftMs);
  await open(page, '/r/north-quay~packed/sizing?calc=nodes');
  const headline = page.getByRole('heading', { level: 1 });
  await expect(headline).toHaveText('4 nodes hold all 17 members, and no fewer do.');
  const zones = page.getByRole('region', { name: /^Zone \d$/ });
  await expect(zones).toHaveCount(3);
  await expect(zones.first()).toContainText('strongbox');
  const members = page.getByRole('textbox', { name: 'members of strongbox' });
  await members.fill('many');
  await expect(page.getByRole('alert')).toContainText('strongbox, count: a whole number');
  await expect(page.getByRole('button', { name: 'Keep', exact: true })).toBeDisabled();
  await members.fill('9');
  await expect(headline).toHaveText('9 nodes hold all 22 members, and no fewer do.');
  await page.getByRole('textbox', { name: 'CPU of strongbox' }).fill('9');
  await expect(
    page.getByRole('region', { name: 'Node fit' }).getByText('One of strongbox needs 9 of CPU, and the most that a node has is 5760m.')
  ).toBeVisible();
  await expect(headline).toHaveText('9 of strongbox find no place.');
  await page.getByRole('button', { name: 'Take strongbox away' }).click();
  await expect(headline).toHaveText('3 nodes hold all 13 members, and no fewer do.');
  await page.getByRole('button', { name: 'undo', exact: true }).click();
  await expect(headline).toHaveText('9 of strongbox find no place.');
  await page.getByRole('combobox', { name: 'Take it from' }).selectOption('events/boarding');
  await expect(headline).toHaveText('3 nodes hold all 7 members, and no fewer do.');
  await page.getByRole('combobox', { name: 'What is to be least' }).selectOption('price');
  await expect(page.getByRole('alert')).toContainText('a price: without one');
  await page.getByRole('textbox', { name: 'a month of' }).fill('84.5');
  await expect(headline).toHaveText('3 nodes hold all 7 members, and nothing costs less.');
  await expect(page.getByText('253.50').first()).toBeVisible();
  await page.getByRole('textbox', { name: 'Name to keep it under' }).fill('three berths');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  // What is written while it is being kept stays.
  await page.getByRole('textbox', { name: 'a month of' }).fill('90');
  await expect(page.getByRole('link', { name: 'three berths' })).toBeVisible();
  await expect(page).toHaveURL(/kept=\d+/);
  await expect(page.getByRole('textbox', { name: 'a month of' })).toHaveValue('90');
  await page.reload();
  await expect(page.getByRole('textbox', { name: 'a month of' })).toHaveValue('84.5');
  expect(await overflows(page)).toBe(false);
  await page.getByRole('button', { name: 'Take three berths away' }).click();
  await expect(page.getByRole('link', { name: 'three berths' })).toHaveCount(0);
});

test('a month is reckoned by a price list: whose it is, what nobody uses, what would be less; what is wrong in it, by line; kept', async ({
  page
}) => {
  await forkOf(page, 'north-quay', 'reckoned', asLeftMs);
  await open(page, '/r/north-quay~reckoned/sizing?calc=cost');
  const headline = page.getByRole('heading', { level: 1 });
  await expect(headline).toHaveText(/^A month costs [\d,.]+ crowns; [\d,.]+ of it nobody uses\.$/);
  const before = await headline.textContent();
  const row = (name: string) => page.getByRole('row').filter({ hasText: name });
  await expect(row('boarding').first()).toContainText('events');
  await expect(row('events/old-ledger')).toContainText('no pod names it');
  await expect(page.getByText("It doesn't do: plain-block can't grow.").first()).toBeVisible();
  const list = page.locator('.cm-content');
  const text = (steady: string) =>
    `apiVersion: standin.example/v1\nkind: PriceList\nmetadata: {name: ours}\nspec:\n  unit: shillings\n  to: 2026-01-31\n  volumes: [{class: steady-block, price: ${steady}}]\n`;
  await list.fill(text('0.10 per GiB'));
  await expect(page.getByRole('alert')).toHaveText(
    'Line 7: spec.volumes.0.price: write a price for room and a time, like 0.31 per GiB month.'
  );
  await expect(page.getByRole('button', { name: 'Keep', exact: true })).toBeDisabled();
  expect(await headline.textContent()).toBe(before);
  await list.fill(text('0.10 per GiB month'));
  // Three of 140, three of 8, three and four of 20 GiB: 584 at 0.10.
  await expect(headline).toContainText('A month costs 58.40 shillings; ');
  await expect(page.getByText('The list ours ended on 2026-01-31.')).toBeVisible();
  await expect(page.getByText(/^No price: nodes with 6 CPU/)).toBeVisible();
  await page.getByRole('textbox', { name: 'Name to keep it under' }).fill('ours');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByRole('link', { name: 'ours' })).toBeVisible();
  await page.reload();
  await expect(headline).toContainText('58.40 shillings');
  await page.getByRole('button', { name: 'Take ours away' }).click();
  await expect(page.getByRole('link', { name: 'ours' })).toHaveCount(0);
});

test('what sheets come to goes into drafts, and what is not in them is said: members, and rows priced by a kept list', async ({ page }) => {
  await forkOf(page, 'north-quay', 'drawn-up', asLeftMs);
  const base = '/r/north-quay~drawn-up/sizing';
  await open(page, `${base}?calc=cost`);
  const headline = page.getByRole('heading', { level: 1 });
  await expect(headline).toContainText('crowns');
  await page.getByRole('textbox', { name: 'Name to keep it under' }).fill('harbour prices');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByRole('link', { name: 'harbour prices' })).toBeVisible();
  await page.getByRole('link', { name: 'Node fit' }).click();
  const price = page.getByRole('textbox', { name: /^a month of / }).first();
  await expect(price).toHaveValue('');
  await page.getByRole('combobox', { name: 'Prices from' }).selectOption('harbour prices');
  await expect(price).toHaveValue(/^\d+(\.\d+)?$/);
  await expect(page.getByText('a month', { exact: true }).last()).toBeVisible();
  await page.getByRole('button', { name: 'undo', exact: true }).click();
  await expect(price).toHaveValue('');
  await page.getByRole('combobox', { name: 'Take it from' }).selectOption('plans/timetable');
  await expect(page.getByText('taken from plans/timetable')).toBeVisible();
  await page.getByRole('textbox', { name: 'members of timetable' }).fill('5');
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await expect(page).toHaveURL(/\/drafts\/\d+/);
  await expect(page.locator('.cm-content').first()).toContainText('replicas: 5');

  await open(page, `${base}?calc=spread`);
  await page.getByRole('combobox', { name: 'Take it from' }).selectOption('plans/timetable');
  await expect(page.getByText('· taken from timetable')).toBeVisible();
  await page.getByRole('textbox', { name: 'Nodes', exact: true }).fill('40');
  await page.getByRole('textbox', { name: 'Members lost besides' }).fill('1');
  await expect(headline).toContainText('do not survive');
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await expect(page.getByText('Not in the draft: Nodes.')).toBeVisible();
  await page.getByRole('link', { name: 'Sizing', exact: true }).click();
  // What can't be taken is not said to have been.
  await page.getByRole('combobox', { name: 'Take it from' }).selectOption('charts/chartroom');
  await expect(page.getByText('Nothing was taken: nobody of it decides by majority.')).toBeVisible();
  await expect(page.getByText('· taken from chartroom')).toHaveCount(0);
});

test('a benchmark stands beside the speed sheet: opened or pasted, columns named by hand, lines that can not be read said', async ({
  page
}) => {
  await open(page, '/r/north-quay/sizing?calc=speed');
  const text = page.getByRole('textbox', { name: 'Benchmark, comma-separated' });
  await text.fill('iops');
  await expect(page.getByRole('alert')).toContainText('A table has a line with the names of its columns');
  await page.locator('input[type=file]').setInputFiles({
    name: 'run.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('step,iops,mean us\n1,400,1500\n2,"1,900",2100\n3,4400,30000\n4,none,1\n')
  });
  await expect(page.getByText('4 lines. The first: step 1, iops 400, mean us 1500.')).toBeVisible();
  await page.getByLabel('Operations a second are in').selectOption('iops');
  await expect(page.getByText("4,400/s were done, and the sheet's first ceiling is 4,000/s", { exact: false })).toBeVisible();
  await page.getByLabel('the time of one in').selectOption('mean us');
  await page.getByLabel('counted in').selectOption('µs');
  await expect(page.getByText('Left out: line 5: iops is no number above 0.')).toBeVisible();
  const row = page.getByRole('row').filter({ hasText: '1,900/s' });
  await expect(row).toContainText('47.5 %');
  await expect(row).toContainText('2.1 ms');
  // The sheet is another one: so is what the lines are held against.
  await page.getByRole('textbox', { name: 'Most of the volume' }).fill('3,800');
  await expect(row).toContainText('50 %');
  expect(await overflows(page)).toBe(false);
});

test('each calculation opens by the keyboard alone, with a sentence, figures and a chart that is read out', async ({ page }) => {
  await open(page, '/r/south-quay/sizing');
  const all = page.getByRole('navigation', { name: 'Calculations' }).getByRole('link');
  await expect(all).toHaveCount(11);
  for (let i = 0; i < 11; i += 1) {
    await all.nth(i).focus();
    const title = await all.nth(i).textContent();
    await page.keyboard.press('Enter');
    await expect(page.getByRole('region', { name: title!, exact: true })).toBeVisible();
    await expect(page.getByRole('heading', { level: 1 })).toContainText(/\.$/);
    if (!['Node fit', 'Cost'].includes(title!)) expect(await page.locator('figure ul li').count(), title!).toBeGreaterThan(1);
    expect(await overflows(page), title!).toBe(false);
  }
});

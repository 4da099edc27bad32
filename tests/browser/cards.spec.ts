import { strangeText } from '../core/cards/strange';
import { expect, level, open, overflows, sendDraft, test } from './help';

test('an export with a driver and a database that nobody knows: supposed on one page, drilled, mended, and each outcome says what it rests on', async ({
  page
}) => {
  test.setTimeout(150_000);
  const brought = await page.request.post('/api/v1/clusters?name=kiln-west', {
    data: strangeText(),
    headers: { 'content-type': 'application/yaml' }
  });
  expect(brought.ok()).toBe(true);
  await open(page, '/r/kiln-west/rehearse');
  const likeness = page.getByRole('combobox', { name: /ledgerd behaves like/ });
  await expect(likeness).toHaveValue('nothing known');
  await expect(page.getByText('Starts took 9 to 18 s (3 seen)')).toBeVisible();
  // Modes of a driver: at least one.
  const once = page.getByRole('checkbox', { name: 'ReadWriteOnce', exact: true });
  await once.click();
  await expect(page.getByText('Choose one at the least.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Rehearse from here' })).toBeDisabled();
  await once.click();
  await page.getByRole('button', { name: 'Suppose so' }).click();
  await expect(likeness).toHaveValue('document-set/member');
  await page.getByRole('button', { name: 'Rehearse from here' }).click();
  await page.waitForURL(/\/r\/kiln-west-try\/members$/);
  await expect(page.getByRole('region', { name: 'ledger' })).toContainText('supposed: document replica set');
  await expect(page.getByRole('region', { name: 'ledger' })).toContainText('3 of 3, may lose 1');

  await page.getByRole('link', { name: /^Drills/ }).click();
  // What is supposed stands on a page of its own, and is changed there by a draft.
  await page.getByRole('link', { name: 'on 5 suppositions' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('2 cards say what is supposed here.');
  const most = page.getByRole('textbox', { name: 'A start of images.kiln.example/db/ledgerd, at most, in seconds' });
  await most.fill('3');
  await expect(page.getByText('The least stands before the most.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Put in a draft' })).toBeDisabled();
  await most.fill('18');
  await page.getByRole('textbox', { name: 'A pull of images.kiln.example/db/ledgerd, at least, in seconds' }).fill('4');
  await page.getByRole('textbox', { name: 'A pull of images.kiln.example/db/ledgerd, at most, in seconds' }).fill('9');
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await sendDraft(page, 'kiln-west-try');
  await open(page, '/r/kiln-west-try/supply/supposed');
  await expect(page.getByRole('textbox', { name: 'A pull of images.kiln.example/db/ledgerd, at most, in seconds' })).toHaveValue('9');
  await page.getByRole('link', { name: /^Drills/ }).click();
  await expect(page.getByText('on 6 suppositions')).toBeVisible();
  await page.getByRole('button', { name: /^Run all 22/ }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('22 drills on 1 workload: 20 as expected, 2 worse.', {
    timeout: 90_000
  });
  expect(await overflows(page)).toBe(false);
  const figures = (await (await page.request.get('/r/kiln-west-try/drills/csv')).text()).trim().split('\r\n');
  expect(figures).toHaveLength(23);
  expect(figures.find((one) => one.startsWith('till,ledger,wrong-delete,'))).toMatch(
    /,worse,no,0,.*no plan copies it.*behaves like a document database/
  );
  await page.getByRole('link', { name: /ledger, hangs/ }).click();
  await expect(page.getByTestId('supposed')).toContainText('images.kiln.example/db/ledgerd behaves like a document database');
  await page.keyboard.press('d');
  await sendDraft(page, 'kiln-west-try');
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(level(page, 'Members')).toContainText('3/3', { timeout: 30_000 });
  await expect(page.getByTestId('standing')).toContainText('settled', { timeout: 30_000 });
  await open(page, '/r/kiln-west-try/drills/till/ledger/member-hangs');
  await page.getByRole('button', { name: 'Run again' }).click();
  await expect(page.getByRole('heading', { level: 1 })).not.toContainText('something failed', { timeout: 30_000 });
  await expect(page.getByTestId('supposed')).toContainText('(3 seen)');
});

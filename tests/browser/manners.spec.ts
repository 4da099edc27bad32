import type { Page } from '@playwright/test';
import { expect, forkOf, level, open, test } from './help';

const send = async (page: Page, base: string, yaml: string): Promise<void> => {
  const answer = await page.request.post(`/api/v1/rehearsals/${base.slice(3)}/send`, {
    data: yaml,
    headers: { 'content-type': 'application/yaml' }
  });
  expect(answer.status(), await answer.text()).toBe(200);
};
const settle = (page: Page, base: string) => page.request.post(`/api/v1/rehearsals/${base.slice(3)}/clock`, { data: { until: 'settled' } });
const clockOf = (page: Page) => page.getByTestId('clock');

test('the estate by keyboard: rows, trace, the way into a level', async ({ page }) => {
  await forkOf(page, 'south-quay', 'estate', 249_000);
  await open(page, '/');
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('link', { name: 'harbour' })).toBeFocused();
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('link', { name: 'north-quay' })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/north-quay\/members/);
  await page.keyboard.press('1');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Six nodes stand, in 3 zones.');
  await page.keyboard.press('2');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText("charts can't be mounted everywhere: zone c has no mount target.");
  await page.keyboard.press('e');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('break');
});

test('single keys can be switched off, and theme and cover are kept over a reload', async ({ page }) => {
  await open(page, '/r/north-quay/members');
  await page.keyboard.press('?');
  await page.getByRole('checkbox', { name: /Single keys act/ }).uncheck();
  await page.keyboard.press('Escape');
  await page.keyboard.press('3');
  await page.waitForTimeout(200);
  await expect(page).toHaveURL(/members$/);
  await page.getByRole('button', { name: /^night/ }).click();
  await page.getByRole('button', { name: /^covered/ }).click();
  await page.reload();
  await page.locator('html[data-ready]').waitFor();
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'night');
  await expect(page.getByRole('button', { name: /^uncovered/ })).toBeVisible();
  await page.getByRole('button', { name: /^help/ }).click();
  await page.getByRole('checkbox', { name: /Single keys act/ }).check();
  await page.getByRole('button', { name: 'Close' }).click();
  await page.keyboard.press('3');
  await expect(page).toHaveURL(/claims$/);
});

test('a key that comes in the very moment in which a dialog closes is not lost', async ({ page }) => {
  await open(page, '/r/north-quay/members');
  await page.keyboard.press('?');
  await page.getByRole('dialog', { name: 'Help: Members' }).waitFor();
  // Closed as Escape closes it, and the next key in the same task, before any event of having closed.
  await page.evaluate(() => {
    const dialog = document.querySelector('dialog') as HTMLDialogElement & { requestClose(): void };
    dialog.requestClose();
    document.getElementById('sheet')!.dispatchEvent(new KeyboardEvent('keydown', { key: '/', bubbles: true }));
  });
  await page.keyboard.insertText('patience band');
  await expect(page.getByRole('option', { name: /The tape and its clock/ })).toBeVisible();
});

test('a driver is installed from the Supply sheet, and the rails join as it comes up', async ({ page }) => {
  const base = await forkOf(page, 'south-quay', 'install', 249_000);
  await open(page, `${base}/supply`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Nothing can be handed out');
  await page.getByRole('region', { name: 'The driver block.standin.example' }).getByRole('button', { name: 'Put in a draft' }).click();
  await page.getByRole('button', { name: /^Send to/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
  await page.keyboard.press('Escape');
  await level(page, 'Supply').click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('A driver comes up; volumes follow.');
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Volumes can be handed out in zones a, b.');
  await page.getByRole('button', { name: /steady-block/ }).click();
  await expect(page.getByRole('region', { name: 'The class steady-block' })).toContainText('grow while mounted, ext4');
});

test('forked from the tape, looked at apart, taken back, taken away', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'tape', 780_000);
  await open(page, `${base}/members`);
  await page.keyboard.press('f');
  await page.getByRole('textbox', { name: 'Name of the fork' }).fill('apart');
  await page.getByRole('button', { name: 'Fork', exact: true }).click();
  await expect(page).toHaveURL(/north-quay~apart/);
  await page.getByRole('region', { name: 'coord' }).getByRole('button', { name: 'Scale' }).click();
  await page.getByRole('spinbutton').fill('1');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(level(page, 'Members')).toContainText('8/8');
  await page.getByRole('button', { name: 'fork here' }).click();
  await page.getByRole('button', { name: 'Take the latest action back' }).click();
  await page.getByRole('button', { name: 'Take it back' }).click();
  await expect(level(page, 'Members')).toContainText('8/10');
  await expect(clockOf(page)).toHaveText('T+00:13:00');
  await page.getByRole('button', { name: 'fork here' }).click();
  await page.getByRole('button', { name: 'Take this fork away' }).click();
  await expect(page).toHaveURL(/\/r\/north-quay\/members/);
  await expect(page.getByRole('combobox', { name: 'Rehearsal' }).getByRole('option', { name: 'fork apart' })).toHaveCount(0);
});

test('what one does, another sees at once; what was written in between is told', async ({ page, context }) => {
  const base = await forkOf(page, 'south-quay', 'two', 249_000);
  const other = await context.newPage();
  await open(other, `${base}/members`);
  await open(page, `${base}/members`);
  await expect(other.getByText('no driver answers to block.standin.example').first()).toBeVisible();
  const { yaml } = await (await page.request.get('/api/v1/drivers/block.standin.example/install')).json();
  await send(page, base, yaml);
  for (const each of [page, other]) await expect(each.getByRole('region', { name: 'bookings' })).toContainText('plugin comes up');
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(other.getByRole('region', { name: 'bookings' })).toContainText('3 of 3, may lose 1');
  for (const each of [page, other]) await expect(each.getByTestId('standing')).toContainText('settled');
  await expect(other.getByTestId('clock')).toHaveText((await clockOf(page).textContent())!);
  await other.close();
});

test('what happens before the live stream is open is seen too', async ({ page }) => {
  const base = await forkOf(page, 'south-quay', 'late', 249_000);
  const api = `/api/v1/rehearsals/${base.slice(3)}`;
  await page.route('**/live?*', async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 2_500));
    await route.continue();
  });
  await open(page, `${base}/members`);
  const { yaml } = await (await page.request.get('/api/v1/drivers/block.standin.example/install')).json();
  await page.request.post(`${api}/send`, { data: yaml, headers: { 'content-type': 'application/yaml' } });
  await page.request.post(`${api}/clock`, { data: { until: 'settled' } });
  await expect(page.getByRole('region', { name: 'bookings' })).toContainText('3 of 3, may lose 1');
});

test('files are read into a draft, several at once; a name used twice is found', async ({ page }) => {
  const base = await forkOf(page, 'pilot-house', 'files');
  await open(page, `${base}/drafts`);
  const file = (name: string, text: string) => ({ name, mimeType: 'application/yaml', buffer: Buffer.from(text) });
  const map = 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a, namespace: default}\ndata: {k: v}\n';
  await page.locator('input[type=file][multiple]').setInputFiles([file('one.yaml', map), file('two.yaml', map)]);
  await expect(page.getByRole('region', { name: 'Findings' })).toContainText('ConfigMap default/a is written twice');
  await page
    .getByRole('region', { name: 'Findings' })
    .getByRole('button', { name: /^(two\.yaml )?\d+$/ })
    .first()
    .click();
  await expect(page.getByLabel('Manifests of the draft')).toBeFocused();
  await page.getByRole('link', { name: 'all drafts' }).click();
  await expect(page.getByRole('link', { name: 'one.yaml and 1 more file' })).toBeVisible();
  await page.getByRole('button', { name: 'throw away one.yaml and 1 more file' }).click();
  // Others may have drafts of this cluster, too.
  await expect(page.getByRole('link', { name: 'one.yaml and 1 more file' })).toHaveCount(0);
});

test('a root line is walked joint by joint; a joint tells its evidence and why it matters', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'walk');
  await send(
    page,
    base,
    'apiVersion: v1\nkind: Pod\nmetadata: {name: lost, namespace: events}\nspec: {containers: [{name: main, image: shelf.standin.example/x, envFrom: [{configMapRef: {name: settings}}]}]}'
  );
  await settle(page, base);
  await open(page, `${base}/root-line?kind=Pod&namespace=events&name=lost`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText("lost waits: the config map events/settings doesn't exist.");
  const joint = (name: string) => page.getByRole('complementary', { name: `The joint ${name}` });
  await expect(joint('References')).toContainText('spec.containers[0].envFrom[0]: settings');
  await page.getByRole('button', { name: /^Placed/ }).click();
  await expect(joint('Placed')).toContainText('A pod is placed by what it asks for');
  await page.getByRole('button', { name: /^References/ }).click();
  await page.keyboard.press('d');
  await expect(page.getByLabel('Manifests of the draft')).toContainText('name: settings');
  await page.getByRole('button', { name: /^Send to/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
  await settle(page, base);
  await open(page, `${base}/root-line?kind=Pod&namespace=events&name=lost`);
  await expect(page.getByText('no break')).toBeVisible();
});

test('a proof that fails says what came back, and leads to the root line', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'fails');
  await page.request.post(`/api/v1/rehearsals/${base.slice(3)}/remove`, {
    data: { kind: 'Service', namespace: 'events', name: 'boarding' }
  });
  await settle(page, base);
  await open(page, `${base}/proofs?set=events/boarding`);
  await page.getByRole('button', { name: 'Prove' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('boarding holds in eight of nine proofs; what fails: Names.', {
    timeout: 30_000
  });
  const evidence = page.getByRole('region', { name: 'Evidence of Names' });
  await expect(evidence.getByRole('row', { name: /boarding-0\.boarding from events/ })).toContainText('no answer');
  await evidence.getByRole('link', { name: 'root line of boarding' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText("boarding waits: the service events/boarding doesn't exist.");
});

test('claims are narrowed by what is written; a row opens and closes', async ({ page }) => {
  await open(page, '/r/north-quay/claims');
  await expect(page.getByRole('row')).toHaveCount(17);
  await page.getByLabel('Narrow the claims').fill('coord-1');
  await expect(page.getByRole('row')).toHaveCount(2);
  await page.getByRole('button', { name: 'log-coord-1' }).click();
  const sheet = page.getByRole('complementary', { name: 'The claim log-coord-1' });
  await expect(sheet).toContainText('8 GiB, one node at a time');
  await expect(sheet).toContainText('coord-1');
  await sheet.getByRole('button', { name: 'close' }).click();
  await expect(sheet).toBeHidden();
  await page.getByLabel('Narrow the claims').fill('nothing like it');
  await expect(page.getByText('No claim answers to this')).toBeVisible();
  await page.getByRole('button', { name: 'show all' }).first().click();
  // Order and filters stand in the address, and the address gives them back.
  // However quickly one presses: the answer to the first press is late.
  await page.route('**/claims/__data.json**', async (route) => {
    await new Promise((late) => setTimeout(late, 400));
    await route.continue();
  });
  await page.getByRole('button', { name: 'Asks' }).click();
  await page.getByLabel('all classes').selectOption('steady-block');
  await expect(page).toHaveURL(/sort=asks&class=steady-block/);
  await page.unroute('**/claims/__data.json**');
  await page.reload();
  await page.locator('html[data-ready]').waitFor();
  await expect(page.getByRole('row').nth(1)).toContainText('log-coord');
  const csv = await (await page.request.get('/r/north-quay/claims/csv?sort=asks&down=true&class=steady-block')).text();
  expect(csv.split('\r\n')[1]).toMatch(/^events,data-boarding-\d,150323855360,150323855360,steady-block,/);
});

test('a server that is gone is told, and nothing that was written is lost', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'gone');
  await open(page, `${base}/drafts`);
  await page.getByRole('button', { name: 'Begin a draft' }).click();
  await page.getByLabel('Manifests of the draft').click();
  await page.keyboard.insertText('apiVersion: v1\nkind: Namespace\nmetadata: {name: later}\n');
  await expect(page.getByText('kept', { exact: true })).toBeVisible();
  await page.route('**/api/v1/**', (route) => route.abort());
  await page.keyboard.insertText('# more\n');
  await expect(page.getByTestId('notice')).toContainText("Root Barn doesn't answer.");
  await expect(page.getByLabel('Manifests of the draft')).toContainText('# more');
  await page.unroute('**/api/v1/**');
  await page.keyboard.insertText('# and more\n');
  await expect(page.getByText('kept', { exact: true })).toBeVisible();
  await page.reload();
  await expect(page.getByLabel('Manifests of the draft')).toContainText('# and more');
});

test('who goes on while what was sent is still under way gets there, and the page goes on following', async ({ page }) => {
  const base = await forkOf(page, 'south-quay', 'hurry');
  const api = `/api/v1/rehearsals/${base.slice(3)}`;
  const made = await page.request.post('/api/v1/clusters/south-quay/drafts', {
    data: { name: 'note', text: 'apiVersion: v1\nkind: Namespace\nmetadata: {name: notes}\n' }
  });
  await open(page, `${base}/drafts/${((await made.json()) as { id: number }).id}`);
  const slowly = (path: string, ms: number) =>
    page.route(path, async (route) => {
      await new Promise((resolve) => setTimeout(resolve, ms));
      await route.continue();
    });
  // The answer to the sending comes in the middle of the way to another sheet, and has the draft looked at anew.
  await slowly('**/send', 400);
  await slowly('**/members/__data.json*', 1_200);
  await page.getByRole('button', { name: /^Send to/ }).click();
  await level(page, 'Members').click();
  await expect(page).toHaveURL(/members$/, { timeout: 6_000 });
  await page.unrouteAll();
  const { nowMs } = (await (await page.request.post(`${api}/clock`, { data: { until: 'settled' } })).json()) as { nowMs: number };
  await expect(page.getByTestId('clock')).toHaveText(new RegExp(new Date(nowMs).toISOString().slice(11, 19)));
  await expect(page.getByRole('banner')).toContainText('settled');
});

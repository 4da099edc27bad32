import type { Page } from '@playwright/test';
import { ownServer } from '../../scripts/own-server.mjs';
import { expect, forkOf, level, open, test } from './help';

/** What is done elsewhere is seen of itself, long before anything is asked for anew; how soon is no matter of tests on a loaded machine. */
const followsMs = 3_000;

interface Shown {
  clock: string;
  standing: string;
  levels: string;
}

const shown = (page: Page): Promise<Shown> =>
  page.evaluate(() => ({
    clock: document.querySelector('[data-testid=clock]')!.textContent.trim(),
    standing: document.querySelector('[data-testid=standing]')!.textContent.replace('space', '').trim(),
    levels: [...document.querySelectorAll('nav[aria-label="The stack"] ul:first-of-type a')]
      .map((one) => one.textContent.replace(/\s+/g, ' ').trim())
      .join(' | ')
  }));

/** The same as the programs' interface tells it. */
async function told(page: Page, id: string): Promise<Shown> {
  const { clock, stack } = await (await page.request.get(`/api/v1/rehearsals/${encodeURIComponent(id)}/frame`)).json();
  const s = Math.floor(clock.nowMs / 1000);
  const two = (n: number) => String(n).padStart(2, '0');
  return {
    clock: `T+${two(Math.floor(s / 3600))}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}`,
    standing: clock.running
      ? `runs ${clock.running}×`
      : clock.nowMs < clock.frontierMs
        ? 'looking back'
        : clock.settled
          ? 'settled'
          : 'paused',
    levels: [...stack.levels]
      .reverse()
      .map((one: { title: string; count: string; says: string }) => `${one.title} ${one.count} ${one.says}`.replace(/\s+/g, ' ').trim())
      .join(' | ')
  };
}

/** Waits until the page shows what the server says, and not longer than a page may take. */
async function agrees(page: Page, id: string): Promise<void> {
  const wanted = await told(page, id);
  await expect.poll(() => shown(page), { timeout: followsMs, intervals: [20] }).toEqual(wanted);
}

test('every sheet follows what is done elsewhere while the clock runs, and stands as the server says once it is paused', async ({
  page
}) => {
  test.setTimeout(120_000);
  const base = await forkOf(page, 'south-quay', 'follows');
  const id = decodeURIComponent(base.slice(3));
  const api = `/api/v1/rehearsals/${encodeURIComponent(id)}`;
  const install = (await (await page.request.get('/api/v1/drivers/block.standin.example/install')).json()).yaml as string;
  const draft = await (
    await page.request.post('/api/v1/clusters/south-quay/drafts', {
      data: { name: 'followed', files: [{ name: 'a.yaml', text: 'apiVersion: v1\nkind: Namespace\nmetadata: {name: tickets}\n' }] }
    })
  ).json();
  await page.request.post(`${api}/clock`, { data: { run: 10 } });
  await page.request.post(`${api}/send`, { data: install, headers: { 'content-type': 'application/yaml' } });
  const sheets = ['members', 'claims', 'supply', 'ground', 'proofs', 'operators', 'handover', 'drafts', `drafts/${draft.id}`];
  sheets.push('members/tickets/bookings', 'root-line?kind=StatefulSet&namespace=tickets&name=bookings', 'blueprints/object-store');
  for (const sheet of sheets) {
    await open(page, `${base}/${sheet}`);
    await page.request.post(`${api}/clock`, { data: { run: 10 } });
    await expect(page.getByTestId('standing'), sheet).toContainText('runs 10×', { timeout: followsMs });
    await page.waitForTimeout(400);
    await page.request.post(`${api}/clock`, { data: { pause: true } });
    await agrees(page, id);
    await page.request.post(`${api}/send`, {
      data: `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: c-${sheets.indexOf(sheet)}, namespace: tickets}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 1Gi}}}\n`,
      headers: { 'content-type': 'application/yaml' }
    });
    await agrees(page, id);
    await page.request.post(`${api}/clock`, { data: { step: 1 } });
    await agrees(page, id);
  }
  // The sheets themselves follow too.
  await open(page, `${base}/claims`);
  await page.request.post(`${api}/undo`, { data: {} });
  await expect(page.getByRole('link', { name: `c-${sheets.length - 1}` })).toHaveCount(0, { timeout: 2 * followsMs });
});

test('after a remedy is sent from its sheet, head, levels, tape and change sheet are of one moment', async ({ page }) => {
  const base = await forkOf(page, 'south-quay', 'remedy');
  const id = decodeURIComponent(base.slice(3));
  await open(page, `${base}/root-line?kind=StatefulSet&namespace=tickets&name=bookings`);
  await page.keyboard.press('d');
  await page.getByText('Order of sending').waitFor();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: /^Send to south-quay/ }).click();
  await expect(page.getByTestId('notice')).toContainText('Sent to');
  await agrees(page, id);
  // The sheet is made anew: what stands there is not new once more.
  await expect(page.getByText('Everything in this draft stands on')).toBeVisible({ timeout: 2_000 });
  await page.locator('#sheet').focus();
  await page.keyboard.press('s');
  await expect(page.getByTestId('standing')).toContainText('settled');
  await agrees(page, id);
});

test('one event on stops at what is next, or says that nothing is; a clock at its limit says so', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'steps');
  const api = `/api/v1/rehearsals/${encodeURIComponent(decodeURIComponent(base.slice(3)))}`;
  const clock = async (data: object) => (await page.request.post(`${api}/clock`, { data })).json();
  let at = await clock({ until: 'settled' });
  // chartroom's mount is tried again and again: each step stops there.
  for (let i = 0; i < 5; i += 1) {
    const next = await clock({ step: 1 });
    expect(next.nowMs - at.nowMs).toBeLessThan(10 * 60_000);
    at = next;
  }
  const pilot = await forkOf(page, 'pilot-house', 'steps');
  const quiet = `/api/v1/rehearsals/${encodeURIComponent(decodeURIComponent(pilot.slice(3)))}`;
  await page.request.post(`${quiet}/remove`, { data: { kind: 'StatefulSet', namespace: 'people', name: 'crew' } });
  await page.request.post(`${quiet}/clock`, { data: { until: 'settled' } });
  await open(page, `${pilot}/ground`);
  const before = await page.getByTestId('clock').textContent();
  await page.keyboard.press('.');
  await expect(page.getByTestId('notice')).toContainText(/the next thing is due in \d+ days|nothing is due/);
  await expect(page.getByTestId('clock')).toHaveText(before!);
  await page.request.post(`${quiet}/clock`, { data: { untilMs: 30 * 86_400_000 } });
  for (const key of ['s', ' ', '.']) {
    await page.keyboard.press('s');
    await expect(page.getByTestId('notice')).toContainText('limit of 30 days');
    await page.getByRole('button', { name: 'close' }).click();
    await page.locator('#sheet').focus();
    await page.keyboard.press(key);
    await expect(page.getByTestId('notice')).toContainText('limit of 30 days');
  }
  // The way out: the latest action is taken back, by name, and the clock stands before it.
  await page.keyboard.press('u');
  await expect(page.getByRole('dialog')).toContainText('took StatefulSet crew away');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('clock')).toHaveText('T+00:05:00');
});

test('a server that goes away is told in the head; pages stay, and it comes back by itself', async ({ browser }) => {
  const first = await ownServer();
  const page = await browser.newPage({ baseURL: first.base });
  await open(page, '/r/north-quay/members');
  const head = () => page.locator('header').evaluate((one) => one.clientHeight);
  const high = await head();
  first.kill();
  await expect(page.getByText(/no contact since \d\d:\d\d:\d\d/)).toBeVisible();
  // In one line with all else, so that nothing below moves.
  expect(await head()).toBe(high);
  // The help was not asked for before: its texts can't be had now, its keys can.
  await page.keyboard.press('?');
  const help = page.getByRole('dialog', { name: 'Help' });
  await expect(help).toContainText('The texts of the help could not be loaded.');
  await expect(help).toContainText('run until settled');
  // Whoever scrolls it by a space switches nothing.
  await page.keyboard.press('Space');
  await expect(help.getByRole('checkbox')).toBeChecked();
  await page.keyboard.press('Escape');
  await page.keyboard.press('3');
  await expect(page.getByTestId('notice')).toContainText('The page stays as it is.');
  await expect(page).toHaveURL(/members$/);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('chartroom waits');
  const second = await ownServer({ port: Number(new URL(first.base).port), data: first.data });
  await expect(page.getByText(/no contact since/)).toHaveCount(0);
  await page.keyboard.press('3');
  await expect(page).toHaveURL(/claims$/);
  // A page that isn't there has the frame of the application, a sentence and ways on.
  await page.goto('/r/north-quay/members/events/nobody');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Nothing called events/nobody');
  await expect(page.getByRole('link', { name: 'Root Barn' })).toBeVisible();
  await page
    .getByRole('link', { name: /Members/ })
    .first()
    .click();
  await expect(page).toHaveURL(/north-quay\/members$/);
  await page.close();
  second.end();
});

test('levels stay where they are, whatever the tape and the notices do', async ({ page }) => {
  await open(page, '/r/north-quay/members');
  const places = () => Promise.all(['Proofs', 'Members', 'Ground'].map(async (name) => (await level(page, name).boundingBox())!.y));
  const before = await places();
  await page.keyboard.press('l');
  expect(await places()).toEqual(before);
  await page.keyboard.press('l');
  await page.keyboard.press('s');
  await expect(page.getByTestId('notice')).not.toBeEmpty();
  expect(await places()).toEqual(before);
  await page.keyboard.press('3');
  await expect(page).toHaveURL(/claims$/);
  expect(await places()).toEqual(before);
});

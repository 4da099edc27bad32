import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import type { Page } from '@playwright/test';
import { ownServer } from '../../scripts/own-server.mjs';
import { expect, forkOf, open, test } from './help';

test('twelve tabs load, and all follow what is done in one of them', async ({ page, context }) => {
  const at = await forkOf(page, 'south-quay', 'tabs');
  const tabs: Page[] = [];
  for (let i = 0; i < 12; i += 1) {
    const tab = await context.newPage();
    await open(tab, `${at}/members`);
    tabs.push(tab);
  }
  const revision = async () =>
    ((await (await page.request.get('/api/v1/rehearsals/south-quay~tabs')).json()) as { revision: number }).revision;
  const before = await revision();
  const sent = await page.request.post('/api/v1/rehearsals/south-quay~tabs/send', {
    data: 'apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: lantern, namespace: tickets}\nspec: {replicas: 0, selector: {matchLabels: {app: l}}, template: {metadata: {labels: {app: l}}, spec: {containers: [{name: m, image: shelf.standin.example/tools/t:1}]}}}\n',
    headers: { 'content-type': 'application/yaml' }
  });
  expect(sent.status()).toBe(200);
  expect(await revision()).toBe(before + 1);
  for (const tab of tabs) {
    await tab.bringToFront();
    await expect(tab.getByRole('link', { name: 'lantern' }).or(tab.getByText('lantern')).first()).toBeVisible();
  }
  // The one that was opened first goes; the others go on following.
  await tabs[0]!.close();
  await page.request.post('/api/v1/rehearsals/south-quay~tabs/undo', { data: {} });
  for (const tab of tabs.slice(1, 4)) {
    await tab.bringToFront();
    await expect(tab.getByText('lantern')).toHaveCount(0);
  }
  const metrics = await (await page.request.get('/metrics')).text();
  expect(Number(/root_barn_event_streams (\d+)/.exec(metrics)![1])).toBeLessThanOrEqual(2);
});

test('two editors of one draft: the later one gets both texts beside each other, and keeps what it makes of them', async ({
  page,
  context
}) => {
  const made = await page.request.post('/api/v1/clusters/south-quay/drafts', { data: { name: 'both', text: 'a: 1\nb: 1\nc: 1\n' } });
  const { id } = (await made.json()) as { id: number };
  const other = await context.newPage();
  for (const one of [page, other]) await open(one, `/r/south-quay/drafts/${id}`);
  const text = (one: Page) => one.getByTestId('editor').locator('.cm-content');
  await expect(text(page)).toContainText('c: 1');
  await expect(page.getByTestId('others')).toContainText('also here: another tab');
  // One writes: the other, which has nothing of its own, is brought up to it.
  await other.bringToFront();
  await text(other).click();
  await other.keyboard.press('ControlOrMeta+End');
  await other.keyboard.type('d: 4');
  await expect(other.getByText('kept', { exact: true })).toBeVisible();
  await page.bringToFront();
  await expect(text(page)).toContainText('d: 4');
  // Both write at once: what the second one has isn't kept over the first.
  await text(page).click();
  await page.route('**/api/v1/drafts/*', async (route) => {
    if (route.request().method() === 'PUT') await new Promise((done) => setTimeout(done, 700));
    await route.continue();
  });
  await page.keyboard.press('ControlOrMeta+End');
  await page.keyboard.type('\ne: mine');
  const draft = (await (await page.request.get(`/api/v1/drafts/${id}`)).json()) as { files: { text: string }[]; revision: number };
  const theirs = draft.files[0]!.text.replace('a: 1', 'a: theirs');
  expect(
    (await page.request.put(`/api/v1/drafts/${id}`, { data: { text: theirs }, headers: { 'if-match': `"${draft.revision}"` } })).status()
  ).toBe(200);
  const conflict = page.getByTestId('conflict');
  await expect(conflict).toBeVisible();
  await expect(conflict.getByRole('alert')).toContainText('nothing of it is lost');
  await page.unroute('**/api/v1/drafts/*');
  await expect(conflict.locator('.cm-content').nth(1)).toContainText('e: mine');
  await conflict.getByRole('button', { name: 'Take this part over from the left' }).first().click();
  await conflict.getByRole('button', { name: 'Keep the right side' }).click();
  await expect(conflict).toBeHidden();
  await expect
    .poll(async () => ((await (await page.request.get(`/api/v1/drafts/${id}`)).json()) as { files: { text: string }[] }).files[0]!.text)
    .toMatch(/a: theirs[\s\S]*e: mine/);
  const stale = await page.request.put(`/api/v1/drafts/${id}`, { data: { text: 'x' }, headers: { 'if-match': '"1"' } });
  expect(stale.status()).toBe(409);
});

test('what was made of two texts is kept, also where an answer to the text before is still on its way', async ({ page }) => {
  const made = await page.request.post('/api/v1/clusters/south-quay/drafts', { data: { name: 'late', text: 'a: 1\nb: 1\n' } });
  const { id } = (await made.json()) as { id: number };
  await open(page, `/r/south-quay/drafts/${id}`);
  const text = page.getByTestId('editor').locator('.cm-content');
  await expect(text).toContainText('b: 1');
  // Asked for the other text before it keeps its own, which the server refuses only once the reader has chosen.
  let [asks, chosen] = [false, false];
  const until = async (is: () => boolean) => {
    for (let n = 0; n < 40 && !is(); n += 1) await new Promise((done) => setTimeout(done, 100));
  };
  await page.route('**/api/v1/drafts/*', async (route) => {
    const keeps = route.request().method() === 'PUT';
    if (keeps && !asks) {
      asks = true;
      await until(() => chosen);
      await new Promise((done) => setTimeout(done, 300));
    } else if (!keeps) await until(() => asks);
    await route.continue();
  });
  await text.click();
  await page.keyboard.press('ControlOrMeta+End');
  await page.keyboard.type('c: mine');
  const theirs = await page.request.put(`/api/v1/drafts/${id}`, { data: { text: 'a: theirs\nb: 1\n' }, headers: { 'if-match': '"1"' } });
  expect(theirs.status()).toBe(200);
  const conflict = page.getByTestId('conflict');
  await expect(conflict.locator('.cm-content').nth(1)).toContainText('c: mine');
  await conflict.getByRole('button', { name: 'Take this part over from the left' }).first().click();
  await conflict.getByRole('button', { name: 'Keep the right side' }).click();
  chosen = true;
  await expect(page.getByText('kept', { exact: true })).toBeVisible();
  await expect(conflict).toBeHidden();
  const kept = (await (await page.request.get(`/api/v1/drafts/${id}`)).json()) as { files: { text: string }[] };
  expect(kept.files[0]!.text).toMatch(/a: theirs[\s\S]*c: mine/);
});

test('where the server has been set back to an earlier state the two texts are laid beside each other, too', async ({ page }) => {
  const made = await page.request.post('/api/v1/clusters/south-quay/drafts', { data: { name: 'set back', text: 'a: 1\n' } });
  const { id } = (await made.json()) as { id: number };
  const refused = await page.request.put(`/api/v1/drafts/${id}`, { data: { text: 'x' }, headers: { 'if-match': '"7"' } });
  const stale = (await refused.json()) as { current: { files: object[] } };
  expect(refused.status()).toBe(409);
  await open(page, `/r/south-quay/drafts/${id}`);
  const current = { ...stale.current, revision: 0, files: [{ name: 'draft.yaml', text: 'a: before\n' }] };
  await page.route('**/api/v1/drafts/*', (route) =>
    route.request().method() === 'PUT'
      ? route.fulfill({ status: 409, contentType: 'application/problem+json', body: JSON.stringify({ ...stale, current }) })
      : route.continue()
  );
  await page.getByTestId('editor').locator('.cm-content').click();
  await page.keyboard.press('ControlOrMeta+End');
  await page.keyboard.type('b: mine');
  const texts = page.getByTestId('conflict').locator('.cm-content');
  await expect(texts.nth(0)).toContainText('a: before');
  await expect(texts.nth(1)).toContainText('b: mine');
});

test('sent in the very moment in which it is being kept, a draft is kept once and sent; that is no clash with oneself', async ({
  page
}) => {
  const at = await forkOf(page, 'south-quay', 'hasty');
  await open(page, `${at}/drafts`);
  await page.getByRole('button', { name: 'Begin a draft' }).click();
  await page.route('**/api/v1/drafts/*', async (route) => {
    const answer = await route.fetch();
    if (route.request().method() === 'PUT') await new Promise((done) => setTimeout(done, 1_500));
    await route.fulfill({ response: answer });
  });
  await page.getByTestId('editor').locator('.cm-content').click();
  const keeping = page.waitForRequest((request) => request.method() === 'PUT' && request.url().includes('/drafts/'));
  await page.keyboard.insertText('apiVersion: v1\nkind: ConfigMap\nmetadata: {name: hasty, namespace: tickets}\ndata: {k: v}\n');
  await keeping;
  await page.getByRole('button', { name: /^Send to/ }).click();
  await expect(page.getByText(/^Sent to south-quay~hasty at/)).toBeVisible();
  await expect(page.getByTestId('conflict')).toHaveCount(0);
});

test('a rehearsal that can not be stood up: the estate says so, it can be looked at, and taking the latest back mends it', async ({
  page
}) => {
  const first = await ownServer({ quiet: true });
  await page.request.post(`${first.base}/api/v1/rehearsals/south-quay/send`, {
    data: 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: one, namespace: default}\n',
    headers: { 'content-type': 'application/yaml' }
  });
  await first.stop();
  const db = new Sqlite(join(first.data, 'root-barn.sqlite'));
  db.exec(
    "UPDATE action SET body = '{' WHERE rehearsal = 'south-quay' AND sequence = (SELECT max(sequence) FROM action WHERE rehearsal = 'south-quay')"
  );
  db.close();
  const server = await ownServer({ data: first.data, quiet: true });
  try {
    await open(page, server.base);
    await expect(page.getByRole('heading', { level: 1 })).toContainText("One cluster can't be stood up whole.");
    await expect(page.getByTestId('fault')).toContainText('what was done then is damaged in the database');
    await page.getByRole('link', { name: 'look', exact: true }).click();
    await expect(page.getByRole('alert').filter({ hasText: 'What you see is the last good moment' })).toBeVisible();
    await expect(page.getByText('bookings').first()).toBeVisible();
    await page.getByRole('button', { name: 'take the latest action back' }).click();
    await page.getByRole('button', { name: 'Take it back' }).click();
    await expect(page.getByText('What you see is the last good moment')).toHaveCount(0);
    await open(page, server.base);
    await expect(page.getByTestId('fault')).toHaveCount(0);
  } finally {
    server.end();
  }
});

test('where people sign in: the first keeper, an account, who did what, and what a reader may not', async ({ page }) => {
  const server = await ownServer({ quiet: true, flags: ['--sign-in'] });
  try {
    const code = /with the code (\S+) /.exec(server.said())![1]!;
    await page.goto(`${server.base}/r/south-quay/members`);
    await expect(page.getByRole('heading', { name: 'Make the first keeper' })).toBeVisible();
    await page.getByLabel('Code').fill(code);
    await page.getByLabel('Name').fill('anna');
    await page.getByLabel('Password').fill('tall masts in winter');
    await page.getByRole('button', { name: 'Make it' }).click();
    await expect(page).toHaveURL(/south-quay\/members/);
    await page.getByRole('link', { name: 'anna' }).click();
    await page.getByRole('link', { name: 'Accounts and backups' }).click();
    await page.locator('html[data-ready]').waitFor();
    await page.getByLabel('Name').first().fill('rudi');
    await page.getByLabel('Password').fill('a lamp by the slip');
    await page.getByLabel('Role of the new account').selectOption('reader');
    await page.getByRole('button', { name: 'Make an account' }).click();
    await expect(page.getByRole('cell', { name: 'rudi' })).toBeVisible();
    await page.getByRole('button', { name: 'Make a backup now' }).click();
    await expect(page.getByTestId('notice')).toContainText('is made');
    await page.getByRole('link', { name: 'who did what' }).click();
    await expect(page.getByRole('cell', { name: 'made an account' })).toBeVisible();
    await expect(page.getByRole('cell', { name: 'made a backup' })).toBeVisible();
    await page.getByRole('button', { name: 'sign out' }).click();
    await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
    await page.getByLabel('Name').fill('rudi');
    await page.getByLabel('Password').fill('wrong words here');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await expect(page.getByRole('alert')).toContainText('Name and password do not go together');
    await page.getByLabel('Password').fill('a lamp by the slip');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await expect(page.getByRole('heading', { level: 1 })).toContainText('break');
    await open(page, `${server.base}/r/south-quay/members`);
    await page.keyboard.press('s');
    await expect(page.getByTestId('notice')).toContainText('This takes the role engineer; yours is reader.');
    const answer = await page.goto(`${server.base}/accounts`);
    expect(answer!.status()).toBe(403);
  } finally {
    server.end();
  }
});

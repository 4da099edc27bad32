import type { Page } from '@playwright/test';
import { expect, forkOf, open, overflows, test } from './help';

const clusters = ['north-quay', 'pilot-house'] as const;

/** The same database in two forks that are linked. */
async function linkedPair(page: Page, fork: string): Promise<void> {
  for (const cluster of clusters) await forkOf(page, cluster, fork);
  const api = (path: string) => `/api/v1/rehearsals/${path}`;
  const joined = await page.request.post(api(`north-quay~${fork}/join`), { data: { with: 'pilot-house' } });
  expect(joined.ok()).toBe(true);
}

async function deploy(page: Page, id: string): Promise<void> {
  const at = `/api/v1/rehearsals/${id}/blueprints/primary-standby-sql`;
  const answers = { name: 'berths', namespace: 'berths', size: '2Gi', cpu: '250m', memory: '512Mi' };
  const first = (await (await page.request.post(at, { data: { answers } })).json()) as { classes: string[] };
  const whole = (await (await page.request.post(at, { data: { answers: { ...answers, class: first.classes[0] } } })).json()) as {
    yaml: string;
  };
  const sent = await page.request.post(`/api/v1/rehearsals/${id}/send`, { data: whole.yaml, headers: { 'content-type': 'text/plain' } });
  expect(sent.ok()).toBe(true);
}

/** Sends the open draft by the cluster's name, where data would be lost. */
async function confirmed(page: Page, cluster: string, fork: string): Promise<void> {
  await page.getByRole('textbox', { name: new RegExp(`Type ${cluster} to send`) }).fill(cluster);
  await page.getByRole('button', { name: new RegExp(`^Send to ${cluster}~${fork}`) }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
}
const onward = async (page: Page, id: string, ms: number) => {
  const { nowMs } = (await (await page.request.post(`/api/v1/rehearsals/${id}/clock`, { data: { until: 'settled' } })).json()) as {
    nowMs: number;
  };
  expect((await page.request.post(`/api/v1/rehearsals/${id}/clock`, { data: { untilMs: nowMs + ms } })).ok()).toBe(true);
};
const write = async (page: Page, id: string, key: string) => {
  const ask = {
    namespace: 'berths',
    workload: 'berths',
    way: 'inside',
    login: 'right',
    op: { do: 'write', place: 'seats', key, value: key }
  };
  return (await (await page.request.post(`/api/v1/rehearsals/${id}/asks`, { data: ask })).json()) as { outcome: string; says: string };
};

test('a standby in another cluster: it follows, is promoted when the link is cut, and the old one comes back without what it alone had', async ({
  page
}) => {
  test.setTimeout(120_000);
  await linkedPair(page, 'standby');
  const [north, pilot] = ['north-quay~standby', 'pilot-house~standby'];
  for (const id of [north, pilot]) await deploy(page, id);
  await onward(page, north, 0);
  await open(page, `/r/${pilot}/links`);
  await page.getByRole('button', { name: 'Let a workload follow another' }).click();
  await page.getByLabel('The workload that follows').selectOption('berths/berths');
  await expect(page.getByLabel('The workload that is followed')).toHaveValue('north-quay berths/berths');
  await page.getByRole('button', { name: 'Put in a draft for pilot-house' }).click();
  await page.waitForURL(/drafts/);
  await confirmed(page, 'pilot-house', 'standby');
  await onward(page, pilot, 20_000);
  await open(page, `/r/${pilot}/links`);
  const list = page.getByRole('region', { name: 'Followed workloads' });
  await expect(list).toContainText('berths of pilot-house follows berths of north-quay');
  await expect(list).toContainText('has what was written by');
  expect((await write(page, pilot, 'x')).says).toContain('it is written to over there');

  const cut = 'apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: north-quay, is: cut}]}\n';
  expect((await page.request.post(`/api/v1/rehearsals/${pilot}/send`, { data: cut, headers: { 'content-type': 'text/plain' } })).ok()).toBe(
    true
  );
  expect((await write(page, north, 'alone')).outcome).toBe('acknowledged');
  await onward(page, pilot, 15_000);
  await open(page, `/r/${pilot}/links`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText("berths of pilot-house can't follow");
  await list.getByRole('link', { name: 'trace' }).click();
  await expect(page.getByRole('complementary', { name: 'The joint Copies' })).toContainText('is cut');
  await open(page, `/r/${pilot}/links`);
  await list.getByRole('button', { name: 'promote berths of pilot-house' }).click();
  await page.waitForURL(/drafts/);
  await confirmed(page, 'pilot-house', 'standby');
  await onward(page, pilot, 2_000);
  expect((await write(page, pilot, 'after')).outcome).toBe('acknowledged');
  const gone = await page.request.post(`/api/v1/rehearsals/${pilot}/remove`, { data: { kind: 'Outage', namespace: '', name: 'cut' } });
  expect(gone.ok()).toBe(true);
  await open(page, `/r/${pilot}/links`);
  await list.getByRole('button', { name: 'let berths of north-quay follow it' }).click();
  await page.waitForURL(/north-quay~standby\/drafts/);
  await confirmed(page, 'north-quay', 'standby');
  await onward(page, north, 20_000);
  await open(page, `/r/${north}/links`);
  await list.getByText('1 write of its own never came to the other: they were given up').click();
  await expect(list.getByText('seats/alone')).toBeVisible();
  expect(await overflows(page)).toBe(false);
});

test('a workload is moved: ways that are none say why, one is tried on a fork, and its first step goes into a draft', async ({ page }) => {
  test.setTimeout(120_000);
  await linkedPair(page, 'moved');
  const north = 'north-quay~moved';
  await deploy(page, north);
  await onward(page, north, 0);
  await open(page, `/r/${north}/members/berths/berths`);
  await page.getByRole('link', { name: 'Move it' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('berths can go to pilot-house 1 way.');
  await expect(page.getByRole('region', { name: 'a last copy is put back there' })).toContainText('no plan copies it through its engine');
  await page.getByRole('button', { name: 'Try it on a fork' }).click();
  const way = page.getByRole('region', { name: 'one that follows is promoted' });
  await expect(way).toContainText(/counted, all of them there at the end/, { timeout: 30_000 });
  await expect(page.getByRole('heading', { level: 1 })).toContainText('berths comes to pilot-house with a pause of');
  expect(await overflows(page)).toBe(false);
  await way.getByRole('button', { name: 'put in a draft for pilot-house' }).first().click();
  await page.waitForURL(/pilot-house~moved\/drafts/);
  await expect(page.getByRole('heading', { name: 'Change sheet' })).toBeVisible();
  await expect(page.getByText('nothing is refused')).toBeVisible();
});

import type { Browser, Locator, Page } from '@playwright/test';
import { ownServer } from '../../scripts/own-server.mjs';
import type { OwnServer } from '../../scripts/own-server.mjs';
import { expect, open, test } from './help';

let own: OwnServer;
test.beforeAll(async () => {
  own = await ownServer();
});
test.afterAll(() => own.end());

/** Counts what a reader does: a click, a key, a text typed or pasted each count once. */
class ClusterAccess {
  count = 0;
  constructor(readonly page: Page) {}
  async click(what: Locator) {
    this.count += 1;
    await what.click();
  }
  async key(key: string) {
    this.count += 1;
    await this.page.keyboard.press(key);
  }
  async type(text: string) {
    this.count += 1;
    await this.page.keyboard.insertText(text);
  }
  /** By keyboard alone: goes on to something with Tab, and presses it. */
  async tabTo(what: Locator, key = 'Enter') {
    await what.waitFor();
    for (let i = 0; i < 120; i += 1) {
      if (await what.evaluate((one) => one === document.activeElement)) return this.key(key);
      await this.key('Tab');
    }
    throw new Error('it is not reached by Tab');
  }
}

const begin = async (browser: Browser, path: string) => {
  const page = await browser.newPage({ baseURL: own.base, viewport: { width: 1280, height: 800 } });
  await open(page, path);
  return { page, hands: new ClusterAccess(page) };
};
const button = (page: Page, name: string | RegExp) => page.getByRole('button', { name }).first();
const notice = (page: Page) => page.getByTestId('notice');
/** The driver has come, and bookings with it; its operator still waits. */
const mended = (page: Page) => expect(page.getByRole('link', { name: /Members/ }).first()).toContainText('3/4', { timeout: 30_000 });
const settled = (page: Page) => expect(page.getByTestId('standing')).toContainText('settled', { timeout: 30_000 });
const api = async (page: Page, path: string, data: object | string) => {
  const yaml = typeof data === 'string';
  const answer = await page.request.post(`/api/v1/rehearsals/${path}`, {
    data,
    headers: { 'content-type': yaml ? 'application/yaml' : 'application/json' }
  });
  expect(answer.ok(), await answer.text()).toBe(true);
  return answer.json();
};

test('bookings is mended and proved in at most 7 presses, with the mouse', async ({ browser }) => {
  const { page, hands } = await begin(browser, '/');
  await hands.click(page.getByRole('listitem').filter({ hasText: 'south-quay' }).getByRole('link', { name: 'trace' }));
  await hands.click(button(page, 'Put in a draft'));
  await hands.click(button(page, /^Send to south-quay/));
  await hands.click(button(page, 'settle'));
  await settled(page);
  await mended(page);
  await hands.click(page.getByRole('link', { name: 'Watch the members' }));
  await hands.click(page.getByRole('region', { name: 'bookings' }).getByRole('button', { name: 'Prove' }));
  await expect(notice(page)).toContainText(/(\d+) of \1 proofs hold/, { timeout: 40_000 });
  expect(hands.count).toBeLessThanOrEqual(7);
  await page.close();
});

test('the same by keyboard alone', async ({ browser }) => {
  const page0 = await browser.newPage({ baseURL: own.base });
  await api(page0, 'south-quay/undo', {});
  await page0.close();
  const { page, hands } = await begin(browser, '/');
  await hands.key('t');
  await page.getByRole('heading', { name: /bookings waits/ }).waitFor();
  await hands.key('d');
  await page.getByText('Order of sending').waitFor();
  await hands.key('Control+Enter');
  await expect(notice(page)).toContainText('Sent to');
  await hands.key('s');
  await settled(page);
  await mended(page);
  await hands.key('4');
  await page.getByRole('region', { name: 'bookings' }).waitFor();
  await hands.key('p');
  await expect(notice(page)).toContainText(/(\d+) of \1 proofs hold/, { timeout: 40_000 });
  expect(hands.count).toBeLessThanOrEqual(7);
  await page.close();
});

test('a pool is built and papers runs: by keyboard alone, and in at most 22 presses', async ({ browser }) => {
  test.setTimeout(240_000);
  for (const byKeys of [true, false]) {
    const id = byKeys ? 'harbour~by-keys' : 'harbour';
    const page0 = await browser.newPage({ baseURL: own.base });
    if (byKeys) await api(page0, 'harbour/forks', { name: 'by-keys' });
    await page0.close();
    const { page, hands } = await begin(browser, `/r/${id}/members`);
    const press = (what: Locator, key: string) => (byKeys ? hands.key(key) : hands.click(what));
    const go = (what: Locator) => (byKeys ? hands.tabTo(what) : hands.click(what));
    await go(page.getByRole('region', { name: 'papers' }).getByRole('link', { name: 'Root line' }));
    for (let i = 0; i < 6; i += 1) {
      await button(page, 'Put in a draft').waitFor();
      await press(button(page, 'Put in a draft'), 'd');
      await expect(button(page, /^Send to harbour/)).toBeEnabled();
      await press(button(page, /^Send to harbour/), 'Control+Enter');
      // The notice of the draft before may still be there; what stands in the draft's own sheet isn't.
      await expect(page.getByText('Everything in this draft stands on')).toBeVisible();
      await press(button(page, 'settle'), 's');
      const on = page.getByRole('link', { name: 'trace what waits' });
      const clock = async () => (await (await page.request.get(`/api/v1/rehearsals/${id}/frame`)).json()).clock;
      await expect.poll(async () => (await clock()).settled, { timeout: 30_000 }).toBe(true);
      await settled(page);
      if ((await on.count()) === 0) break;
      await go(on);
      await page
        .getByRole('heading', { level: 1 })
        .filter({ hasText: /waits|wait/ })
        .waitFor();
    }
    await open(page, `/r/${id}/members/archive/papers`);
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('papers: all 6 members are ready.');
    if (!byKeys) expect(hands.count).toBeLessThanOrEqual(22);
    await page.close();
  }
});

/** A fork of north-quay with a coordinator's volume damaged and a snapshot from before. */
async function damaged(page: Page, fork: string): Promise<string> {
  await api(page, 'north-quay/forks', { name: fork });
  const id = `north-quay~${fork}`;
  await api(
    page,
    `${id}/send`,
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: before, namespace: events}\nspec: {source: {persistentVolumeClaimName: log-coord-1}}\n'
  );
  await api(page, `${id}/clock`, { until: 'settled' });
  await api(page, `${id}/damage`, { namespace: 'events', claim: 'log-coord-1' });
  return id;
}

test('a damaged member is restored in at most 8 presses', async ({ browser }) => {
  const { page, hands } = await begin(browser, '/');
  const id = await damaged(page, 'restored');
  await open(page, `/r/${id}/members`);
  await hands.click(page.getByRole('navigation', { name: 'The stack' }).getByRole('link', { name: /Claims/ }));
  await expect(page.getByRole('heading', { level: 1 })).toContainText('1 damaged');
  await hands.click(button(page, 'log-coord-1'));
  await hands.click(button(page, 'Put it in the place of log-coord-1'));
  await expect(page.getByRole('dialog')).toContainText('coord-1 stops');
  await hands.type('north-quay');
  await hands.click(button(page, 'Put it in place'));
  await expect(notice(page)).toContainText('is being put in the place of');
  await hands.click(button(page, 'settle'));
  await settled(page);
  await open(page, `/r/${id}/claims`);
  await expect(page.getByRole('heading', { level: 1 })).not.toContainText('damaged');
  await expect(page.getByRole('row', { name: /log-coord-1/ })).toContainText('coord-1');
  expect(hands.count).toBeLessThanOrEqual(8);
  // By keyboard alone the same can be reached.
  const other = await damaged(page, 'by-keys');
  await open(page, `/r/${other}/members`);
  await hands.key('3');
  await page.waitForURL(/claims/);
  await hands.tabTo(page.getByRole('button', { name: 'log-coord-1', exact: true }));
  await hands.tabTo(button(page, 'Put it in the place of log-coord-1'));
  await page.getByRole('dialog').getByText('coord-1 stops').first().waitFor();
  await hands.type('north-quay');
  await hands.key('Enter');
  await expect(notice(page)).toContainText('is being put in the place of');
  await hands.key('s');
  await settled(page);
  await page.close();
});

test('a workload is taken away with its data in at most 4 presses', async ({ browser }) => {
  const { page, hands } = await begin(browser, '/');
  for (const byKeys of [false, true]) {
    const fork = byKeys ? 'away-by-keys' : 'away';
    await api(page, 'north-quay/forks', { name: fork });
    await open(page, `/r/north-quay~${fork}/members/plans/timetable`);
    const errors: string[] = [];
    page.on('pageerror', (error) => errors.push(error.message));
    const before = hands.count;
    const press = (what: Locator, key?: string) => (byKeys ? hands.tabTo(what, key) : hands.click(what));
    await press(button(page, 'Take it away'));
    await page.getByRole('dialog').getByText('Service', { exact: true }).first().waitFor();
    await press(page.getByRole('checkbox', { name: /Its claims and their data/ }), 'Space');
    if (byKeys)
      for (let i = 0; i < 40 && !(await page.getByLabel(/Data is lost/).evaluate((one) => one === document.activeElement)); i += 1)
        await hands.key('Tab');
    else await page.getByLabel(/Data is lost/).focus();
    await hands.type('north-quay');
    await press(page.getByRole('dialog').getByRole('button', { name: 'Take away', exact: true }));
    // It lands on a sheet that exists, and nothing is thrown.
    await expect(page).toHaveURL(/\/members$/);
    await expect(notice(page)).toContainText('timetable is being taken away');
    expect(errors).toEqual([]);
    if (!byKeys) expect(hands.count - before).toBeLessThanOrEqual(4);
    await api(page, `north-quay~${fork}/clock`, { until: 'settled' });
    const left = await (await page.request.get(`/api/v1/rehearsals/north-quay~${fork}/objects?namespace=plans`)).json();
    expect(
      (left as { items: { kind: string }[] }).items.filter((one) =>
        ['StatefulSet', 'Pod', 'PersistentVolumeClaim', 'Secret', 'Service'].includes(one.kind)
      )
    ).toEqual([]);
  }
  await page.close();
});

const pages = `apiVersion: v1
kind: Service
metadata: {name: pages, labels: {app: pages}}
spec: {clusterIP: None, selector: {app: pages}, ports: [{name: http, port: 80}]}
---
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: pages}
spec:
  serviceName: pages
  replicas: 3
  selector: {matchLabels: {app: pages}}
  template:
    metadata: {labels: {app: pages}}
    spec:
      containers:
      - name: page
        image: images.example/web/page:r1
        ports: [{name: http, containerPort: 80}]
        volumeMounts: [{name: www, mountPath: /srv/pages}]
  volumeClaimTemplates:
  - metadata: {name: www}
    spec: {accessModes: [ReadWriteOnce], storageClassName: quick-disk, resources: {requests: {storage: 3Gi}}}
`;

test('own manifests stand and are proved in at most 6 presses', async ({ browser }) => {
  const { page, hands } = await begin(browser, '/');
  await hands.click(page.getByRole('link', { name: 'Bring manifests' }));
  await page.getByRole('textbox', { name: 'Manifests' }).waitFor();
  await hands.type(pages);
  await expect(page.getByText('the class quick-disk')).toBeVisible();
  await hands.click(button(page, 'Make it and rehearse there'));
  await page.waitForURL(/made-to-fit\/members/, { timeout: 30_000 });
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('3 members of 1 workload are ready.');
  // Nothing claims a quorum of what isn't known to have one.
  await expect(page.getByRole('region', { name: 'pages' })).not.toContainText('Quorum');
  await hands.click(button(page, 'Prove'));
  await expect(notice(page)).toContainText(/(\d+) of \1 proofs hold/, { timeout: 30_000 });
  expect(hands.count).toBeLessThanOrEqual(6);
  await page.goto('/r/made-to-fit/root-line?kind=Pod&namespace=default&name=pages-0');
  await expect(page.getByText(/known here: played as an ordinary program/).first()).toBeVisible();
  // By keyboard alone, onto the cluster that fits by now.
  await open(page, '/');
  await hands.tabTo(page.getByRole('link', { name: 'Bring manifests' }));
  await page.getByRole('textbox', { name: 'Manifests' }).waitFor();
  await hands.type(pages.replaceAll('pages', 'leaves'));
  await hands.tabTo(button(page, 'Rehearse on a fork of made-to-fit'));
  await page.waitForURL(/brought-.*\/members/, { timeout: 30_000 });
  await hands.key('p');
  await expect(notice(page)).toContainText(/(\d+) of \1 proofs hold/, { timeout: 30_000 });
  await page.close();
});

test('an empty estate begins with three ways, and the demo is one of them', async ({ browser }) => {
  const empty = await ownServer({ empty: true });
  const page = await browser.newPage({ baseURL: empty.base });
  await open(page, '/');
  for (const name of ['Read an export', 'Lay out a cluster']) await expect(page.getByRole('link', { name }).first()).toBeVisible();
  await page.getByRole('button', { name: 'Open the demo' }).click();
  await expect(page.getByRole('link', { name: 'south-quay' })).toBeVisible();
  // Help is at hand, and found by what stands in it.
  await page.getByRole('link', { name: 'south-quay' }).click();
  await page.waitForURL(/members/);
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Help: Members' })).toContainText('What to do');
  await page.keyboard.press('Escape');
  await page.keyboard.press('/');
  await page.keyboard.insertText('patience band');
  await page.getByRole('option', { name: /The tape and its clock/ }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('The tape and its clock');
  await page.close();
  empty.end();
});

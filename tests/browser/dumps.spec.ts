import { stringify } from 'yaml';
import { addClaim, driver, healthy, type Export } from '../fixtures/exports/cluster';
import { unplaced } from '../fixtures/exports/states';
import { expect, level, open, overflows, test } from './help';

test('a dump is read, traced, rehearsed from and mended; a second one is compared with it', async ({ page }) => {
  const dump = (await (await page.request.get('/api/v1/rehearsals/south-quay/dump')).json()) as {
    items: { kind: string; metadata: { name: string }; spec?: { replicas?: number } }[];
  };
  await open(page, '/');
  await page.getByRole('link', { name: "Read a cluster's dump" }).click();
  await page.locator('input[type=file][multiple]').setInputFiles([
    {
      name: 'workloads.json',
      mimeType: 'application/json',
      buffer: Buffer.from(JSON.stringify({ ...dump, items: dump.items.slice(0, 12) }))
    },
    { name: 'rest.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify({ ...dump, items: dump.items.slice(12) })) }
  ]);
  await page.getByLabel('Name of the cluster').fill('harbour');
  await expect(page.getByText('harbour is a stand-in; choose another name.')).toBeVisible();
  await page.getByLabel('Name of the cluster').fill('real-south');
  await page.getByRole('button', { name: 'Read 2 files' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/thing(s are| is) wrong here/);
  await page.getByRole('link', { name: 'What was read', exact: true }).first().click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText(`${dump.items.length} objects of`);
  await expect(page.getByText('The values of secrets were dropped at the door.')).toBeVisible();

  await open(page, '/');
  const row = page.getByRole('listitem').filter({ hasText: 'real-south' });
  await expect(row).toContainText('no driver answers to block.standin.example');
  await row.getByRole('link', { name: 'trace' }).click();
  await expect(page.getByText('first break: Driver')).toBeVisible();
  await expect(page.getByRole('main')).toContainText('look at the trust there');
  await page.getByRole('link', { name: 'Compare' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('There is one dump');

  const later = {
    ...dump,
    items: dump.items
      .filter((one) => one.metadata.name !== 'bookings-config')
      .map((one) => (one.kind === 'StatefulSet' ? { ...one, spec: { ...one.spec, replicas: 5 } } : one))
  };
  await page.request.post('/api/v1/clusters?name=real-south', {
    data: JSON.stringify(later),
    headers: { 'content-type': 'application/json' }
  });
  await page.reload();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('0 came, 0 went, 1 changed');
  // It was the only one of its kind in its namespace: whether it went, or wasn't exported, can't be told.
  await expect(page.getByRole('main')).toContainText('Only one of the two holds ConfigMap of tickets (1, the earlier)');
  await expect(page.getByRole('main')).toContainText('spec.replicas');
  await page.request.post('/api/v1/clusters?name=real-south', {
    data: JSON.stringify(dump),
    headers: { 'content-type': 'application/json' }
  });

  await page.getByRole('link', { name: 'Rehearse from here' }).click();
  await expect(page.getByRole('main')).toContainText('The nodes can reach shelf.standin.example');
  await page.getByLabel('Name of the stand-in').fill('real-south-try');
  await page.getByRole('button', { name: 'Rehearse from here' }).click();
  await expect(page).toHaveURL(/real-south-try\/members/);
  await page.getByRole('button', { name: 'settle' }).click();
  await level(page, 'Supply').click();
  await page.getByRole('button', { name: 'Put in a draft' }).first().click();
  await page.getByRole('button', { name: 'Send to real-south-try' }).click();
  await page.getByRole('link', { name: 'Watch the members' }).click();
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(/^1 member of memory-operator waits/);
});

const yaml = (to: Export) => to.docs.map((one) => stringify(one)).join('---\n');
const message =
  'failed to provision volume with StorageClass "quarry-now": rpc error: code = ResourceExhausted desc = pool east-3 has 12 GiB left';
const broken = (tapes: number) => {
  const to = healthy();
  for (let i = 1; i <= tapes; i += 1) {
    addClaim(to, `tape-${i}`, { storageClassName: 'quarry-now' });
    to.event('PersistentVolumeClaim', `tape-${i}`, 'ProvisioningFailed', message, { by: `${driver}_quarry-controller-6c5f9-p8k2_1` });
  }
  unplaced(to, 2, 'pod has unbound immediate PersistentVolumeClaims');
  to.get('PersistentVolumeClaim', 'data-ledger-2').spec.storageClassName = 'quarry-gone';
  return to.drop((one) => one.kind === 'StorageClass');
};

test("what can't be read says why, and what was chosen is kept; the sheets of a dump fit", async ({ page }) => {
  await open(page, '/read');
  await page
    .locator('input[type=file][multiple]')
    .setInputFiles([{ name: 'cut.gz', mimeType: 'application/gzip', buffer: Buffer.from('1f8b0800000000000003abca', 'hex') }]);
  await page.getByRole('button', { name: 'Read 1 file' }).click();
  await expect(page.getByRole('alert')).toContainText('cut off');
  await expect(page.getByText('cut.gz')).toBeVisible();
  await expect(page.getByLabel('Name of the cluster')).toHaveValue('cut');
  const { items } = (await (await page.request.get('/api/v1/rehearsals/north-quay/dump')).json()) as { items: object[] };
  await page.request.post('/api/v1/clusters?name=real-north', {
    data: JSON.stringify({ apiVersion: 'v1', kind: 'List', items }),
    headers: { 'content-type': 'application/json' }
  });
  // One with much wrong in it and a very long name, read twice, so that there is something to compare.
  for (const more of [1, 3]) {
    const to = broken(more);
    addClaim(to, `tape-${'of-a-very-long-name-'.repeat(8)}end`, { storageClassName: 'quarry-gone' });
    await page.request.post('/api/v1/clusters?name=real-wide', { data: yaml(to), headers: { 'content-type': 'application/octet-stream' } });
  }
  for (const cluster of ['real-north', 'real-wide'])
    for (const sheet of ['wrong', 'ground', 'supply', 'claims', 'members', 'proofs', 'drafts', 'dump', 'compare', 'rehearse']) {
      await page.setViewportSize({ width: 1280, height: 800 });
      await open(page, `/r/${cluster}/${sheet}`);
      await expect(page.getByRole('heading', { level: 1 }).first()).toBeVisible();
      for (const width of [640, 900, 1280, 1920]) {
        await page.setViewportSize({ width, height: 800 });
        await expect.poll(() => overflows(page), { message: `${cluster} ${sheet} at ${width}`, timeout: 2_000 }).toBe(false);
      }
    }
});

test('an export is read: what is wrong, the event that tells, its reach corrected, and a later one beside it', async ({ page }) => {
  await open(page, '/read');
  await page
    .locator('input[type=file][multiple]')
    .setInputFiles([{ name: 'east.yaml', mimeType: 'application/yaml', buffer: Buffer.from(yaml(broken(3))) }]);
  await page.getByLabel('Name of the cluster').fill('real-east');
  await page.getByRole('button', { name: 'Read 1 file' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('One thing is wrong here.');
  const cause = page.getByRole('listitem').filter({ hasText: 'Backend' }).first();
  await expect(cause).toContainText('ResourceExhausted: pool east-3 has 12 GiB left.');
  await expect(cause).toContainText('3');
  // The classes were not exported, so that nobody says that one is missing.
  await expect(page.getByRole('main')).toContainText('ledger-prod/ledger-2');
  await expect(page.getByRole('main')).not.toContainText('there is no class');

  await cause.getByRole('link', { name: /tape-2/ }).click();
  await expect(page.getByText('first break: Backend')).toBeVisible();
  await expect(page.getByRole('complementary', { name: 'The joint Backend' })).toContainText('ProvisioningFailed');
  await expect(page.getByRole('complementary', { name: 'The joint Backend' })).toContainText(message);

  await page.getByRole('link', { name: 'What was read', exact: true }).click();
  await expect(page.getByRole('row', { name: /^StorageClass 0/ })).toContainText('not exported: other objects speak of some');
  // Somebody else looks on meanwhile.
  const other = await page.context().newPage();
  await open(other, '/r/real-east/wrong');
  await expect(other.getByRole('main')).not.toContainText('there is no class');
  await page.getByLabel('Reach of StorageClass').selectOption('contained');
  await expect(other.getByRole('main')).toContainText('there is no class quarry-gone');
  await other.close();
  await expect(page.getByRole('row', { name: /^StorageClass 0/ })).toContainText('exported, as you say');
  await page.getByRole('link', { name: 'What is wrong' }).click();
  await expect(page.getByRole('main')).toContainText('there is no class quarry-gone');

  await page.request.post('/api/v1/clusters?name=real-east', {
    data: yaml(broken(1)),
    headers: { 'content-type': 'application/octet-stream' }
  });
  await page.getByRole('link', { name: 'Compare' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/0 came, \d+ went/);
  await expect(page.getByRole('main')).toContainText('tape-1');
});

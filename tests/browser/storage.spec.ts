import type { Page } from '@playwright/test';
import { expect, forkOf, level, open, overflows, test } from './help';

const api = (base: string) => `/api/v1/rehearsals/${base.slice(3)}`;
const heading = (page: Page) => page.getByRole('heading', { level: 1 });
const items = async (
  page: Page,
  base: string,
  kind: string,
  query = ''
): Promise<{ metadata: { name: string; uid: string }; spec: Record<string, never>; status: Record<string, never> }[]> =>
  (await (await page.request.get(`${api(base)}/objects?kind=${kind}${query}`)).json()).items;

/** Sends the draft in front and runs until settled. */
async function sendAndSettle(page: Page, button: RegExp | string = /^Send to/): Promise<void> {
  await page.getByRole('button', { name: button }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(page.getByRole('banner')).toContainText('settled');
}

test('harbour: the pool is built from the drafts that its gates offer, a class is designed and tried, a lost node heals', async ({
  page
}) => {
  const base = await forkOf(page, 'harbour', 'pool');
  await open(page, `${base}/ground`);
  await expect(heading(page)).toHaveText('Seven nodes stand; 12 of 14 raw disks can join a pool.');
  await expect(page.getByText('8 GiB, too small')).toBeVisible();
  await expect(page.getByText('file system', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Yes, this one' }).click();
  await expect(page.getByText('flag and name confirmed')).toBeVisible();
  await page.getByRole('link', { name: 'Build the pool' }).click();
  for (const gate of ['Storage nodes', 'Operator', 'Disks', 'Driver', 'Class']) {
    const row = page.getByRole('listitem').filter({ hasText: new RegExp(`^\\s*${gate}`) });
    await expect(row.getByRole('img', { name: 'broken' })).toBeVisible();
    await row.getByRole('button', { name: 'Put in a draft' }).click();
    await sendAndSettle(page);
    await page.goto(`${base}/supply?driver=pool.standin.example`);
    await page.locator('html[data-ready]').waitFor();
  }
  const sheet = page.getByRole('region', { name: 'The driver pool.standin.example' });
  await expect(sheet).toContainText('12 prepared, 2 refused');
  await expect(sheet).toContainText('0 GiB of 2,880 GiB stored');
  await page.getByRole('link', { name: 'Design a class' }).click();
  await expect(page.getByText('Everything that it rests on holds')).toBeVisible();
  // Pressed before the class of the new name is there: the draft is of the new name all the same.
  await page.route('**/design-class', async (route) => {
    await new Promise((go) => setTimeout(go, 700));
    await route.continue();
  });
  await page.getByRole('textbox', { name: 'Name of the class' }).fill('pool-three');
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await sendAndSettle(page);
  await page.goto(`${base}/supply?class=pool-three`);
  await page.locator('html[data-ready]').waitFor();
  await page.getByRole('button', { name: 'Try it', exact: true }).click();
  await expect(page.getByRole('region', { name: 'Evidence of the trial of pool-three' })).toContainText(
    'pool-three does all 6 things as it should'
  );

  const claim = `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: cargo, namespace: default}\nspec: {accessModes: [ReadWriteMany], storageClassName: pool-three, resources: {requests: {storage: 300Gi}}}\n---\napiVersion: v1\nkind: Pod\nmetadata: {name: user, namespace: default}\nspec: {containers: [{name: main, image: shelf.standin.example/tools/t:1}], volumes: [{name: d, persistentVolumeClaim: {claimName: cargo}}]}`;
  await page.request.post(`${api(base)}/send`, { data: claim, headers: { 'content-type': 'application/yaml' } });
  await page.request.post(`${api(base)}/clock`, { data: { until: 'settled' } });
  const node = (await items(page, base, 'Node', '&name=shed-4'))[0]!;
  const lost = {
    ...node,
    status: { conditions: [{ type: 'Ready', status: 'Unknown', reason: 'NodeStatusUnknown', message: 'It stopped answering.' }] }
  };
  await page.request.post(`${api(base)}/send`, { data: JSON.stringify(lost), headers: { 'content-type': 'application/yaml' } });
  await page.request.post(`${api(base)}/clock`, { data: { untilMs: 3_000_000 } });
  await open(page, `${base}/ground`);
  await expect(heading(page)).toHaveText('1 node of 7 does not answer.');
  await expect(page.getByLabel('Gates of the ground')).toContainText('150 GiB of copies made anew by T+00:');
  const pool = (await items(page, base, 'Pool'))[0]!;
  expect((pool.status as unknown as { lost: { node: string; healed: boolean }[] }).lost).toMatchObject([{ node: 'shed-4', healed: true }]);
  expect(await overflows(page)).toBe(false);
});

test('north-quay: the member in the zone without a mount target is traced and mended, and all see what each writes', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'charts');
  await open(page, `${base}/supply`);
  await expect(page.getByText('zone c: no mount target').first()).toBeVisible();
  await open(page, `${base}/root-line?kind=StatefulSet&namespace=charts&name=chartroom`);
  await expect(heading(page)).toHaveText('chartroom waits: zone c has no mount target.');
  await expect(page.getByRole('complementary', { name: 'The joint Mount target' })).toContainText('spec.mountTargets: a, b');
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await sendAndSettle(page);
  await open(page, `${base}/proofs?set=charts/chartroom`);
  await page
    .getByRole('button', { name: /^Prove/ })
    .first()
    .click();
  await page.getByRole('button', { name: /Same files/ }).click();
  await expect(page.getByRole('region', { name: 'Evidence of Same files everywhere' })).toContainText(
    'chartroom-0 (n-6, zone c) lists and reads'
  );
  await expect(page.getByText('6 of 6: the same files from every node').first()).toBeVisible();
  for (const pod of ['chartroom-0', 'chartroom-2'])
    expect(
      (await page.request.post(`${api(base)}/write`, { data: { namespace: 'charts', pod, key: `log/${pod}`, value: 'here' } })).status()
    ).toBe(200);
  await open(page, `${base}/claims?claim=charts/charts`);
  await expect(page.getByRole('complementary', { name: 'The claim charts' })).toContainText('2 rows in it');
});

test('all claims of a running set grow, and its template by the way round; nobody restarts', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'grow');
  const uids = async () =>
    (await items(page, base, 'Pod', '&namespace=events'))
      .filter((one) => one.metadata.name.startsWith('boarding-'))
      .map((one) => one.metadata.uid);
  const before = await uids();
  await open(page, `${base}/claims?claim=events/data-boarding-1`);
  const sheet = page.getByRole('complementary', { name: 'The claim data-boarding-1' });
  await expect(sheet).toContainText('that its file system leaves');
  await sheet.getByRole('button', { name: 'Grow' }).click();
  await sheet.getByRole('textbox', { name: 'New size' }).fill('160Gi');
  await sheet.getByRole('checkbox', { name: /all 3 claims of boarding/ }).check();
  await sheet.getByRole('button', { name: 'Put in a draft' }).click();
  await expect(page.getByText('The way round, in steps')).toBeVisible();
  await expect(page.getByText('volumeClaimTemplates[0].spec.resources.requests.storage').first()).toBeVisible();
  await expect(page.getByRole('button', { name: 'Send to north-quay~grow', exact: true })).toBeDisabled();
  await page.getByRole('button', { name: 'Send to north-quay~grow in these steps' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
  await level(page, 'Claims').click();
  await expect(heading(page)).toContainText('3 are growing');
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(page.getByRole('row', { name: /data-boarding-2/ })).toContainText('160 GiB 160 GiB');
  const [set] = await items(page, base, 'StatefulSet', '&namespace=events&name=boarding');
  expect(JSON.stringify(set!.spec)).toContain('"storage":"160Gi"');
  expect(await uids()).toEqual(before);
  // A second growth too soon is held up by the backend's cool-down, and the sheet says until when.
  await page.getByRole('button', { name: 'data-boarding-0' }).click();
  const other = page.getByRole('complementary', { name: 'The claim data-boarding-0' });
  await other.getByRole('button', { name: 'Grow' }).click();
  await expect(other).toContainText('It has grown lately');
});

test('a snapshot is taken, the volume damaged, and restored into a new claim with the same content', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'snap');
  await open(page, `${base}/claims?claim=events/log-coord-0`);
  const sheet = page.getByRole('complementary', { name: 'The claim log-coord-0' });
  const sum = async () => /SHA-256 ([0-9a-f]{12})/.exec((await sheet.textContent())!)![1];
  const before = await sum();
  await sheet.getByRole('button', { name: 'Snapshot' }).click();
  await sheet.getByRole('textbox', { name: 'Name of the snapshot' }).fill('before');
  // The send is slow on its way; settling right after it waits for it.
  await page.route('**/objects**', (route) => setTimeout(() => void route.continue(), 700));
  await sheet.getByRole('button', { name: 'Send to north-quay' }).click();
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(sheet).toContainText(`crash-consistent: coord-0 had it mounted, as after a power cut; SHA-256 ${before}`);
  await sheet.getByRole('button', { name: 'Damage' }).click();
  await sheet.getByRole('button', { name: 'Damage it' }).click();
  await expect(sheet).toContainText('damaged');
  // The first by name; the plan's own come after it.
  await sheet.getByRole('button', { name: 'Restore into a new claim' }).first().click();
  await sendAndSettle(page);
  const pod = `apiVersion: v1\nkind: Pod\nmetadata: {name: reader, namespace: events}\nspec: {containers: [{name: main, image: shelf.standin.example/tools/t:1}], volumes: [{name: d, persistentVolumeClaim: {claimName: log-coord-0-restored}}]}`;
  await page.request.post(`${api(base)}/send`, { data: pod, headers: { 'content-type': 'application/yaml' } });
  await page.request.post(`${api(base)}/clock`, { data: { until: 'settled' } });
  await open(page, `${base}/claims?claim=events/log-coord-0-restored`);
  const restored = page.getByRole('complementary', { name: 'The claim log-coord-0-restored' });
  await expect(restored).toContainText(`SHA-256 ${before}`);
  await expect(restored).not.toContainText('damaged');
});

test('a backend opens to its assets, and an orphan is adopted or deleted; classes are laid side by side', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'assets');
  await open(page, `${base}/supply`);
  await page.getByRole('button', { name: /north-quay-volumes/ }).click();
  const backend = page.getByRole('region', { name: 'The backend north-quay-volumes' });
  await expect(backend).toContainText('1 orphan of 60 GiB');
  await backend.getByRole('button', { name: 'Adopt' }).click();
  await expect(page.locator('dl')).toContainText('adopted-blk-0051ea7d');
  await page.goBack();
  await page.getByRole('region', { name: 'The backend north-quay-volumes' }).getByRole('button', { name: 'Delete' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('no volume names it, so nobody can bring it back');
  await dialog.getByRole('textbox').fill('north-quay');
  await dialog.getByRole('button', { name: 'Take away' }).click();
  await expect(page.getByText('that no volume names')).toHaveCount(0);
  await page.getByRole('button', { name: /steady-block/ }).click();
  await page.getByRole('combobox', { name: 'Compare with' }).selectOption('charts');
  await page.getByRole('combobox', { name: 'Compare with' }).selectOption('plain-block');
  const beside = page.getByRole('region', { name: 'Classes side by side' });
  for (const word of ['grow while mounted, ext4', 'grow by itself: there is no size to reach', 'make the volume as soon as it is claimed'])
    await expect(beside).toContainText(word);
  expect(await overflows(page)).toBe(false);
});

test('a driver with volumes stays; an unfit version is told; what only helps is told apart', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'driver');
  await open(page, `${base}/supply?driver=block.standin.example`);
  const sheet = page.getByRole('region', { name: 'The driver block.standin.example' });
  await expect(sheet).toContainText('fits 1.33 to 1.36, this cluster is 1.32');
  await expect(sheet).toContainText('block-collector');
  await expect(sheet).toContainText('only helps');
  await sheet.getByRole('button', { name: 'Take away' }).click();
  await expect(page.getByRole('dialog')).toContainText('14 volumes of block.standin.example exist');
});

test('a cluster is laid out: wrong answers are refused while typing; made, exported and read again it is equal', async ({ page }) => {
  await open(page, '/layout');
  const wrong = page.getByLabel('What is wrong with it');
  const make = page.getByRole('button', { name: 'Make this stand-in' });
  await expect(make).toBeEnabled();
  await page.getByRole('textbox', { name: 'Range of services' }).fill('10.80.16.0/20');
  await expect(wrong).toContainText('The ranges of pods (10.80.0.0/16) and services (10.80.16.0/20) overlap');
  await expect(make).toBeDisabled();
  await page.getByRole('textbox', { name: 'Range of services' }).fill('10.190.0.0/20');
  await page.getByRole('textbox', { name: 'Quorum members' }).fill('4');
  await expect(wrong).toContainText('An even quorum store of 4 survives no more losses than one of 3');
  await page.getByRole('textbox', { name: 'Quorum members' }).fill('5');
  await page.getByRole('textbox', { name: 'Address of the balancer' }).fill('');
  await expect(wrong).toContainText('has no address');
  await page.getByRole('textbox', { name: 'Address of the balancer' }).fill('172.30.0.9');
  await page.getByRole('textbox', { name: 'Name of the cluster' }).fill('east-pier');
  await page.getByRole('combobox', { name: 'File system' }).selectOption('xfs');
  await expect(make).toBeEnabled();
  await page.getByRole('button', { name: 'document' }).click();
  await expect(page.getByLabel('Manifests of the draft')).toContainText('kind: Ground');
  await page.getByLabel('Manifests of the draft').click();
  await page.keyboard.press('Control+End');
  await page.keyboard.insertText('\n  - : nonsense');
  await page.getByRole('button', { name: 'questions' }).click();
  await expect(wrong).toContainText(/line|can't be read|nonsense/);
  await expect(page.getByLabel('Manifests of the draft')).toContainText('nonsense');
  await page.getByLabel('Manifests of the draft').click();
  await page.keyboard.press('Control+z');
  await page.getByRole('button', { name: 'questions' }).click();
  await expect(page.getByRole('textbox', { name: 'Name of the cluster' })).toHaveValue('east-pier');
  await make.click();
  await expect(page).toHaveURL(/\/r\/east-pier\/ground/);
  await expect(heading(page)).toHaveText('Six nodes stand, in 3 zones.');
  const yaml = await (await page.request.get('/r/east-pier/ground/document')).text();
  const again = yaml.replace('name: east-pier', 'name: west-pier');
  const check = await (
    await page.request.post('/api/v1/layouts/check', { data: again, headers: { 'content-type': 'application/yaml' } })
  ).json();
  expect(check).toMatchObject({ faults: [], yaml: again });
  expect((await page.request.delete('/api/v1/clusters/east-pier')).status()).toBe(200);
  expect((await page.request.delete('/api/v1/clusters/harbour')).status()).toBe(409);
});

import { expect, open, overflows, sendDraft, test } from './help';

interface Reach {
  squares: { state: string }[];
}

test('crew over three clusters: three breaks that look alike, each found in one press and mended from its root line', async ({ page }) => {
  test.setTimeout(120_000);
  await open(page, '/');
  const row = page.getByRole('listitem').filter({ hasText: 'one clock, in the fork crew' });
  await expect(row).toContainText('crew over south-quay, north-quay, harbour');
  await row.getByRole('link', { name: 'links' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('carries no names');
  const crew = page.getByRole('region', { name: 'crew over 3 clusters' });
  await expect(crew).toContainText('of a usual 5 to 15');
  await expect(crew.getByText('its certificate lacks 1 name')).toBeVisible();
  await expect(crew.getByText('no rights in people')).toBeVisible();
  await expect(crew.getByText(/north-quay lost/)).toContainText('nobody writes');
  expect(await overflows(page)).toBe(false);

  await page.getByRole('button', { name: 'Have pods call each other' }).click();
  const reach = page.getByRole('table', { name: 'Who finds and reaches whom' });
  await expect(reach.getByText('no name')).toHaveCount(2);

  // Each break from the root line of the resource, over the three clusters; the remedy goes to the cluster that it names.
  for (const [joint, cluster] of [
    ['Link', 'harbour'],
    ['Certificate', 'pilot-house'],
    ['Looked after', 'north-quay']
  ] as const) {
    await open(page, '/r/pilot-house~crew/links');
    await page.getByRole('link', { name: 'trace' }).click();
    await expect(page.getByRole('complementary', { name: `The joint ${joint}` })).toContainText('broken');
    await page.getByRole('button', { name: cluster === 'pilot-house' ? 'Put in a draft' : `Put in a draft for ${cluster}` }).click();
    await page.waitForURL(new RegExp(`/r/${cluster}~crew/drafts/`));
    await sendDraft(page, `${cluster}~crew`);
    const settled = await page.request.post(`/api/v1/rehearsals/${cluster}~crew/clock`, { data: { until: 'settled' } });
    expect(settled.ok()).toBe(true);
  }

  await open(page, '/r/harbour~crew/links');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('crew holds in 3 clusters.');
  await expect(page.getByText('2 of 2 ready, crew-0 leads')).toBeVisible();
  for (const cluster of ['south-quay', 'north-quay', 'harbour'])
    await expect(page.getByText(`${cluster} lost: `)).toContainText(cluster === 'harbour' ? '4 stay' : '3 stay');
  // One end carries names now: from the other side nobody looks up, and nobody has to.
  const { squares } = (await (await page.request.post('/api/v1/rehearsals/harbour~crew/reach')).json()) as Reach;
  expect(squares.filter((one) => one.state !== 'holds')).toHaveLength(1);
  await page.getByRole('button', { name: 'put in a draft for south-quay' }).click();
  await page.waitForURL(/south-quay~crew\/drafts/);
  await sendDraft(page, 'south-quay~crew');
  await open(page, '/r/harbour~crew/links');
  await page.getByRole('button', { name: 'Have pods call each other' }).click();
  await expect(page.getByText('Every pod finds and reaches every other.')).toBeVisible();
  // The whole takes itself back in order: the latest thing was done in another cluster.
  await page.keyboard.press('u');
  await page
    .getByRole('button', { name: /Take it back|Undo/ })
    .first()
    .click();
  await expect(page.getByText(/carries no names/).first()).toBeVisible();
});

test('two clusters are linked by a form; from then on they have one clock, which undo parts again', async ({ page }) => {
  for (const cluster of ['harbour', 'pilot-house'])
    expect((await page.request.post(`/api/v1/rehearsals/${cluster}/forks`, { data: { name: 'linked' } })).status()).toBe(201);
  await open(page, '/r/harbour~linked/links');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('This cluster is linked with no other.');
  await page.getByLabel('The other cluster').selectOption('south-quay');
  await expect(page.getByText('south-quay has no fork linked: make one first.')).toBeVisible();
  await page.getByLabel('The other cluster').selectOption('pilot-house');
  await page.getByLabel('Delay one way, in ms').fill('23');
  await page.getByRole('button', { name: 'Link with pilot-house' }).click();
  await expect(page.getByText('comes through, both ways, with names')).toBeVisible();
  await expect(page.getByText(/^23 ms · addresses · names · encrypted/)).toBeVisible();
  const nowMs = async (id: string) => ((await (await page.request.get(`/api/v1/rehearsals/${id}`)).json()) as { nowMs: number }).nowMs;
  const before = await nowMs('harbour~linked');
  await page.request.post('/api/v1/rehearsals/pilot-house~linked/clock', { data: { untilMs: before + 60_000 } });
  expect(await nowMs('harbour~linked')).toBe(before + 60_000);
  expect((await page.request.post('/api/v1/rehearsals/pilot-house~linked/undo')).ok()).toBe(true);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('This cluster is linked with no other.');
});

test('a draft that fits one cluster is held against all, tried on forks, given values by cluster, sent to two, and drifts', async ({
  page
}) => {
  test.setTimeout(120_000);
  const yaml = `apiVersion: v1
kind: Namespace
metadata: {name: ledgers}
---
apiVersion: v1
kind: Service
metadata: {name: ledger, namespace: ledgers}
spec: {clusterIP: None, selector: {app: ledger}, ports: [{name: data, port: 7110}]}
---
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: ledger, namespace: ledgers}
spec:
  serviceName: ledger
  replicas: 2
  selector: {matchLabels: {app: ledger}}
  template:
    metadata: {labels: {app: ledger}}
    spec: {containers: [{name: main, image: 'shelf.standin.example/tools/writer:r1', volumeMounts: [{name: data, mountPath: /data}]}]}
  volumeClaimTemplates:
  - metadata: {name: data}
    spec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 2Gi}}}
`;
  const made = await page.request.post('/api/v1/clusters/north-quay/drafts', { data: { name: 'ledger', text: yaml } });
  const { id } = (await made.json()) as { id: number };
  await open(page, `/r/north-quay/drafts/${id}`);
  await page.getByRole('link', { name: 'fit', exact: true }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('ledger fits north-quay');
  const table = page.getByRole('table', { name: 'How the draft fits, by need and cluster' });
  await expect(table).toContainText("desk-dirs can't grow");
  // Whoever needs no growth is content with pilot-house's class: a value by cluster.
  await page.getByRole('checkbox', { name: 'grow' }).uncheck();
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/fits north-quay,? .*pilot-house.* changed/);
  await page.getByRole('button', { name: 'Try it on forks' }).click();
  await expect(page.getByTestId('tried-pilot-house')).toContainText('2 of 2 ready');
  await expect(page.getByTestId('tried-harbour')).not.toContainText('2 of 2 ready');
  expect(await overflows(page)).toBe(false);
  // Clusters that other tests make may fit, too.
  const press = page.getByRole('button', { name: /^Send to [0-9]+ clusters$/ });
  const many = Number(/[0-9]+/.exec(await press.innerText())![0]);
  expect(many).toBeGreaterThanOrEqual(2);
  await press.click();
  await page.getByRole('button', { name: 'Take the values in and send' }).click();
  const panel = page.getByRole('region', { name: 'Send to several clusters' });
  await expect(panel.getByText(/sent at T/)).toHaveCount(many);
  await panel.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByTestId('drift-pilot-house')).toContainText('stands as it was sent');
  const there = (await (await page.request.get('/api/v1/rehearsals/pilot-house/objects?kind=StatefulSet&namespace=ledgers')).json()) as {
    items: { spec: { volumeClaimTemplates: { spec: { storageClassName: string } }[] } }[];
  };
  expect(there.items[0]!.spec.volumeClaimTemplates[0]!.spec.storageClassName).toBe('desk-dirs');
  // Somebody changes it by hand in one of the two.
  await page.request.post('/api/v1/rehearsals/pilot-house/scale', { data: { namespace: 'ledgers', name: 'ledger', replicas: 1 } });
  await page.reload();
  await expect(page.getByTestId('drift-pilot-house')).toContainText('spec.replicas was changed there');
  await expect(page.getByTestId('drift-north-quay')).toContainText('stands as it was sent');
});

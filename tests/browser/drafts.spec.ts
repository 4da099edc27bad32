import type { Page } from '@playwright/test';
import { expect, forkOf, open, overflows, test } from './help';

const editor = (page: Page) => page.getByLabel('Manifests of the draft');
const findings = (page: Page) => page.getByRole('region', { name: 'Findings' });

/** Begins a draft with these files and opens it. */
async function draftOf(page: Page, base: string, cluster: string, files: Record<string, string>, name = 'a draft'): Promise<number> {
  const made = await page.request.post(`/api/v1/clusters/${cluster}/drafts`, {
    data: { name, files: Object.entries(files).map(([file, text]) => ({ name: file, text })) }
  });
  const { id } = (await made.json()) as { id: number };
  await open(page, `${base}/drafts/${id}`);
  await editor(page).waitFor();
  return id;
}
/** Presses the remedy of a finding and waits until the finding is gone. */
async function mend(page: Page, words: RegExp): Promise<void> {
  const row = findings(page).getByRole('listitem').filter({ hasText: words });
  await row.first().getByRole('button').last().click();
  await expect(findings(page).getByRole('listitem').filter({ hasText: words })).toHaveCount(0);
}
const send = async (page: Page) => {
  await page.getByRole('button', { name: /^Send to/ }).click();
  await page.getByRole('link', { name: 'Watch the members' }).click();
};

test('from an empty editor to a running set of three, with completion and remedies only', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'from-nothing');
  await open(page, `${base}/drafts`);
  await page.getByRole('button', { name: 'Begin a draft' }).click();
  await editor(page).click();
  await page.keyboard.type('Statef');
  await page.getByRole('option', { name: /StatefulSet/ }).waitFor();
  // The list takes no key in its first moment, so that nobody accepts what they haven't seen.
  await page.waitForTimeout(150);
  await page.keyboard.press('Enter');
  // The name is typed once and stands everywhere; the image is chosen from those in reach.
  await page.keyboard.type('logbook');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Control+Space');
  await page
    .getByRole('option', { name: /multi-primary-sql/ })
    .first()
    .click();
  await page.keyboard.press('Escape');
  await expect(editor(page)).toContainText('serviceName: logbook');
  await expect(editor(page)).toContainText('engines/multi-primary-sql');
  await mend(page, /service "logbook" of logbook does not exist/);
  await mend(page, /requests no cpu and memory/);
  await mend(page, /has a readiness probe/);
  await mend(page, /may all stand in one of the zones/);
  await mend(page, /No budget says how many/);
  await expect(findings(page)).not.toContainText('error');
  await expect(page.locator('dl')).toContainText('logbook');
  await send(page);
  await page.getByRole('button', { name: 'settle' }).click();
  await expect(page.getByText('logbook-2').first()).toBeVisible();
  const set = `/api/v1${base.replace('/r/', '/rehearsals/')}/objects?kind=StatefulSet&namespace=default&name=logbook`;
  await expect
    .poll(
      async () =>
        ((await (await page.request.get(set)).json()) as { items: { status?: { readyReplicas: number } }[] }).items[0]?.status
          ?.readyReplicas
    )
    .toBe(3);
});

const right = `apiVersion: v1
kind: Service
metadata: {name: logbook, namespace: events}
spec:
  clusterIP: None
  publishNotReadyAddresses: true
  selector: {app: logbook}
  ports: [{name: sql, port: 7110}]
---
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: logbook, namespace: events}
spec:
  replicas: 3
  serviceName: logbook
  selector: {matchLabels: {app: logbook}}
  template:
    metadata: {labels: {app: logbook}}
    spec:
      terminationGracePeriodSeconds: 60
      securityContext: {runAsUser: 1000, fsGroup: 1000}
      affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: logbook}}}]}}
      topologySpreadConstraints: [{maxSkew: 1, topologyKey: topology.kubernetes.io/zone, whenUnsatisfiable: DoNotSchedule, labelSelector: {matchLabels: {app: logbook}}}]
      containers:
      - name: sql
        image: shelf.standin.example/engines/multi-primary-sql:r4
        args: [--join, "logbook-0.logbook,logbook-1.logbook"]
        ports: [{name: sql, containerPort: 7110}]
        resources: {requests: {cpu: 500m, memory: 1Gi}, limits: {memory: 1Gi}}
        readinessProbe: {tcpSocket: {port: 7110}}
        volumeMounts: [{name: data, mountPath: /var/lib/sql}]
  volumeClaimTemplates:
  - metadata: {name: data}
    spec:
      accessModes: [ReadWriteOnce]
      storageClassName: steady-block
      resources: {requests: {storage: 40Gi}}
`;

test('broken on purpose in ten ways, each is found before sending and mended by one press', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'ten-ways');
  const ways: [string, string, string, RegExp][] = [
    ['a class that nobody has', 'storageClassName: steady-block', 'storageClassName: steady-blok', /There is no class "steady-blok"/],
    ['a service that is not headless', '  clusterIP: None\n', '', /has an address of its own/],
    ['a service that does not exist', 'serviceName: logbook', 'serviceName: logbooks', /service "logbooks" of logbook does not exist/],
    [
      'labels that the service does not select',
      '  selector: {app: logbook}\n  ports',
      '  selector: {app: log}\n  ports',
      /The service "logbook" selects/
    ],
    [
      'a member called by its bare name',
      'logbook-0.logbook,logbook-1.logbook',
      'logbook-0,logbook-1.logbook',
      /"logbook-0" does not resolve/
    ],
    ['100G for 100Gi', 'storage: 40Gi', 'storage: 100G', /100G is 6\.9 % less than 100Gi/],
    ['more members than nodes', 'replicas: 3', 'replicas: 7', /7 members, one to a node, and 6 nodes/],
    [
      'privileged instead of a group',
      'securityContext: {runAsUser: 1000, fsGroup: 1000}',
      'securityContext: {runAsUser: 1000}',
      /runs as user 1000; its volume belongs to root/
    ],
    ['too little memory', 'limits: {memory: 1Gi}', 'limits: {memory: 128Mi}', /requests.memory is more than its limit of 128Mi/],
    ['many nodes on block', 'accessModes: [ReadWriteOnce]', 'accessModes: [ReadWriteMany]', /ReadWriteMany can't have/]
  ];
  for (const [name, from, to, words] of ways) {
    const broken = right.replace(from, to);
    expect(broken, name).not.toBe(right);
    await draftOf(page, base, 'north-quay', { 'logbook.yaml': broken }, name);
    await expect(findings(page)).toContainText(words);
    await mend(page, words);
  }
});

test('what loses data asks for the name of the cluster; another name does not match', async ({ page }) => {
  const base = await forkOf(page, 'harbour', 'losing');
  const { yaml } = (await (await page.request.get('/api/v1/rehearsals/harbour/manifests')).json()) as { yaml: string };
  await draftOf(page, base, 'harbour', { 'shelf.yaml': yaml.replace(/image-shelf:r\d/, 'image-shelf:r9') }, 'a new shelf');
  const press = page.getByRole('button', { name: 'Send to harbour~losing' });
  await expect(page.locator('dl')).toContainText('what lies in the ephemeral directory');
  await expect(press).toBeDisabled();
  await page.getByLabel(/Data is lost/).fill('north-quay');
  await expect(press).toBeDisabled();
  await page.getByLabel(/Data is lost/).fill('harbour');
  await expect(press).toBeEnabled();
  await press.click();
  await expect(page.getByText('It stands there as it was sent.')).toBeVisible();
});

test('several files, states, rework: moved to another namespace, parts left out, values by cluster, a secret generated and covered', async ({
  page
}) => {
  const base = await forkOf(page, 'north-quay', 'rework');
  const [service, set] = right.split('---\n') as [string, string];
  const id = await draftOf(page, base, 'north-quay', { 'service.yaml': service, 'set.yaml': set });
  await page.getByRole('tab', { name: 'set.yaml' }).click();
  await expect(editor(page)).toContainText('kind: StatefulSet');
  await page.getByRole('tab', { name: 'rework' }).click();
  await page.getByText('Move it to another namespace').click();
  await page.getByLabel('To namespace').fill('harbourside');
  await expect(page.getByText('2 places name it')).toBeVisible();
  await page.getByRole('button', { name: 'Write harbourside in all of them' }).click();
  await expect(editor(page)).toContainText('namespace: harbourside');
  await page.getByRole('tab', { name: 'service.yaml' }).click();
  await expect(editor(page)).toContainText('namespace: harbourside');

  await page.getByText('Leave parts of it out').click();
  await page.getByLabel(/Service harbourside\/logbook/).check();
  await expect(page.getByText('it waits until that is there')).toBeVisible();

  await page.getByText('Values that differ by cluster').click();
  await page.getByRole('button', { name: 'Look for such values' }).click();
  const row = page.getByRole('listitem').filter({ hasText: 'steady-block' });
  await row.getByRole('button', { name: 'Lift out' }).click();
  await page.getByLabel('class on south-quay').fill('brisk-block');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('tab', { name: 'by-cluster.yaml' })).toBeVisible();
  await expect(page.getByText('kept', { exact: true })).toBeVisible();
  const bundle = async (query: string) => (await page.request.get(`${base}/drafts/${id}/bundle?${query}`)).text();
  await expect.poll(() => bundle('cluster=south-quay')).toContain('storageClassName: brisk-block');
  expect(await bundle('cluster=north-quay')).toContain('storageClassName: steady-block');

  await page.getByText('Generate a secret').click();
  await page.getByLabel('secret', { exact: true }).fill('logbook-access');
  await page.getByRole('button', { name: 'Add it to the draft' }).click();
  await expect(editor(page)).toContainText('password: ··········');
  const kept = async () =>
    ((await (await page.request.get(`/api/v1/drafts/${id}`)).json()) as { files: { text: string }[] }).files
      .map((one) => one.text)
      .join('\n');
  await expect.poll(async () => /password: "[A-Za-z0-9]{32}"/.test(await kept())).toBe(true);
  const value = /password: "([A-Za-z0-9]{32})"/.exec(await kept())![1]!;
  await expect(page.locator('body')).not.toContainText(value);
  expect(await bundle('cluster=north-quay')).not.toContain(value);
  expect(await bundle('cluster=north-quay&secrets=yes')).toContain(value);

  // Undone over a reload, compared, and gone back to.
  await page.reload();
  await page.locator('html[data-ready]').waitFor();
  await page.getByRole('button', { name: 'undo', exact: true }).click();
  await expect.poll(async () => (await kept()).includes(value)).toBe(false);
  await page.getByRole('link', { name: 'states' }).click();
  await expect(page.getByTestId('compare')).toContainText('apiVersion');
  await expect(page.locator('body')).not.toContainText(value);
  await page
    .getByRole('button', { name: /Go back to state/ })
    .first()
    .click();
  await expect.poll(async () => (await kept()).includes(value)).toBe(true);
});

test('an ephemeral directory moves to a claim: what is lost, the steps, and how the wrong strategy hangs', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'to-claim');
  const api = `/api/v1${base.replace('/r/', '/rehearsals/')}`;
  const desk =
    'apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: desk, namespace: events}\nspec:\n  replicas: 1\n  selector: {matchLabels: {app: desk}}\n  template:\n    metadata: {labels: {app: desk}, annotations: {standin.example/holds: 1Gi}}\n    spec:\n      containers: [{name: desk, image: "shelf.standin.example/engines/image-shelf:r3", volumeMounts: [{name: store, mountPath: /var/lib/registry}]}]\n      volumes: [{name: store, emptyDir: {}}]\n';
  expect((await page.request.post(`${api}/send`, { data: desk, headers: { 'content-type': 'application/yaml' } })).status()).toBe(200);
  await page.request.post(`${api}/clock`, { data: { until: 'settled' } });
  await draftOf(page, base, 'north-quay', { 'draft.yaml': '' }, 'desk to a claim');
  await page.getByRole('tab', { name: 'rework' }).click();
  await page.getByText('From an ephemeral directory to a claim').click();
  await page.getByLabel('Size').fill('20Gi');
  await expect(page.getByText(/what lies in the ephemeral directory store/)).toBeVisible();
  await page
    .getByRole('row', { name: /Recreate/ })
    .getByRole('button', { name: 'Rehearse it' })
    .click();
  await expect(page.getByText(/The move: comes up; nobody is ready for/)).toBeVisible();
  await page.getByRole('button', { name: 'Put it into this draft' }).click();
  await expect(editor(page)).toContainText('name: desk-store');
  await page.getByRole('tab', { name: 'change sheet' }).click();
  await expect(page.locator('dl')).toContainText('1Gi in all');
  await page.getByLabel(/Data is lost/).fill('north-quay');
  await send(page);
  await page.getByRole('button', { name: 'settle' }).click();
  await expect
    .poll(
      async () =>
        (
          (await (await page.request.get(`${api}/objects?kind=PersistentVolumeClaim&namespace=events&name=desk-store`)).json()) as {
            items: { status: { phase: string } }[];
          }
        ).items[0]?.status.phase,
      { timeout: 60_000 }
    )
    .toBe('Bound');
});

test('findings stand soon after a key in a draft of 2,000 lines, and nothing lies beyond the edge', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'long');
  // None of them asks for room: all together would want more than there is.
  const many = Array.from({ length: 58 }, (_, i) => right.replace(/logbook/g, `log-${i}`).replace(/replicas: \d+/, 'replicas: 0')).join(
    '---\n'
  );
  expect(many.split('\n').length).toBeGreaterThan(2_000);
  await draftOf(page, base, 'north-quay', { 'many.yaml': many }, 'many');
  await expect(findings(page)).toContainText('warning');
  expect(await overflows(page)).toBe(false);
  await editor(page).click();
  await page.keyboard.press('Control+Home');
  await page.keyboard.type('x');
  await expect(findings(page)).toContainText('error');
  await page.keyboard.press('Backspace');
  await expect(findings(page)).not.toContainText('error');
});

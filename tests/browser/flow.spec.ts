import type { Page } from '@playwright/test';
import { expect, forkOf, open, test } from './help';

const editor = (page: Page) => page.getByLabel('Manifests of the draft');
const head = (page: Page) => page.getByRole('slider', { name: 'Clock head' });

test('a blueprint proposes a name that is free, and says in front of its figures what another would alter', async ({ page }) => {
  await forkOf(page, 'north-quay', 'named');
  await open(page, '/r/north-quay~named/blueprints/log-broker');
  const name = page.getByRole('textbox', { name: 'Name', exact: true });
  await expect(name).not.toHaveValue('boarding');
  await expect(page.getByRole('alert')).toHaveCount(0);
  await page.getByRole('textbox', { name: 'Namespace', exact: true }).fill('events');
  await name.fill('boarding');
  const alert = page.getByRole('alert');
  await expect(alert).toContainText('Sending this alters what stands: ');
  await expect(alert).toContainText('boarding');
  await name.fill('boarding-2');
  await expect(alert).toHaveCount(0);
});

test('the tape is zoomed by wheel and keys, and shown whole again', async ({ page }) => {
  await forkOf(page, 'north-quay', 'zoomed');
  await open(page, '/r/north-quay~zoomed/members');
  const tape = page.getByRole('region', { name: 'The tape' });
  const ticks = () => head(page).locator('.mono').allTextContents();
  if ((await ticks()).length === 0) await page.keyboard.press('l');
  await expect.poll(async () => (await ticks()).length).toBeGreaterThan(1);
  const before = await ticks();
  await head(page).focus();
  for (let i = 0; i < 5; i += 1) await page.keyboard.press('+');
  await expect.poll(ticks).not.toEqual(before);
  await page.keyboard.press('0');
  await expect.poll(ticks).toEqual(before);
  const clock = await page.getByTestId('clock').textContent();
  await head(page).hover();
  await page.mouse.wheel(0, -400);
  await expect.poll(ticks).not.toEqual(before);
  // Zooming looks; it moves no clock.
  await expect(page.getByTestId('clock')).toHaveText(clock!);
  await tape.getByRole('button', { name: 'latest' }).click();
  await expect.poll(ticks).toEqual(before);
});

test('Tab leaves the editor and writes nothing; all certain mends are one step, which one undo takes back', async ({ page }) => {
  await forkOf(page, 'north-quay', 'edited');
  await open(page, '/r/north-quay~edited/drafts');
  await page.getByRole('button', { name: 'Begin a draft' }).click();
  await editor(page).click();
  const text = `apiVersion: apps/v1
kind: Deployment
metadata: {name: pier-log, namespace: default}
spec:
  selector: {matchLabels: {app: pier-log}}
  template:
    metadata: {labels: {app: pier-log}}
    spec:
      containers:
        - name: log
          image: shelf.standin.example/engines/multi-primary-sql:r4
          resources: {requests: {memory: 2Gi, cpu: 1}, limits: {memory: 1Gi}}
          volumeMounts: [{name: data, mountPath: /data}]
      volumes: [{name: data, persistentVolumeClaim: {claimName: pier-data}}]
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: pier-data, namespace: default}
spec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 100G}}}
`;
  await page.keyboard.insertText(text);
  const all = page.getByRole('button', { name: /^mend all \d+ that are certain$/ });
  await expect(all).toBeVisible();
  const said = Number(/\d+/.exec((await all.textContent())!)![0]);
  const found = page.getByRole('region', { name: 'Findings' }).getByRole('listitem');
  const before = await found.count();
  await editor(page).click();
  await page.keyboard.press('Tab');
  await expect(editor(page)).not.toBeFocused();
  await expect(editor(page)).toContainText('storage: 100G}');
  await all.click();
  await expect(editor(page)).not.toContainText('storage: 100G}');
  await expect.poll(() => found.count()).toBeLessThanOrEqual(before - said + 1);
  await editor(page).click();
  await page.keyboard.press('Control+z');
  await expect(editor(page)).toContainText('storage: 100G}');
  await expect(editor(page)).toContainText('limits: {memory: 1Gi}');
});

test('printed, a sheet has its head with cluster and moment, and nothing to act with', async ({ page }) => {
  await open(page, '/r/north-quay/claims');
  await page.emulateMedia({ media: 'print' });
  for (const act of ['settle', 'fork here', 'undo', 'find']) await expect(page.getByRole('button', { name: act })).toHaveCount(0);
  await expect(page.locator('.push').filter({ visible: true })).toHaveCount(0);
  await expect(page.locator('body')).toContainText('north-quay');
  await expect(
    page
      .getByText(/T\+\d\d:\d\d:\d\d/)
      .filter({ visible: true })
      .first()
  ).toBeVisible();
  await expect(page.getByRole('row', { name: /data-boarding-0/ })).toBeVisible();
});

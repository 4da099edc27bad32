import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from '@playwright/test';
import { expect, forkOf, open, test } from './help';

// The rules of axe-core, a reference package for the success criteria of WCAG 2.2. It is put in by evaluating it, as the pages' own policy
// lets no script in from elsewhere.
const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

async function violations(page: Page, where: string, only?: string[]): Promise<string[]> {
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe);
  const found = await page.evaluate(async (rules) => {
    const run = (
      window as unknown as {
        axe: { run(options: object): Promise<{ violations: { id: string; nodes: { html: string; failureSummary: string }[] }[] }> };
      }
    ).axe;
    const { violations: list } = await run.run({
      resultTypes: ['violations'],
      preload: false,
      iframes: false,
      ...(rules ? { runOnly: rules } : {})
    });
    return list.flatMap(({ id, nodes }) => nodes.map((one) => `${id}: ${one.html.slice(0, 160)}`));
  }, only);
  return found.map((one) => `${where}: ${one}`);
}

const line = 'root-line?kind=StatefulSet&namespace=tickets&name=bookings';
const views = [
  '/',
  '/layout',
  '/read',
  '/account',
  '/accounts',
  '/deeds',
  '/bring',
  '/help/members',
  '/findings',
  '/findings/wrong-type',
  '/r/nowhere/members',
  ...[
    'members',
    'members/tickets/bookings',
    'claims',
    'supply',
    'ground',
    'ground?lens=spread',
    'ground?lens=slots',
    'proofs',
    'drafts',
    'handover',
    'operators',
    'blueprints',
    'blueprints/object-store',
    'supply/design',
    line
  ].map((one) => `/r/south-quay/${one}`),
  ...['drills', 'drills/plans/timetable/member-hangs', 'backups', 'backups/plans/timetable', 'backups/events/boarding'].map(
    (one) => `/r/north-quay/${one}`
  ),
  '/r/harbour/supply',
  '/r/harbour/ground',
  '/r/north-quay/claims?claim=events/data-boarding-0',
  '/r/north-quay/supply?backend=north-quay-volumes',
  ...['console', 'logs', 'reach', 'waits', 'findings'].map((one) => `/r/north-quay/members/events/boarding?view=${one}`)
];

test('no view breaks a rule of accessibility, and contrast holds in both themes', async ({ browser }) => {
  test.setTimeout(240_000);
  const page = await browser.newPage({ colorScheme: 'light', viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
  const found: string[] = [];
  for (const view of views) {
    await open(page, view);
    found.push(...(await violations(page, view)));
    // What a theme changes are colours; the rest is the same document.
    await page.evaluate(() => (document.documentElement.dataset.theme = 'night'));
    found.push(...(await violations(page, `${view} (night)`, ['color-contrast'])));
    await page.evaluate(() => (document.documentElement.dataset.theme = 'paper'));
  }
  expect(found).toEqual([]);
  await page.close();
});

test('no dialog, draft, proof or dump breaks a rule of accessibility', async ({ page }) => {
  test.setTimeout(240_000);
  const found: string[] = [];
  const base = await forkOf(page, 'north-quay', 'access');
  const dialog = async (path: string, act: () => Promise<void>, name: string) => {
    await open(page, path);
    await act();
    await page.getByRole('dialog').waitFor();
    await page.waitForTimeout(150);
    found.push(...(await violations(page, name)));
  };
  for (const key of ['/', '?', 'f', 'u']) await dialog(`${base}/claims`, () => page.keyboard.press(key), `dialog ${key}`);
  await dialog(`${base}/members`, () => page.getByRole('button', { name: 'Take the workload away' }).first().click(), 'take away');
  await dialog(`${base}/ground`, () => page.getByRole('button', { name: 'empty n-2' }).click(), 'empty');
  const api = `/api/v1/rehearsals/${encodeURIComponent(decodeURIComponent(base.slice(3)))}`;
  await page.request.post(`${api}/proofs`, { data: { namespace: 'events', set: 'boarding' } });
  await page.request.post(`${api}/send`, {
    headers: { 'content-type': 'application/yaml' },
    data: 'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: s, namespace: events}\nspec: {source: {persistentVolumeClaimName: log-coord-0}}\n'
  });
  await page.request.post(`${api}/clock`, { data: { until: 'settled' } });
  await dialog(
    `${base}/claims?claim=events/log-coord-0`,
    () =>
      page
        .getByRole('button', { name: /Put it in the place of/ })
        .first()
        .click(),
    'restore'
  );
  const draft = await (
    await page.request.post('/api/v1/clusters/north-quay/drafts', {
      data: {
        name: 'looked at',
        files: [
          { name: 'a.yaml', text: 'apiVersion: v1\nkind: Pod\nmetadata: {name: p}\nspec: {containers: []}\n' },
          { name: 'b.yaml', text: 'a: [\n' }
        ]
      }
    })
  ).json();
  for (const path of [
    `${base}/proofs`,
    `${base}/drafts/${draft.id}`,
    `${base}/drafts/${draft.id}?rework=claim`,
    `${base}/drafts/${draft.id}/states`,
    `${base}/drafts`
  ]) {
    await open(page, path);
    await page.waitForTimeout(400);
    found.push(...(await violations(page, path)));
  }
  const dump = await (await page.request.get('/api/v1/rehearsals/north-quay/dump')).body();
  await page.request.post('/api/v1/clusters?name=seen-north', { data: dump });
  for (const path of ['wrong', 'dump', 'compare', 'rehearse', 'members', 'supply']) {
    await open(page, `/r/seen-north/${path}`);
    found.push(...(await violations(page, `dump: ${path}`)));
  }
  expect(found).toEqual([]);
});

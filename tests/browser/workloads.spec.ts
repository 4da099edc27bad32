import { expect, test, type Page } from '@playwright/test';
import { forkOf, open, overflows } from './help';

const settle = async (page: Page, base: string) =>
  expect((await page.request.post(`/api/v1/rehearsals/${base.slice(3)}/clock`, { data: { until: 'settled' } })).ok()).toBe(true);

test('a blueprint is answered with live figures, put in a draft, sent, watched, asked and proved', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'timetable');
  await open(page, `${base}/members`);
  await page.getByRole('link', { name: 'deploy a workload' }).click();
  await page.getByRole('link', { name: /primary-standby SQL/ }).click();
  await expect(
    page
      .getByText('3 members', { exact: true })
      .or(page.getByText('1 member', { exact: true }))
      .first()
  ).toBeVisible();
  // A commit can't wait for more standbys than there are; the figures go and the sentence says why.
  await page.getByRole('combobox', { name: 'Standbys that a commit waits for' }).selectOption('3');
  await expect(page.getByText('commits would wait for ever for 3')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Put in a draft' })).toBeDisabled();
  await page.getByRole('combobox', { name: 'Standbys that a commit waits for' }).selectOption('1');
  await expect(
    page.getByText('3 members of timetable find a place on 3 of 3 nodes; with one of them lost, a member has nowhere to go.')
  ).toBeVisible();
  await page.getByRole('textbox', { name: 'Size of each volume' }).fill('20Gi');
  await expect(page.getByText('60 GiB')).toBeVisible();
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await page.getByRole('heading', { name: 'Change sheet' }).waitFor();
  await page.getByRole('button', { name: /^Send to north-quay/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
  await settle(page, base);
  await open(page, `${base}/members/plans/timetable`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('timetable: all 3 members are ready.');
  await expect(page.getByRole('row', { name: /timetable-0/ })).toContainText('primary');
  await expect(page.getByRole('row', { name: /timetable-2/ })).toContainText('standby');

  await page.getByRole('button', { name: 'console' }).click();
  await page.getByRole('button', { name: 'Write', exact: true }).click();
  await page.getByRole('combobox', { name: 'on' }).selectOption('timetable-1');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText('it is a standby; timetable-0 takes writes')).toBeVisible();
  await page.getByRole('combobox', { name: 'on' }).selectOption('timetable-0');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText(/counts at position \d+/)).toBeVisible();
  await page.getByRole('button', { name: 'Read', exact: true }).click();
  await page.getByRole('combobox', { name: 'on' }).selectOption('timetable-2');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText(/written at position \d+/)).toBeVisible();
  await page.getByRole('combobox', { name: 'with' }).selectOption('wrong');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText('access denied: the password is wrong')).toBeVisible();

  await page.getByRole('button', { name: 'logs' }).click();
  const log = page.getByRole('log');
  await expect(log.getByText('founds one')).toBeVisible();
  await page.getByRole('textbox', { name: 'search' }).fill('joins');
  await expect(log.getByText('timetable-1 joins the group')).toBeVisible();
  await expect(log.getByText('founds one')).toBeHidden();

  await page.getByRole('link', { name: 'Proofs', exact: true }).last().click();
  await page.getByRole('button', { name: 'Prove' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('timetable holds in eleven of eleven proofs.', { timeout: 30_000 });
  await page.getByRole('button', { name: /Write here, read there/ }).click();
  await expect(page.getByRole('table', { name: 'Who writes, who reads' }).getByRole('row')).toHaveCount(4);
  expect(await overflows(page)).toBe(false);
});

test('the breaks of the demo are traced and mended from the screen: a certificate, an operator, a mount target, a class', async ({
  page
}) => {
  const crew = await forkOf(page, 'pilot-house', 'crew');
  await open(page, `${crew}/members`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText("doesn't carry the name crew-2.crew.people.svc.cluster.local");
  await open(page, `${crew}/root-line?kind=Pod&namespace=people&name=crew-2`);
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await page.getByRole('heading', { name: 'Change sheet' }).waitFor();
  await page.getByRole('button', { name: /^Send to pilot-house/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
  await settle(page, crew);
  await open(page, `${crew}/members/people/crew`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('crew: all 3 members are ready.');

  const south = await forkOf(page, 'south-quay', 'fares');
  const operator = await page.request.get(`/api/v1/rehearsals/${south.slice(3)}/objects?kind=Pod&namespace=memory-system`);
  const { name } = ((await operator.json()) as { items: { metadata: { name: string } }[] }).items[0]!.metadata;
  await open(page, `${south}/root-line?${new URLSearchParams({ kind: 'Pod', namespace: 'memory-system', name })}`);
  await expect(page.getByText('0 of 4 nodes can take it').first()).toBeVisible();
  await expect(page.getByText('3800m in all, 4000m asked').first()).toBeVisible();

  const harbour = await forkOf(page, 'harbour', 'papers');
  await open(page, `${harbour}/members`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('4 members of papers wait: there is no class shed-pool.');
  await open(page, `${harbour}/blueprints/object-store`);
  await expect(page.getByText('600 GiB', { exact: true })).toBeVisible();
  await page.getByRole('combobox', { name: /worth of parity/ }).selectOption('2');
  await expect(page.getByText('400 GiB', { exact: true })).toBeVisible();
  expect(await overflows(page)).toBe(false);
});

test('a log broker is asked from outside, rests in order and wakes; a tunnel is opened and closed', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'rest');
  await open(page, `${base}/members/events/boarding?view=console`);
  await page.getByRole('button', { name: 'Produce' }).click();
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText('1 message in gate-scans, acknowledged by all caught-up replicas')).toBeVisible();
  await page.getByRole('button', { name: 'Consume' }).click();
  await page.getByRole('combobox', { name: 'from', exact: true }).selectOption('outside');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText('1 message of gate-scans over 6 partitions, in order within each')).toBeVisible();
  await page.getByRole('button', { name: 'reach' }).click();
  await page
    .getByRole('row', { name: /boarding-inside/ })
    .getByRole('button', { name: 'open one' })
    .click();
  await page
    .getByRole('row', { name: /boarding-inside/ })
    .getByRole('button', { name: 'close it' })
    .click();
  await expect(page.getByRole('row', { name: /boarding-inside/ }).getByRole('button', { name: 'open one' })).toBeVisible();
  await page.getByRole('button', { name: 'Rest it' }).click();
  await settle(page, base);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('boarding: at rest.');
  await page.getByRole('button', { name: 'Wake it' }).click();
  await settle(page, base);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('boarding: all 7 members are ready.');
});

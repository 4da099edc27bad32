import type { Page } from '@playwright/test';
import { expect, forkOf, open, overflows, sendDraft, test } from './help';

const settle = async (page: Page, base: string) =>
  expect((await page.request.post(`/api/v1/rehearsals/${base.slice(3)}/clock`, { data: { until: 'settled' } })).ok()).toBe(true);

test('a blueprint is answered with live figures, put in a draft, sent, watched, asked and proved', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'rosters');
  await open(page, `${base}/members`);
  await page.getByRole('link', { name: 'deploy a workload' }).click();
  await page.getByRole('link', { name: /primary-standby SQL/ }).click();
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('rosters');
  await page.getByRole('textbox', { name: 'Namespace' }).fill('crews');
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
  await expect(page.getByText('3 members of rosters find a place on 6 of 6 nodes; with one node lost they still do.')).toBeVisible();
  await page.getByRole('textbox', { name: 'Size of each volume' }).fill('20Gi');
  await expect(page.getByText('60 GiB')).toBeVisible();
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await sendDraft(page, 'north-quay');
  await settle(page, base);
  await open(page, `${base}/members/crews/rosters`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('rosters: all 3 members are ready.');
  await expect(page.getByRole('row', { name: /rosters-0/ })).toContainText('primary');
  await expect(page.getByRole('row', { name: /rosters-2/ })).toContainText('standby');

  await page.getByRole('button', { name: 'console' }).click();
  await page.getByRole('button', { name: 'Write', exact: true }).click();
  await page.getByRole('combobox', { name: 'on' }).selectOption('rosters-1');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText('it is a standby; rosters-0 takes writes')).toBeVisible();
  await page.getByRole('combobox', { name: 'on' }).selectOption('rosters-0');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText(/committed at position \d+/)).toBeVisible();
  // A standby that no commit waits for may be a moment behind.
  await settle(page, base);
  await page.getByRole('button', { name: 'Read', exact: true }).click();
  await page.getByRole('combobox', { name: 'on' }).selectOption('rosters-2');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText(/written at position \d+/)).toBeVisible();
  await page.getByRole('combobox', { name: 'with' }).selectOption('wrong');
  await page.getByRole('button', { name: 'Ask' }).click();
  await expect(page.getByText('access denied: the password is wrong')).toBeVisible();

  await page.getByRole('button', { name: 'logs' }).click();
  const log = page.getByRole('log');
  await expect(log.getByText('founds one')).toBeVisible();
  await page.getByRole('textbox', { name: 'search' }).fill('joins');
  await expect(log.getByText('rosters-1 joins the group')).toBeVisible();
  await expect(log.getByText('founds one')).toBeHidden();

  await page.getByRole('link', { name: 'Proofs', exact: true }).last().click();
  await page.getByRole('button', { name: 'Prove' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('rosters holds in twelve of twelve proofs.', { timeout: 30_000 });
  await page.getByRole('button', { name: /Write here, read there/ }).click();
  await expect(page.getByRole('table', { name: 'Who writes, who reads' }).getByRole('row')).toHaveCount(4);
  expect(await overflows(page)).toBe(false);
});

test('the breaks of the demo are traced and mended from the screen: a certificate, an operator, a mount target, a class', async ({
  page
}) => {
  const crew = await forkOf(page, 'pilot-house', 'crew-mended', 299_000);
  await open(page, `${crew}/members`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText("doesn't carry the name crew-2.crew.people.svc.cluster.local");
  await open(page, `${crew}/root-line?kind=Pod&namespace=people&name=crew-2`);
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await sendDraft(page, 'pilot-house');
  await settle(page, crew);
  await open(page, `${crew}/members/people/crew`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('crew: all 3 members are ready.');

  const south = await forkOf(page, 'south-quay', 'fares');
  await open(page, `${south}/operators`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('1 operator of 3 on the shelf installed; 2 custom resources wait.');
  await page
    .getByRole('row', { name: /MemoryCluster pricing\/fares/ })
    .getByRole('link', { name: 'root line' })
    .click();
  await expect(page.getByText('0 of 4 nodes can take it').first()).toBeVisible();
  await expect(page.getByText('2800m in all, 4000m asked').first()).toBeVisible();
  await page.getByRole('button', { name: 'Put in a draft' }).click();
  await sendDraft(page, 'south-quay');
  await settle(page, south);
  // Its operator runs; its nodes wait for the driver, as bookings does, where nobody has mended that yet.
  await open(page, `${south}/operators`);
  await expect(page.getByRole('row', { name: /MemoryCluster pricing\/fares/ })).toContainText(/(0 of|All) 3 nodes are ready/);

  const north = await forkOf(page, 'north-quay', 'boarding');
  await open(page, `${north}/members/events/boarding?view=reach`);
  await expect(page.getByRole('row', { name: /boarding-front/ })).toContainText('for anybody and in plain');
  await page.getByRole('button', { name: 'Serve it with certificates' }).click();
  await sendDraft(page, 'north-quay');
  await settle(page, north);
  await open(page, `${north}/members/events/boarding?view=reach`);
  await expect(page.getByRole('row', { name: /boarding-front/ })).toContainText('with a certificate for boarding-front.boarding.example');

  await open(page, `${north}/members/plans/timetable?view=findings`);
  await expect(page.getByText('losing the primary loses them')).toBeVisible();
  await page.getByRole('button', { name: 'Wait for one standby' }).click();
  await sendDraft(page, 'north-quay');
  await settle(page, north);
  await open(page, `${north}/members/plans/timetable?view=findings`);
  await expect(page.getByRole('status').filter({ hasText: 'in what was sent to' })).toBeVisible();
  await expect(page.getByText('losing the primary loses them')).toBeHidden();

  const harbour = await forkOf(page, 'harbour', 'papers');
  await open(page, `${harbour}/members`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('6 members of papers wait: there is no class shed-pool.');
  await open(page, `${harbour}/blueprints/object-store`);
  await expect(page.getByText('1,080 GiB', { exact: true })).toBeVisible();
  await page.getByRole('combobox', { name: /worth of parity/ }).selectOption('1');
  await expect(page.getByText('1,350 GiB', { exact: true })).toBeVisible();
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
  // The clock is asked from beside the page: only once what was pressed is in.
  const acted = async (name: string) => {
    const answer = page.waitForResponse((one) => one.request().method() !== 'GET' && one.url().includes('/api/v1/rehearsals/'));
    await page.getByRole('button', { name }).click();
    expect((await answer).ok()).toBe(true);
  };
  await acted('Rest it');
  await settle(page, base);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('boarding: at rest.');
  await acted('Wake it');
  await settle(page, base);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('boarding: all 7 members are ready.');
});

test("a draft's text and its questions write each other", async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'brief');
  const made = await page.request.post(`/api/v1/rehearsals/${base.slice(3)}/blueprints/multi-primary-sql/draft`, {
    data: { answers: { name: 'ledger', namespace: 'books', tls: 'off' } }
  });
  await open(page, `${base}/drafts/${((await made.json()) as { id: number }).id}`);
  await page.getByRole('tab', { name: 'questions' }).click();
  await expect(page.getByText('The text says what the answers say.')).toBeVisible();
  await page.getByRole('combobox', { name: 'Members' }).selectOption('5');
  const line = page.locator('.cm-line').filter({ hasText: /^\s+replicas: \d+$/ });
  const top = page.locator('.cm-content');
  await top.click();
  await page.keyboard.press('Control+Home');
  await expect(page.getByRole('combobox', { name: 'Members' })).toHaveValue('5');
  await page.getByRole('button', { name: 'undo', exact: true }).waitFor();
  for (let i = 0; i < 12 && (await line.count()) === 0; i += 1) await page.keyboard.press('PageDown');
  await expect(line).toHaveText(/replicas: 5/);
  await line.click();
  await page.keyboard.press('End');
  await page.keyboard.press('Backspace');
  await page.keyboard.type('4');
  await expect(page.getByRole('combobox', { name: 'Members' })).toHaveValue('4');
  // The peers in the configuration still name five: that was not said by the answer.
  await expect(page.getByText(/1 place says more than the answers/)).toBeVisible();
});

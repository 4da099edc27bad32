import { expect, forkOf, open, test } from './help';

test('a member that its lost node does not end is taken away by force, after what that risks was read', async ({ page }) => {
  const base = await forkOf(page, 'north-quay', 'by-force');
  const api = `/api/v1/rehearsals/${base.slice(3)}`;
  const member = async () =>
    (
      (await (await page.request.get(`${api}/objects?kind=Pod&namespace=events`)).json()) as {
        items: { metadata: { name: string; uid: string }; spec: { nodeName?: string } }[];
      }
    ).items.find((one) => one.metadata.name === 'boarding-1')!;
  const before = await member();
  const outage = `apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {cut: [[${before.spec.nodeName}]]}\n`;
  expect((await page.request.post(`${api}/send`, { data: outage, headers: { 'content-type': 'application/yaml' } })).ok()).toBe(true);
  const { nowMs } = (await (await page.request.get(`${api}/root-line?kind=StatefulSet&namespace=events&name=boarding`)).json()) as {
    nowMs: number;
  };
  await page.request.post(`${api}/clock`, { data: { untilMs: nowMs + 480_000 } });
  await open(page, `${base}/members/events/boarding`);
  await page.getByRole('button', { name: 'take away by force boarding-1' }).click();
  const sheet = page.getByRole('dialog');
  await expect(sheet.getByText('which is only cut off: two members of one name at once')).toBeVisible();
  await expect(sheet.getByText(/stays attached to \S+ for 6 minutes/)).toBeVisible();
  // Without force it is refused, and the sheet says why.
  await sheet.getByRole('checkbox', { name: /By force/ }).uncheck();
  await expect(sheet.getByText(/is being deleted already/)).toBeVisible();
  await expect(sheet.getByRole('button', { name: 'Take away' })).toBeDisabled();
  await sheet.getByRole('checkbox', { name: /By force/ }).check();
  await sheet.getByRole('button', { name: 'Take away' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'boarding-1 is being taken away' })).toBeVisible();
  await page.request.post(`${api}/clock`, { data: { untilMs: nowMs + 480_000 + 60_000 } });
  const after = await member();
  expect(after.metadata.uid).not.toBe(before.metadata.uid);
  expect(after.spec.nodeName).not.toBe(before.spec.nodeName);
});

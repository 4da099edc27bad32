import { expect, forkOf, open, test } from './help';

test("house rules: a finding is let be with its reason, a rule of one's own is told, and the handover lists what was accepted", async ({
  page
}) => {
  const at = await forkOf(page, 'south-quay', 'house');
  const claim = (name: string) =>
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${name}, namespace: tickets}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 40G}}}\n`;
  const house = `apiVersion: standin.example/v1
kind: CheckSettings
metadata: {name: house}
spec:
  accepted: [{rule: size-decimal, object: 'PersistentVolumeClaim tickets/*', reason: bought like that, until: 2099-12-31}]
  rules: [{id: named-team, kinds: [PersistentVolumeClaim], expression: has(object.metadata.labels), message: A claim names its team., remedy: Add a label.}]
`;
  const made = await page.request.post('/api/v1/clusters/south-quay/drafts', {
    data: { name: 'house', text: `${claim('ledger')}---\n${house}` }
  });
  const { id } = (await made.json()) as { id: number };
  await open(page, `${at}/drafts/${id}`);
  const findings = page.getByRole('region', { name: 'Findings' });
  await expect(findings).toContainText('A claim names its team. Add a label. house rule named-team');
  const accepted = findings.getByTestId('accepted');
  await expect(accepted).toContainText('1 finding accepted by house rules');
  await accepted.locator('summary').click();
  await expect(accepted).toContainText('Accepted until 2099-12-31: bought like that');
  await page.getByRole('button', { name: /^Send to/ }).click();
  await expect(page.getByText(/^Sent to south-quay~house at/)).toBeVisible();
  // From then on it counts for every draft against this cluster, and stands in the handover.
  const other = await page.request.post('/api/v1/clusters/south-quay/drafts', { data: { name: 'later', text: claim('second') } });
  await open(page, `${at}/drafts/${((await other.json()) as { id: number }).id}`);
  await expect(findings.getByTestId('accepted')).toContainText('1 finding accepted');
  await expect(findings).toContainText('house rule named-team');
  await open(page, `${at}/handover`);
  await page.getByTestId('accepted').locator('summary').click();
  await expect(page.getByTestId('accepted')).toContainText('PersistentVolumeClaim tickets/ledger');
  await expect(page.getByRole('main')).not.toContainText('kind: CheckSettings');
});

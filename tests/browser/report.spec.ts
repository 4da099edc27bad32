import { execFile } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';
import { expect, forkOf, open, overflows, test } from './help';

/** A sheet of A4, in points (ISO 216: 210 mm by 297 mm), and the margins that the report asks for. */
const points = 72 / 25.4;
const sheet = { wide: 210 * points, high: 297 * points, aside: 16 * points, above: 18 * points };

interface Piece {
  readonly str: string;
  readonly width: number;
  readonly height: number;
  readonly transform: readonly number[];
}

const bare = (text: string) => text.replaceAll(/\s+/g, '');

test('a clean-up is tried on a fork: its order, what stays, what is to be kept; nothing is taken away', async ({ page }) => {
  // Before anything that other tests do to the trunk.
  await open(page, `${await forkOf(page, 'north-quay', 'cleaned', 23_990_000)}/handover`);
  await page.getByRole('link', { name: 'Clean-up of timetable' }).click();
  const headline = page.getByRole('heading', { level: 1 });
  await expect(headline).toHaveText(/^\d+ objects of timetable go in 5 steps; 1 thing stays, and is paid for\.$/);
  const order = page.getByRole('region', { name: 'In this order' }).getByRole('listitem');
  await expect(order).toHaveCount(5);
  await expect(order.nth(1)).toContainText('by itself with it: Pod timetable-0');
  await expect(page.getByRole('region', { name: 'What stays' })).toContainText('4 copies of it by timetable-copies');
  await page.getByRole('checkbox', { name: 'keep its data' }).focus();
  await page.keyboard.press('Space');
  await expect(page.getByRole('region', { name: 'What stays' })).toContainText('kept with its data, as was asked');
  await expect(order).toHaveCount(3);
  await page.getByRole('link', { name: 'timetable', exact: true }).click();
  await expect(headline).toContainText('all 3 members are ready');
  expect(await overflows(page)).toBe(false);
});

test('a report printed to A4 and read back: every word in order, no line cut; and the same without a browser', async ({
  page,
  baseURL,
  dataFolder
}) => {
  const at = '/r/north-quay/handover/report/plans/timetable';
  await page.goto(at);
  const shown = await page.locator('body').innerText();
  const bytes = await page.pdf({ preferCSSPageSize: true });
  const read = await getDocument({ data: new Uint8Array(bytes), verbosity: 0 }).promise;
  expect(read.numPages).toBeGreaterThanOrEqual(2);
  expect(read.numPages).toBeLessThanOrEqual(8);
  let text = '';
  for (let nth = 1; nth <= read.numPages; nth += 1) {
    const one = await read.getPage(nth);
    const [, , wide = 0, high = 0] = one.view;
    expect([Math.round(wide), Math.round(high)]).toEqual([Math.round(sheet.wide), Math.round(sheet.high)]);
    const pieces = (await one.getTextContent()).items as unknown as Piece[];
    expect(pieces.length, `page ${nth} is not empty`).toBeGreaterThan(3);
    for (const { str, width, height, transform } of pieces) {
      if (!str.trim()) continue;
      const [x = 0, y = 0] = transform.slice(4);
      // Half a point for the slant of a letter.
      expect(x, str).toBeGreaterThanOrEqual(sheet.aside - 0.5);
      expect(x + width, str).toBeLessThanOrEqual(sheet.wide - sheet.aside + 0.5);
      expect(y, str).toBeGreaterThanOrEqual(sheet.above - 0.5);
      expect(y + height, str).toBeLessThanOrEqual(sheet.high - sheet.above + 1.5);
    }
    text += pieces.map((piece) => piece.str).join('');
  }
  expect(bare(text)).toBe(bare(shown));

  const out = mkdtempSync(join(tmpdir(), 'handed-'));
  try {
    const report = (file: string, ...more: string[]) =>
      promisify(execFile)('node', [
        'build/worker/report.js',
        '--data',
        dataFolder,
        '--cluster',
        'north-quay',
        '--out',
        join(out, file),
        ...more
      ]);
    await report('one.html', '--workload', 'plans/timetable');
    expect(readFileSync(join(out, 'one.html'), 'utf8')).toBe(await (await page.request.get(at)).text());
    await report('all.zip');
    const zip = await page.request.get(`${baseURL}/r/north-quay/handover/bundle.zip`);
    expect(readFileSync(join(out, 'all.zip')).equals(await zip.body())).toBe(true);
    const refused = await report('one.md').catch((error: { code: number; stderr: string }) => error);
    expect(refused).toMatchObject({ code: 2, stderr: 'A report is about one workload: --workload NAMESPACE/NAME.\n' });
  } finally {
    rmSync(out, { recursive: true });
  }
});

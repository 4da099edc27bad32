// Takes one PNG of each main view from the demo's data, into docs/screenshots. Same data, same moments, same pictures.
import { chromium } from '@playwright/test';
import { chromiumOptions } from './chromium.mjs';
import { ownServer } from './own-server.mjs';

const { base, end } = await ownServer();
const browser = await chromium.launch(chromiumOptions);

async function post(path, body) {
  const response = await fetch(`${base}/api/v1${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: typeof body === 'string' ? body : JSON.stringify(body)
  });
  if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
  return response.json();
}

try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light', reducedMotion: 'reduce' });
  const shot = async (name, path, act = async () => {}) => {
    await page.goto(base + path);
    await page.waitForTimeout(500);
    await act();
    await page.evaluate(() => document.fonts.ready);
    await page.screenshot({ path: `docs/screenshots/${name}.png` });
    console.log(`docs/screenshots/${name}.png`);
  };
  const line = '/r/south-quay/root-line?kind=StatefulSet&namespace=tickets&name=bookings';
  await shot('estate', '/');
  await shot('root-line', line);
  await shot('draft', line, async () => {
    await page.getByRole('button', { name: 'Put in a draft' }).click();
    await page.getByText('Order of sending').waitFor();
    await page.waitForTimeout(300);
  });
  const { yaml } = await (await fetch(`${base}/api/v1/drivers/block.standin.example/install`)).json();
  await post('/rehearsals/south-quay/send', yaml);
  await post('/rehearsals/south-quay/clock', { untilMs: 405_000 });
  await post('/rehearsals/south-quay/clock', { until: 'settled' });
  await post('/rehearsals/south-quay/proofs', { namespace: 'tickets', set: 'bookings' });
  await shot('members', '/r/south-quay/members');
  await shot('proofs', '/r/south-quay/proofs?set=tickets/bookings&proof=returns');
  await shot('supply', '/r/north-quay/supply');
  await shot('sizing', '/r/north-quay/sizing?calc=broker', async () => {
    await page.getByRole('combobox', { name: 'Take it from' }).selectOption('events/boarding');
    await page.getByText('Not taken: ').waitFor();
    await page.getByRole('textbox', { name: 'Bytes a second that come in' }).fill('0.4 to 0.7 MB/s');
    await page.getByText(/draws, each value/).waitFor();
  });
  await shot('nodes', '/r/north-quay/sizing?calc=nodes', async () => {
    await page.getByText(/^\d+ nodes hold all/).waitFor();
    await page.waitForTimeout(1_500);
  });
  await shot('claims', '/r/north-quay/claims?claim=events/data-boarding-2');
  for (const joint of ['storage-nodes', 'operator', 'disks', 'driver']) {
    const query = `/rehearsals/harbour/remedy?driver=pool.standin.example&joint=${joint}`;
    const { yaml: remedy } = await (await fetch(`${base}/api/v1${query}`)).json();
    await post('/rehearsals/harbour/send', remedy);
    await post('/rehearsals/harbour/clock', { until: 'settled' });
  }
  await shot('ground', '/r/harbour/ground');
  const { yaml: sent } = await (await fetch(`${base}/api/v1/rehearsals/south-quay/manifests?namespace=tickets&secrets=keep`)).json();
  const five = sent.replace('replicas: 3', 'replicas: 5').replace('storage: 40Gi', 'storage: 80G');
  const draft = await post('/clusters/south-quay/drafts', { name: 'five members', files: [{ name: 'bookings.yaml', text: five }] });
  await shot('questions', `/r/south-quay/drafts/${draft.id}`, async () => {
    await page.getByRole('region', { name: 'Findings' }).getByRole('listitem').first().waitFor();
    await page.getByRole('tab', { name: 'questions' }).click();
    await page.getByText('than the answers').waitFor();
    await page.waitForTimeout(300);
  });
  // A dump of the stuck cluster as it was at first, and a later one.
  const { id: stuck } = await post('/rehearsals/south-quay/forks', { name: 'stuck', atMs: 250_000 - 1 });
  const dump = await (await fetch(`${base}/api/v1/rehearsals/${encodeURIComponent(stuck)}/dump`)).json();
  await post('/clusters?name=real-south', JSON.stringify(dump));
  await shot('dump', '/r/real-south/wrong');
  await shot('blueprint', '/r/harbour/blueprints/object-store', async () => {
    await page.waitForTimeout(400);
  });
  const boarding = { namespace: 'events', workload: 'boarding' };
  await post('/rehearsals/north-quay/asks', { ...boarding, op: { do: 'produce', place: 'gate-scans', value: 'gate 4, ticket 1187' } });
  await post('/rehearsals/north-quay/asks', { ...boarding, way: 'outside', op: { do: 'consume', place: 'gate-scans', from: 'beginning' } });
  await shot('console', '/r/north-quay/members/events/boarding?view=console', async () => {
    await page.getByRole('button', { name: 'Produce' }).click();
  });
  const timetable = { namespace: 'plans', workload: 'timetable' };
  const runOn = async (ms) => {
    const { clock } = await (await fetch(`${base}/api/v1/rehearsals/north-quay`)).json();
    await post('/rehearsals/north-quay/clock', { untilMs: clock.nowMs + ms });
  };
  for (const key of ['gannet-0815', 'heron-0900', 'petrel-0940']) {
    await post('/rehearsals/north-quay/asks', { ...timetable, op: { do: 'write', place: 'sailings', key, value: 'berth 2' } });
    await runOn(900_000);
  }
  await post('/rehearsals/north-quay/asks', { ...timetable, op: { do: 'drop', place: 'sailings' } });
  await runOn(1_300_000);
  await shot('backup', '/r/north-quay/backups/plans/timetable', async () => {
    await page.getByRole('slider', { name: 'Back to' }).focus();
    for (let i = 0; i < 2; i += 1) await page.keyboard.press('PageDown');
  });
  await post('/rehearsals/north-quay/drills/round', {});
  for (let round = { running: true }; round.running; await page.waitForTimeout(500))
    ({ round } = await (await fetch(`${base}/api/v1/rehearsals/north-quay/drills`)).json());
  await shot('links', '/r/pilot-house~crew/links');
  await shot('fit', `/r/south-quay/drafts/${draft.id}/fit`, async () => {
    await page.getByRole('button', { name: 'Try it on forks' }).click();
    await page.getByTestId('tried-north-quay').getByText('ready after').waitFor();
  });
  await shot('drills', '/r/north-quay/drills');
  await shot('drill', '/r/north-quay/drills/events/boarding/member-hangs', async () => {
    await page.keyboard.press('n');
    await page.waitForTimeout(400);
  });
} finally {
  await browser.close();
  end();
}

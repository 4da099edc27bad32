import { expect, test } from 'vitest';
import { clockOf, wordsOf } from '$core/shared';
import { shown } from '$core/sizing';
import { reportHtml } from '$server/report-html';
import { image, strangeText } from '../core/cards/strange';
import { call } from './call';

const id = 'north-quay';
const of = { namespace: 'events', workload: 'boarding' };
const report = async () =>
  (await call<{ name: string; text: string }>('GET', `/rehearsals/${id}/report?namespace=events&workload=boarding`)).body;

test('a report says what was tried and what was not; each figure in it is one that the interface gives', async () => {
  const before = (await report()).text;
  expect(before).toContain('# boarding on north-quay');
  expect(before).toContain('Nothing of it was proved. No fault was tried on it.');
  expect(before).toContain('Nothing was drilled, so nothing can be said from experience.');

  await call('POST', `/rehearsals/${id}/proofs`, { namespace: 'events', set: 'boarding' });
  for (const fault of ['member-hangs', 'program-ends']) await call('POST', `/rehearsals/${id}/drills`, { ...of, fault });
  await call('POST', `/rehearsals/${id}/sizings`, {
    name: 'summer',
    calc: 'fill',
    written: { grows: '5 GiB' },
    of: { namespace: 'events', name: 'boarding' }
  });
  const { text, name } = await report();
  expect(name).toBe('boarding-on-north-quay');
  const { drills } = (
    await call<{
      drills: {
        fault: string;
        says: string;
        target: string;
        measured: { writesPauseMs: number };
        cause?: { says: string; remedy?: string };
      }[];
    }>('GET', `/rehearsals/${id}/drills`)
  ).body;
  const hangs = drills.find((one) => one.fault === 'member-hangs')!;
  expect(text).toMatch(/\| Survives \| 1 of 2 drills as expected or better; worse: hangs \|/);
  expect(text).toContain(`### Hangs: ${hangs.target}`);
  expect(text).toContain(hangs.cause!.remedy!);
  expect(text).toMatch(
    new RegExp(
      `Writes pause (${Math.floor(hangs.measured.writesPauseMs / 60_000)} min|${Math.round(hangs.measured.writesPauseMs / 1_000)} s)`
    )
  );
  const proofs = (await call<{ items: { title: string; says: string; set: string; state: string }[] }>('GET', `/rehearsals/${id}/proofs`))
    .body.items;
  for (const one of proofs)
    expect(text).toContain(`| ${one.title} | ${one.state === 'holds' ? 'holds' : 'broken'} | ${one.says.replaceAll('|', '\\|')} |`);
  expect(text).toContain(`${proofs.filter((one) => one.state === 'holds').length} of ${proofs.length} proofs hold.`);
  expect(text).toContain('summer: 63.5 % full; 80 % in 6.12 days, full in 13.6 days.');
  expect(text).toMatch(/\| boarding-0 \| [abc] \| n-\d \| ready \| 140 GiB, \d/);

  // Something of the workload changes: what was tried counts for nothing any more.
  await call('POST', `/rehearsals/${id}/scale`, { namespace: 'events', name: 'boarding', replicas: 4 });
  const after = (await report()).text;
  expect(after).toContain('| Survives | 2 stale, which count for nothing |');
  expect(after).toContain('No fault was tried on it.');
  expect((await call('GET', `/rehearsals/${id}/report?namespace=events&workload=none`)).status).toBe(404);
});

/** Figures as they stand in a text: digits with what separates them, and nothing that is part of a name. */
const figuresIn = (text: string): string[] => [...text.matchAll(/(?<![\w./:-])\d[\d,]*(?:\.\d+)?(?![\w/]|[.-]\w)/g)].map(([one]) => one);

/** All that answers say, and every number in them as it would be written: plain, a time, an amount of bytes, a share, a moment of the clock. */
function saidIn(answers: readonly unknown[]): Set<string> {
  const said = new Set<string>();
  const add = (text: string) => figuresIn(text).forEach((one) => said.add(one));
  const walk = (value: unknown): void => {
    if (typeof value === 'string') add(value);
    else if (typeof value === 'number') {
      for (const text of [
        String(value),
        value.toLocaleString('en'),
        value.toFixed(2),
        wordsOf(value),
        clockOf(value),
        shown('time', value * 86_400),
        shown('bytes', value),
        shown('share', value)
      ])
        add(text);
    } else if (Array.isArray(value)) {
      // How many there are of something is a figure, too.
      add(String(value.length));
      value.forEach(walk);
    } else if (value && typeof value === 'object') Object.values(value).forEach(walk);
  };
  answers.forEach(walk);
  return said;
}

test('every figure in the report of every workload of the demo is found in what the interface answers', async () => {
  let looked = 0;
  for (const cluster of ['north-quay', 'south-quay', 'harbour', 'pilot-house']) {
    const get = async (path: string) => (await call<Record<string, unknown>>('GET', `/rehearsals/${cluster}${path}`)).body;
    const { workloads } = (await get('/sizing')) as { workloads: { namespace: string; name: string }[] };
    const { text: prices } = (await get('/prices')) as { text: string };
    await call('POST', `/rehearsals/${cluster}/sizings`, { name: 'list', calc: 'cost', written: { prices } });
    const [chief] = workloads;
    await call('POST', `/rehearsals/${cluster}/sizings`, {
      name: 'in time',
      calc: 'fill',
      written: {},
      of: { namespace: chief!.namespace, name: chief!.name }
    });
    const { clock } = (await get('')) as { clock: { nowMs: number } };
    const whole = await Promise.all(['/drills', '/proofs', '/backups', '/findings', '/sheets/claims', '/sheets/ground'].map(get));
    const cost = (await call('POST', `/rehearsals/${cluster}/cost`, { prices })).body;
    const sized = (await call('POST', `/rehearsals/${cluster}/sizing`, { calc: 'fill', written: {} })).body;
    for (const { namespace, name } of workloads) {
      const { text } = (await get(`/report?namespace=${namespace}&workload=${name}`)) as { text: string };
      const of = await get(`/workload?namespace=${namespace}&name=${name}`);
      const objects = (await get(`/objects?kind=PersistentVolumeClaim&namespace=${namespace}`)) as {
        items: { metadata: { name: string } }[];
      };
      const claims = await Promise.all(objects.items.map((one) => get(`/claim?namespace=${namespace}&name=${one.metadata.name}`)));
      const said = saidIn([of, ...whole, ...claims, cost, sized, clock, cluster]);
      const missing = figuresIn(text).filter((one) => !said.has(one));
      expect(missing, `${cluster} ${namespace}/${name}`).toEqual([]);
      looked += figuresIn(text).length;
    }
  }
  expect(looked).toBeGreaterThan(150);
  // The test can fail: a figure that nobody gives is found out.
  expect(saidIn([{ a: 7 }]).has('481,217')).toBe(false);
});

test('what was tried on suppositions says so, and of an export nothing is said to have been rehearsed', async () => {
  await call('POST', '/clusters?name=kiln', strangeText());
  const of = 'namespace=till&workload=ledger';
  const text = async (rehearsal: string) => (await call<{ text: string }>('GET', `/rehearsals/${rehearsal}/report?${of}`)).body.text;
  expect(await text('kiln')).toContain('It is what an export shows; nothing was rehearsed.');
  await call('POST', '/clusters/kiln/rehearsals', { name: 'kiln-try', answers: { [`like:${image}`]: 'document-set/member' } });
  expect(await text('kiln-try')).toContain(`What was tried rests on suppositions: ${image} behaves like a document database`);
});

test('nothing that stands in manifests is taken for markup in the page, and nothing leads anywhere', () => {
  const html = reportHtml(
    '<b>x</b>',
    '# a\n\n<img src=x onerror=alert(1)> [go](javascript:alert(1)) ![pic](http://a.example/x.png)\n\n| a |\n| --- |\n| <script>1</script> |\n'
  );
  expect(html).toContain('<title>&lt;b&gt;x&lt;/b&gt;</title>');
  expect(html.slice(html.indexOf('<body>'))).not.toMatch(/<(img|script|a)\b|javascript:|src=x onerror=alert\(1\)>/);
  expect(html).toContain('<h1>a</h1>');
});

import { expect, test } from 'vitest';
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
  expect(text).toContain('summer: 59 % full; 80 % in 8.4 days, full in 16.4 days.');
  expect(text).toMatch(/\| boarding-0 \| [abc] \| n-\d \| ready \| 140 GiB, \d/);

  // Something of the workload changes: what was tried counts for nothing any more.
  await call('POST', `/rehearsals/${id}/scale`, { namespace: 'events', name: 'boarding', replicas: 4 });
  const after = (await report()).text;
  expect(after).toContain('| Survives | 2 stale, which count for nothing |');
  expect(after).toContain('No fault was tried on it.');
  expect((await call('GET', `/rehearsals/${id}/report?namespace=events&workload=none`)).status).toBe(404);
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

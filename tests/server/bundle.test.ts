import { decode } from 'js-base64';
import { expect, test } from 'vitest';
import { parseAllDocuments } from 'yaml';
import { call } from './call';

type Files = { name: string; files: { name: string; text: string }[] };
const bundle = async (id: string, more = '') => (await call<Files>('GET', `/rehearsals/${id}/bundle${more}`)).body;
const textOf = (one: Files, name: string) => one.files.find((two) => two.name === name)!.text;

interface Secret {
  kind: string;
  metadata: { namespace?: string; name: string };
  data?: Record<string, string>;
}

test('a bundle has what was tried beside the manifests, is the same for the same state, and holds no value of a secret', async () => {
  const id = 'north-quay';
  await call('POST', `/rehearsals/${id}/proofs`, { namespace: 'plans', set: 'timetable' });
  for (const fault of ['certificate-out', 'program-ends']) {
    const drilled = await call('POST', `/rehearsals/${id}/drills`, { namespace: 'plans', workload: 'timetable', fault });
    expect(drilled.status).toBe(200);
    // What was sent for it holds whole secrets.
    expect(drilled.body).not.toHaveProperty('begin');
  }
  const one = await bundle(id);
  expect(one.files.map((file) => file.name)).toEqual([
    'START.md',
    'reports/charts-chartroom.md',
    'reports/events-boarding.md',
    'reports/keeps-strongbox.md',
    'reports/plans-timetable.md',
    'manifests.yaml',
    'ground.yaml',
    'evidence/proofs.json',
    'evidence/drills.json',
    'evidence/drills.csv',
    'evidence/backups.json',
    'findings.json'
  ]);
  expect(await bundle(id)).toEqual(one);
  const start = textOf(one, 'START.md');
  const row = start.split('\n').find((line) => line.startsWith('| plans/timetable'))!;
  expect(row).toBe('| plans/timetable | primary-standby SQL | 3 of 3 | 12 of 12 | 2 of 2 |  | 1 plan, never put back |');
  expect(start).toContain('The values of secrets. Whoever sends the manifests');
  expect(start.slice(start.indexOf('missing on purpose'))).toMatch(/\| plans\/timetable[a-z-]* \| [a-z]+/);
  expect(JSON.parse(textOf(one, 'evidence/drills.json'))).toHaveLength(2);

  const secrets = (await call<{ items: Secret[] }>('GET', `/rehearsals/${id}/objects?kind=Secret&secrets=keep`)).body.items;
  const values = secrets.flatMap((secret) => Object.values(secret.data ?? {})).filter((value) => value.length > 8);
  expect(values.length).toBeGreaterThan(3);
  const drills = JSON.stringify((await call('GET', `/rehearsals/${id}/drills`)).body);
  for (const text of [
    drills,
    ...one.files.map((file) => file.text),
    ...(await bundle(id, '?namespace=plans')).files.map((file) => file.text)
  ])
    for (const value of values) {
      expect(text.includes(value)).toBe(false);
      expect(text.includes(decode(value).slice(0, 60))).toBe(false);
    }
});

test('sent on an empty cluster that is laid out from its ground, with the secrets filled in, the same workloads come up and prove', async () => {
  const one = await bundle('north-quay');
  const made = await call('POST', '/clusters', textOf(one, 'ground.yaml').replaceAll('north-quay', 'other-quay'));
  expect(made.status).toBe(201);
  // Whoever sends them fills in the keys that START.md names.
  const secrets = (await call<{ items: Secret[] }>('GET', '/rehearsals/north-quay/objects?kind=Secret&secrets=keep')).body.items;
  const filled = parseAllDocuments(textOf(one, 'manifests.yaml'))
    .map((each) => each.toJS() as Secret)
    .map((each) =>
      each.kind === 'Secret'
        ? {
            ...each,
            data: secrets.find((two) => two.metadata.name === each.metadata.name && two.metadata.namespace === each.metadata.namespace)!
              .data
          }
        : each
    );
  const sent = await call('POST', '/rehearsals/other-quay/send', filled.map((each) => JSON.stringify(each)).join('\n---\n'));
  expect([sent.status, JSON.stringify(sent.body).slice(0, 600)]).toEqual([200, expect.any(String)]);
  await call('POST', '/rehearsals/other-quay/clock', { until: 'settled' });
  const members = async (id: string) =>
    (await bundle(id)).files[0]!.text.split('\n')
      .filter((line) => /^\| [a-z-]+\/[a-z-]+ \|/.test(line))
      .map((line) => line.split(' | ').slice(0, 3));
  expect(await members('other-quay')).toEqual(await members('north-quay'));
  const proved = await call<{ items: { state: string }[] }>('POST', '/rehearsals/other-quay/proofs', {
    namespace: 'plans',
    set: 'timetable'
  });
  expect(new Set(proved.body.items.map((each) => each.state))).toEqual(new Set(['holds']));
});

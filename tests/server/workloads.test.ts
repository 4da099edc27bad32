import { describe, expect, test } from 'vitest';
import { call } from './call';

let forks = 0;
/** A fork to work on, so that tests don't meet. */
async function fork(from: string): Promise<string> {
  const { status, body } = await call<{ id: string }>('POST', `/rehearsals/${from}/forks`, { name: `w${(forks += 1)}` });
  expect(status).toBe(201);
  return `/rehearsals/${body.id}`;
}
const settle = async (at: string) => expect((await call('POST', `${at}/clock`, { until: 'settled' })).status).toBe(200);
const sent = async (at: string, yaml: string) => {
  const { status, body } = await call('POST', `${at}/send`, yaml);
  expect(status, JSON.stringify(body)).toBeLessThan(300);
};
const refused = async (wanted: number, method: string, path: string, body?: object) => {
  const answer = await call<{ detail: string; remedy: string }>(method, path, body);
  expect([path, answer.status]).toEqual([path, wanted]);
  return answer.body;
};
interface Named {
  metadata: { name: string };
}
const names = async (at: string, kind: string, namespace: string) =>
  (await call<{ items: Named[] }>('GET', `${at}/objects?kind=${kind}&namespace=${namespace}`)).body.items.map((one) => one.metadata.name);
const ask = async (at: string, workload: string, op: object, more: object = {}, namespace = 'events') =>
  (await call<{ outcome: string; says: string; count?: number }>('POST', `${at}/asks`, { namespace, workload, op, ...more })).body;

interface Sheet {
  bands: { name: string; rows: { name: string; state: string }[]; ready: number }[];
  services: { name: string; outside: boolean; called: string; fault: string; tunnel: string | null }[];
  accounts: { name: string; ready: boolean; says: string }[];
  topics: { name: string; ready: boolean }[];
  rest: string | null;
  withTls: string;
  waits: { name: string; says: string }[];
}
const sheetOf = async (at: string, namespace: string, name: string) =>
  (await call<Sheet>('GET', `${at}/workload?${new URLSearchParams({ namespace, name })}`)).body;

describe('a workload over the API', () => {
  test('coordinators, brokers, helper come up in that order, and go down in the reverse; then they come again with what they kept', async () => {
    const at = await fork('north-quay');
    expect((await ask(at, 'boarding', { do: 'produce', place: 'gate-scans', value: 'ticket 7' })).outcome).toBe('acknowledged');
    await call('POST', `${at}/rest`, { namespace: 'events', workload: 'boarding' });
    const gone: string[] = [];
    let left = await names(at, 'Pod', 'events');
    let { nowMs } = (await call<{ clock: { nowMs: number } }>('GET', at)).body.clock;
    for (let i = 0; i < 400 && left.length; i += 1) {
      expect((await call('POST', `${at}/clock`, { untilMs: (nowMs += 600) })).status).toBe(200);
      const now = await names(at, 'Pod', 'events');
      gone.push(...left.filter((one) => !now.includes(one)));
      left = now;
    }
    expect(gone.map((one) => one.replace(/^(boarding-helper).*/, '$1'))).toEqual([
      'boarding-helper',
      'boarding-2',
      'boarding-1',
      'boarding-0',
      'coord-2',
      'coord-1',
      'coord-0'
    ]);
    await settle(at);
    expect((await sheetOf(at, 'events', 'boarding')).rest).toBe('at rest');
    expect(await refused(422, 'POST', `${at}/asks`, { namespace: 'events', workload: 'boarding', op: { do: 'topics' } })).toMatchObject({
      detail: expect.stringContaining('Nothing of events/boarding runs')
    });
    await call('POST', `${at}/wake`, { namespace: 'events', workload: 'boarding' });
    await settle(at);
    const sheet = await sheetOf(at, 'events', 'boarding');
    expect(sheet.bands.map((band) => [band.name, band.ready])).toEqual([
      ['coord', 3],
      ['boarding', 3],
      ['boarding-helper', 1]
    ]);
    expect(await ask(at, 'boarding', { do: 'consume', place: 'gate-scans', from: 'beginning' })).toMatchObject({ count: 1 });
  });

  test('inside only, by a tunnel while it stands; outside in plain, then with certificates by what its sheet offers', async () => {
    const at = await fork('north-quay');
    const topics = { do: 'topics' };
    await call('POST', `${at}/tunnels`, { namespace: 'events', service: 'boarding-inside', open: true });
    expect((await ask(at, 'boarding', topics, { way: 'tunnel' })).outcome).toBe('acknowledged');
    await call('POST', `${at}/tunnels`, { namespace: 'events', service: 'boarding-inside', open: false });
    expect((await ask(at, 'boarding', topics, { way: 'tunnel' })).says).toBe('no tunnel stands');
    const plain = await sheetOf(at, 'events', 'boarding');
    expect(plain.services.filter((one) => one.outside).map((one) => [one.name, one.called])).toEqual([
      ['boarding-front', ''],
      ['boarding-outside-0', ''],
      ['boarding-outside-1', ''],
      ['boarding-outside-2', '']
    ]);
    await sent(at, plain.withTls);
    await settle(at);
    const tls = await sheetOf(at, 'events', 'boarding');
    expect(tls.services.filter((one) => one.outside).map((one) => [one.called, one.fault])).toEqual([
      ['boarding-front.boarding.example', ''],
      ['boarding-outside-0.boarding.example', ''],
      ['boarding-outside-1.boarding.example', ''],
      ['boarding-outside-2.boarding.example', '']
    ]);
    expect(tls.withTls).toBe('');
    expect((await ask(at, 'boarding', topics, { way: 'outside', member: 'boarding-1' })).outcome).toBe('acknowledged');
  });

  test('an account is made by the helper; the console asks as it; logs are narrowed by text, member and gravity', async () => {
    const at = await fork('north-quay');
    await sent(
      at,
      'apiVersion: engines.standin.example/v1\nkind: Account\nmetadata: {name: counter, namespace: events}\nspec: {workload: boarding, secret: counter, read: [gate-scans]}\n'
    );
    await settle(at);
    expect((await sheetOf(at, 'events', 'boarding')).accounts).toEqual([
      { name: 'counter', ready: true, says: 'writes nothing, reads gate-scans; its password lies in the secret counter' }
    ]);
    const produce = { do: 'produce', place: 'gate-scans', value: 'x' };
    expect((await ask(at, 'boarding', produce, { account: 'counter' })).says).toBe('access denied: counter may not write gate-scans');
    expect((await ask(at, 'boarding', { do: 'consume', place: 'gate-scans' }, { account: 'counter', login: 'wrong' })).says).toContain(
      'wrong'
    );
    type Logs = { total: number; lines: { member: string; text: string; grave: boolean }[] };
    const logs = async (more: Record<string, string>) =>
      (await call<Logs>('GET', `${at}/logs?${new URLSearchParams({ namespace: 'events', name: 'boarding', ...more })}`)).body;
    const all = await logs({});
    const one = await logs({ member: 'coord-0' });
    const leads = await logs({ text: 'LEADS' });
    await call('POST', `${at}/crash`, { namespace: 'events', pod: 'boarding-1' });
    await settle(at);
    const grave = await logs({ grave: 'yes' });
    expect(all.total).toBeGreaterThan(one.total);
    expect(one.lines.every((line) => line.member === 'coord-0')).toBe(true);
    expect(leads.lines.length && leads.lines.every((line) => /leads/i.test(`${line.member} ${line.text}`))).toBe(true);
    expect(grave.lines.every((line) => line.grave)).toBe(true);
    expect(grave.total).toBeLessThan((await logs({})).total);
  });
});

describe('operators over the API', () => {
  interface View {
    operators: {
      name: string;
      installed: boolean;
      ready: number;
      watches: string[] | null;
      lacking: string[];
      versions: { version: string; fault: string }[];
    }[];
    resources: {
      kind: string;
      name: string;
      stage: string;
      ready: boolean;
      says: string;
      takesAlong: string | null;
      workload: string | null;
    }[];
  }
  const view = async (at: string) => (await call<View>('GET', `${at}/operators`)).body;

  test('installed by a draft or ordered from the catalogue, with the rights that it takes; its resources stage by stage', async () => {
    const at = await fork('north-quay');
    const yaml = async (operator: string, body: object) =>
      (await call<{ yaml: string }>('POST', `${at}/operators/${operator}`, body)).body.yaml;
    expect((await view(at)).operators.map((one) => [one.name, one.installed])).toEqual([
      ['memory-operator', false],
      ['document-operator', false],
      ['operator-manager', false]
    ]);
    expect((await view(at)).operators[1]!.versions).toEqual([
      { version: 'r3', fault: '' },
      { version: 'r2', fault: expect.stringContaining('fits clusters from 1.20 to 1.31; this one is 1.32') }
    ]);
    await refused(404, 'POST', `${at}/operators/nobody`, {});
    await refused(400, 'POST', `${at}/operators/document-operator`, { watches: 'people' });
    await sent(at, await yaml('operator-manager', {}));
    await sent(at, await yaml('document-operator', { watches: ['people'], order: true }));
    await settle(at);
    expect((await view(at)).resources).toMatchObject([{ kind: 'OperatorOrder', stage: 'agreement', ready: false }]);
    const line = await call<{ joints: { joint: string; state: string; remedy?: { manifests: string } }[] }>(
      'GET',
      `${at}/root-line?kind=OperatorOrder&namespace=operators&name=document-operator`
    );
    await sent(at, line.body.joints.find((one) => one.state === 'broken')!.remedy!.manifests);
    await settle(at);
    expect((await view(at)).operators[1]).toMatchObject({ installed: true, ready: 1, watches: ['people'], lacking: [] });
    const { body } = await call<{ yaml: string }>('POST', `${at}/blueprints/document-set`, {
      answers: { by: 'there', cpu: '250m', memory: '1Gi' }
    });
    await sent(at, body.yaml);
    await settle(at);
    expect((await view(at)).resources.find((one) => one.kind === 'DocumentSet')).toEqual(
      expect.objectContaining({
        name: 'crew',
        stage: 'ready',
        ready: true,
        says: 'All 3 members are ready.',
        takesAlong: 'set',
        workload: 'crew'
      })
    );
    const tape = await call<{ lanes: { label: string; ref: object | null; segments: { step: string; toMs: number | null }[] }[] }>(
      'GET',
      `${at}/sheets/tape`
    );
    expect(tape.body.lanes.find((one) => one.label === 'DocumentSet crew')).toMatchObject({
      ref: { kind: 'DocumentSet', namespace: 'people', name: 'crew' },
      segments: ['certifying', 'expanding', 'gathering'].map((step) => ({ step, toMs: expect.any(Number) as number }))
    });
    const sheet = await call<{ goes: { ref: { kind: string } }[]; stays: { ref: { kind: string } }[] }>('POST', `${at}/removal-sheet`, {
      kind: 'DocumentSet',
      namespace: 'people',
      name: 'crew'
    });
    expect(new Set(sheet.body.goes.map((one) => one.ref.kind))).toEqual(
      new Set(['DocumentSet', 'StatefulSet', 'Service', 'ConfigMap', 'Issuer', 'Certificate', 'Pod'])
    );
    expect(new Set(sheet.body.stays.map((one) => one.ref.kind))).toEqual(new Set(['PersistentVolumeClaim', 'Secret']));
  });
});

describe('before it is sent', () => {
  test('what an operator will make of a resource is looked over too: its licence, and nodes that are too small for it', async () => {
    type Sheet = { remarks: { state: string; says: string }[] };
    const remarks = async (cluster: string, answers: object) =>
      (await call<Sheet>('POST', `/rehearsals/${cluster}/blueprints/memory-store`, { answers })).body.remarks.map((one) => one.says);
    const small = await remarks('south-quay', { class: 'steady-block' });
    expect(small).toContain('No node has room for a member of fares-2: it asks for 3 CPU and 13Gi.');
    expect(small.filter((one) => one.startsWith('The licence of'))).toEqual([
      'The licence of shelf.standin.example/engines/memory-node:r4 is limited: places of more than 40 nodes need a letter from its makers.'
    ]);
    expect((await remarks('south-quay', { class: 'steady-block', cpu: '1', size: '4Gi', limit: '2Gi' })).join(' ')).not.toContain(
      'No node has room'
    );
  });
});

describe('what stands is looked over, and nodes are emptied', () => {
  test('findings of a namespace, and the objects that a remedy alters; a finding without one is told', async () => {
    const at = await fork('north-quay');
    type Found = { nth: number; code: string; object: string; mend: string | null };
    const found = async () => (await call<{ items: Found[] }>('GET', `${at}/findings?namespace=plans`)).body.items;
    const before = await found();
    const one = before.find((two) => two.code === 'standbys-not-waited')!;
    expect(one).toMatchObject({ object: 'ConfigMap plans/timetable-config', mend: 'Wait for one standby' });
    const { body } = await call<{ yaml: string }>('POST', `${at}/findings/mend`, { namespace: 'plans', nth: one.nth });
    // The configuration, and the set whose members have to read it anew; nothing else.
    expect(body.yaml.match(/^kind: .*$/gm)).toEqual(['kind: ConfigMap', 'kind: StatefulSet']);
    await sent(at, body.yaml);
    await settle(at);
    expect((await found()).map((two) => two.code)).toEqual(before.filter((two) => two !== one).map((two) => two.code));
    const write = await ask(at, 'timetable', { do: 'write', key: 'k', value: 'v' }, {}, 'plans');
    expect(write.outcome).toBe('acknowledged');
    await refused(404, 'POST', `${at}/findings/mend`, { namespace: 'plans', nth: 99 });
    await refused(400, 'POST', `${at}/findings/mend`, { namespace: 'plans', nth: -1 });
  });

  test('a node is emptied as budgets allow, and opened again; an unknown one is told', async () => {
    const at = await fork('north-quay');
    await refused(404, 'POST', `${at}/nodes/n-9/empty`, {});
    expect((await call('POST', `${at}/nodes/n-2/empty`, {})).status).toBeLessThan(300);
    await settle(at);
    type Ground = { zones: { planks: { name: string; closed: boolean; members: object[]; emptying: { waits: object[] } | null }[] }[] };
    const plank = async () =>
      (await call<Ground>('GET', `${at}/sheets/ground`)).body.zones.flatMap((one) => one.planks).find((one) => one.name === 'n-2')!;
    expect(await plank()).toMatchObject({ closed: true, members: [], emptying: { waits: [] } });
    expect((await call('POST', `${at}/nodes/n-2/empty`, { open: true })).status).toBeLessThan(300);
    await settle(at);
    expect(await plank()).toMatchObject({ closed: false, emptying: null });
  });

  test('the questions that a draft answers, and the edits that answer one otherwise; secrets that come along are drawn', async () => {
    const at = await fork('north-quay');
    const { body } = await call<{ yaml: string }>('POST', `${at}/blueprints/object-store`, { answers: { encrypts: 'no', volumes: '2' } });
    const files = [{ name: 'papers.yaml', text: body.yaml }];
    type Brief = {
      found: object[];
      apart: string[];
      sheet: { answers: Record<string, string>; faults: object[] };
      edits: { from: number; to: number; insert: string }[];
    };
    const brief = async (more: object) => (await call<Brief>('POST', `${at}/brief`, { files, ...more })).body;
    const read = await brief({});
    expect([read.apart, read.sheet.answers.volumes, read.sheet.answers.encrypts, read.edits]).toEqual([[], '2', 'no', []]);
    const other = await brief({ known: read.sheet.answers, to: { ...read.sheet.answers, encrypts: 'yes' } });
    const texts = other.edits.map((one) => one.insert).join('\n');
    expect(texts).toContain('STORE_KEY');
    expect(/password: "?([A-Za-z0-9]{22})"?\n/.exec(texts)?.[1]).toBeDefined();
    // An answer that can't be is told, and writes nothing.
    const wrong = await brief({ known: read.sheet.answers, to: { ...read.sheet.answers, parity: '8' } });
    expect([wrong.sheet.faults.length, wrong.edits]).toEqual([1, []]);
    expect((await brief({ files: [{ name: 'a.yaml', text: 'kind: [' }] })).found).toEqual([]);
  });
});

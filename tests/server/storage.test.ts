import { describe, expect, test } from 'vitest';
import { isReady, type Pod } from '$core/model';
import type { GroundView } from '$server/views/ground';
import type { SupplyView } from '$server/views/supply';
import { call } from './call';

let nth = 0;
async function fork(from: string): Promise<string> {
  const { body } = await call<{ id: string }>('POST', `/rehearsals/${from}/forks`, { name: `s${(nth += 1)}` });
  return `/rehearsals/${body.id}`;
}

describe('trials', () => {
  test('on a fork nothing of the rehearsal changes; on the trunk the same actions lead to the same outcome', async () => {
    const at = await fork('north-quay');
    const before = (await call<{ clock: object }>('GET', at)).body;
    const apart = await call<{ state: string; checks: { asked: string; got: string }[] }>('POST', `${at}/trials`, {
      class: 'steady-block'
    });
    expect(apart.body).toMatchObject({
      state: 'holds',
      where: 'fork',
      checks: expect.arrayContaining([expect.objectContaining({ ok: true })])
    });
    expect((await call('GET', at)).body).toMatchObject({ clock: before.clock });
    const here = await call<{ checks: object[]; untilMs: number }>('POST', `${at}/trials`, { class: 'steady-block', where: 'trunk' });
    expect(here.body.checks).toEqual(apart.body.checks);
    expect((await call<{ clock: { nowMs: number } }>('GET', at)).body.clock.nowMs).toBe(here.body.untilMs);
    // Nothing of it is left behind, and it can be taken back like anything else.
    expect((await call<{ items: object[] }>('GET', `${at}/objects?kind=Namespace`)).body.items).toHaveLength(7);
    expect((await call<{ items: { class: string; where: string }[] }>('GET', `${at}/trials`)).body.items).toMatchObject([
      { class: 'steady-block', where: 'trunk' }
    ]);
    expect((await call('POST', `${at}/trials`, { class: 'none' })).status).toBe(404);
  });

  test('a class that is broken says where in its trial', async () => {
    const at = await fork('south-quay');
    const { body } = await call<{ state: string; says: string }>('POST', `${at}/trials`, { class: 'steady-block' });
    expect(body).toMatchObject({ state: 'broken', says: expect.stringMatching(/Driver: not installed/) });
  });
});

describe('gates and remedies', () => {
  test('the ground and a driver offer what mends them, as manifests that are taken', async () => {
    const at = await fork('harbour');
    const remedy = await call<{ yaml: string }>('GET', `${at}/remedy?driver=pool.standin.example&joint=storage-nodes`);
    expect((await call('POST', `${at}/send`, remedy.body.yaml)).status).toBe(200);
    const supply = (await call<SupplyView>('GET', `${at}/sheets/supply`)).body;
    expect(supply.drivers[0]!.gates[0]).toMatchObject({ joint: 'storage-nodes', state: 'holds' });
    expect((await call('GET', `${at}/remedy?driver=pool.standin.example&joint=rights`)).status).toBe(404);
    await call(
      'POST',
      `${at}/send`,
      'apiVersion: standin.example/v1\nkind: Registry\nmetadata: {name: shelf}\nspec: {host: shelf.standin.example, reachable: false}'
    );
    const ground = (await call<GroundView>('GET', `${at}/sheets/ground`)).body;
    expect(ground.gates.find((one) => one.state === 'broken')).toMatchObject({ id: 'registries', remedy: { draft: true } });
    const mended = await call<{ yaml: string }>('GET', `${at}/remedy?ground=registries`);
    expect(mended.body.yaml).toContain('reachable: true');
  });

  test('planks: disks in their states, to the byte', async () => {
    const { zones, pool } = (await call<GroundView>('GET', '/rehearsals/harbour/sheets/ground')).body;
    const disks = zones.flatMap((one) => one.planks).flatMap((one) => one.disks);
    const count = (kind: string) => disks.filter((one) => one.kind === kind).length;
    expect(['system', 'unused', 'taken', 'refused'].map(count)).toEqual([7, 12, 0, 2]);
    expect(pool).toMatchObject({
      name: null,
      copies: 3,
      disks: 14,
      fit: 12,
      usableBytes: 2_880 * 2 ** 30,
      healableBytes: 2_400 * 2 ** 30
    });
  });
});

describe('the table of claims', () => {
  test('is sorted, narrowed and cut by the server', async () => {
    const rows = async (query: string) =>
      (await call<{ matching: number; rows: { name: string }[] }>('GET', `/rehearsals/north-quay/sheets/claims?${query}`)).body;
    expect((await rows('sort=asks&down=true&limit=2')).rows.map((one) => one.name)).toEqual(['charts', 'data-boarding-2']);
    expect((await rows('sort=fill&down=true&from=1&limit=1')).rows).toHaveLength(1);
    expect((await rows('full=50')).matching).toBe(3);
    expect((await rows('state=no%20user%20yet')).rows.map((one) => one.name)).toEqual(['scratch']);
    expect((await rows('text=n-3')).matching).toBe(3);
    expect((await call('GET', '/rehearsals/north-quay/sheets/claims?sort=colour')).status).toBe(400);
  });

  test('what a claim says of itself: fill, forecast, set, and what it would be to grow the set', async () => {
    const { body } = await call<{ filling: { days: { share: number; days: number }[]; roomBytes: number }; set: object }>(
      'GET',
      '/rehearsals/north-quay/claim?namespace=events&name=data-boarding-0'
    );
    expect(body.filling.roomBytes).toBe(139_295_051_776);
    expect(body.filling.days.map((one) => one.share)).toEqual([0.8, 0.9, 1]);
    expect(body.set).toEqual({ name: 'boarding', template: 'data', claims: [0, 1, 2].map((i) => `data-boarding-${i}`) });
    const at = await fork('north-quay');
    const { yaml } = (await call<{ yaml: string }>('GET', `${at}/grow-set?namespace=events&set=boarding&template=data&size=160Gi`)).body;
    expect((await call('POST', `${at}/send`, yaml)).status).toBe(422);
    expect((await call('POST', `${at}/send?replace=events/boarding`, yaml)).status).toBe(200);
    expect((await call('GET', `${at}/grow-set?namespace=events&set=boarding&template=other&size=1Gi`)).status).toBe(404);
  });

  test('writing and damage are actions like any other, and refused where nothing can be written', async () => {
    const at = await fork('north-quay');
    const write = (pod: string) => call('POST', `${at}/write`, { namespace: 'charts', pod, key: 'k', value: 'v' });
    const pods = await call<{ items: Pod[] }>('GET', `${at}/objects?kind=Pod&namespace=charts`);
    expect((await write(pods.body.items.find(isReady)!.metadata.name)).status).toBe(200);
    expect(await write('nobody-0')).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/Nothing can be written: the pod doesn't exist/) }
    });
    expect((await call('POST', `${at}/damage`, { namespace: 'events', claim: 'scratch' })).status).toBe(422);
    expect((await call('POST', `${at}/damage`, { namespace: 'charts', claim: 'charts' })).status).toBe(200);
    const proofs = await call<{ items: { id: string; state: string }[] }>('POST', `${at}/proofs`, {
      namespace: 'charts',
      set: 'chartroom'
    });
    expect(proofs.body.items.find((one) => one.id === 'data')!.state).toBe('broken');
    expect((await call('POST', `${at}/undo`)).status).toBe(200);
  });
});

describe('layouts', () => {
  test('a ground document is made into a cluster, given back as it was, and taken away; a wrong one is refused with every fault', async () => {
    const { yaml } = (await call<{ yaml: string }>('GET', '/clusters/harbour/ground')).body;
    const own = yaml.replace('name: harbour', 'name: harbour-two');
    expect((await call('POST', '/clusters', yaml)).body).toMatchObject({
      type: expect.stringContaining('bad-layout'),
      detail: expect.stringMatching(/already/)
    });
    expect((await call('POST', '/clusters', own)).status).toBe(201);
    expect((await call<{ yaml: string }>('GET', '/clusters/harbour-two/ground')).body.yaml).toBe(own);
    expect((await call<GroundView>('GET', '/rehearsals/harbour-two/sheets/ground')).body.pool).toMatchObject({ disks: 14, fit: 12 });
    const wrong = own.replace(/quorum: 3/, 'quorum: 4').replace('172.23.0.0/24', '10.63.7.0/24');
    const refused = await call<{ problems: { at: { field: string } }[] }>(
      'POST',
      '/clusters',
      wrong.replaceAll('harbour-two', 'harbour-three')
    );
    expect(refused.status).toBe(400);
    expect(refused.body.problems.map((one) => one.at.field)).toEqual(['spec.control.quorum', 'spec.control.balancer', 'spec.nodeRange']);
    // Answers that no schema takes hide nothing of the others.
    const unread = wrong.replace('name: harbour-two', 'name: Harbour Two').replace(/(\n +)cpu: /, '$1count: -3$1cpu: ');
    expect(unread).toContain('count: -3');
    const look = (await call<{ faults: { field: string }[]; problems: unknown[] }>('POST', '/layouts/check', unread)).body;
    const fields = look.faults.map((one) => one.field);
    expect(fields).toEqual(expect.arrayContaining(['groups.0.count', 'name', 'control.quorum', 'control.balancer']));
    expect(new Set(fields).size).toBe(fields.length);
    expect(look.problems).toHaveLength(2);
    expect((await call('POST', '/clusters', 'apiVersion: v1\nkind: Namespace\nmetadata: {name: a}')).status).toBe(400);
    expect((await call('DELETE', '/clusters/harbour-two')).status).toBe(200);
    expect((await call('DELETE', '/clusters/harbour')).status).toBe(409);
    expect((await call('GET', '/rehearsals/harbour-two')).status).toBe(404);
  });

  test('manifests that are brought: a cluster fits, says what would be altered there, and one without the label asked for does not fit', async () => {
    const { yaml } = (await call<{ yaml: string }>('GET', '/rehearsals/north-quay/manifests?namespace=plans&secrets=keep')).body;
    type Told = { fits: { cluster: string; fits: boolean; faults: string[]; alters: string[] }[]; proposal: { lacks: string[] } };
    const bring = async (text: string) => {
      const { fits, proposal } = (await call<Told>('POST', '/bring', text)).body;
      return { ...fits.find((one) => one.cluster === 'north-quay')!, lacks: proposal.lacks };
    };
    expect(await bring(yaml)).toMatchObject({ fits: true, alters: [] });
    expect(yaml).toContain('replicas: 3');
    expect(await bring(yaml.replace('replicas: 3', 'replicas: 2'))).toMatchObject({ fits: true, alters: ['StatefulSet timetable'] });
    const labelled = await bring(yaml.replace(/(\n +)containers:/, '$1nodeSelector:$1  pier: outer$1containers:'));
    expect(labelled.fits).toBe(false);
    expect(labelled.faults).toContain('None of the 6 nodes carries the label pier: outer.');
    expect(labelled.lacks).toContain('nodes with the label pier: outer');
  });

  test('drivers by version, as they fit the cluster', async () => {
    const of = (query: string) => call<{ version: string }>('GET', `/drivers/block.standin.example/install?${query}`);
    expect((await of('')).body.version).toBe('r3');
    expect((await of('cluster=1.35')).body.version).toBe('r4');
    expect((await of('version=r4')).body).toMatchObject({
      type: expect.stringContaining('unfit-version'),
      detail: expect.stringMatching(/fits clusters from 1.33/)
    });
    expect((await call('GET', '/operators/pool/install')).status).toBe(200);
  });
});

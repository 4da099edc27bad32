import { expect, test } from 'vitest';
import { createApp } from '$server/services/app';
import { settingsOf } from '$server/settings';
import { call } from './call';

interface Kept {
  namespace: string;
  workload: string;
  fault: string;
  state: string;
  stale: boolean;
  demanded: boolean;
  atMs: number;
  expectation: { writesPauseMs?: number };
  measured: { writes: { asked: number; acknowledged: number }; lostCount: number };
}
interface All {
  workloads: { namespace: string; name: string; notNow: string; offers: { fault: string; target?: string; not?: string }[] }[];
  drills: Kept[];
  round: { total: number; done: number; running: boolean; stopped: boolean; skipped: unknown[] } | null;
}
let forks = 0;
async function fork(): Promise<string> {
  const { status, body } = await call<{ id: string }>('POST', '/rehearsals/north-quay/forks', { name: `drill-${(forks += 1)}` });
  expect(status).toBe(201);
  return `/rehearsals/${body.id}`;
}
const all = async (at: string) => (await call<All>('GET', `${at}/drills`)).body;
const which = (fault: string, more: object = {}) => ({ namespace: 'plans', workload: 'timetable', fault, ...more });

test('a drill is run on a fork, kept with its evidence, and stale once something of the workload changes; what is demanded stays', async () => {
  const at = await fork();
  const before = (await call<{ revision: number; clock: { nowMs: number } }>('GET', at)).body;
  expect((await all(at)).drills).toEqual([]);
  const { status, body } = await call<Kept>('POST', `${at}/drills`, which('program-ends', { expectation: { writesPauseMs: 1_000 } }));
  expect(status).toBe(200);
  expect(body).toMatchObject({ state: 'worse', demanded: true, atMs: before.clock.nowMs, expectation: { writesPauseMs: 1_000, lost: 0 } });
  expect(body.measured.writes.acknowledged).toBeGreaterThan(100);
  // The rehearsal itself stands as it stood.
  expect((await call<typeof before>('GET', at)).body).toMatchObject({ revision: before.revision, clock: before.clock });
  expect((await all(at)).drills).toMatchObject([{ fault: 'program-ends', state: 'worse', stale: false }]);
  expect((await call<Kept>('POST', `${at}/drills`, which('program-ends'))).body).toMatchObject({
    demanded: true,
    expectation: { writesPauseMs: 1_000 }
  });
  // The number beside the sheet's name is of those that still hold.
  const { getApp } = await import('$server/services');
  const { frameOf } = await import('$server/services/frame');
  const worse = async () => {
    const frame = await frameOf(await getApp(), at.split('/').at(-1)!);
    return frame.ok && frame.value.worse;
  };
  expect(await worse()).toBe(1);
  await call('POST', `${at}/remove`, { kind: 'Pod', namespace: 'plans', name: 'timetable-1' });
  await call('POST', `${at}/clock`, { until: 'settled' });
  expect((await all(at)).drills).toMatchObject([{ fault: 'program-ends', stale: true }]);
  expect(await worse()).toBe(0);
  const made = await call<{ id: string }>('POST', `${at}/drills/fork`, which('program-ends'));
  expect(made.status).toBe(201);
  const forked = await call<{ clock: { nowMs: number } }>('GET', `/rehearsals/${made.body.id}`);
  expect(forked.body.clock.nowMs).toBe(before.clock.nowMs);
});

test('what cannot be drilled says why: no such workload or fault, a fault that cannot happen here, a member that does not hold', async () => {
  const at = await fork();
  const refused = async (body: object) =>
    (await call<{ detail: string; title: string }>('POST', `${at}/drills`, body)) as { status: number; body: { detail: string } };
  expect((await refused({ ...which('node-dark'), workload: 'nobody' })).status).toBe(404);
  expect((await refused(which('bad-luck'))).status).toBe(400);
  expect(await refused(which('coordinator-lost'))).toMatchObject({
    status: 409,
    body: { detail: expect.stringContaining('no coordinators') }
  });
  expect(await refused({ namespace: 'charts', workload: 'chartroom', fault: 'node-dark' })).toMatchObject({
    status: 409,
    body: { detail: expect.stringContaining('mend that first') }
  });
  expect((await refused(which('node-dark', { expectation: { writesPauseMs: -4 } }))).status).toBe(400);
  expect((await call('DELETE', `${at}/drills/round`)).status).toBe(404);
  expect((await call('POST', `${at}/drills/fork`, which('node-dark'))).status).toBe(404);
});

test('a round runs what is new or stale, keeps each drill as it ends, and stops when it is told to', async () => {
  const at = await fork();
  const body = { namespace: 'plans', workload: 'timetable' };
  const begun = await call<All['round'] & object>('POST', `${at}/drills/round`, body);
  expect([begun.status, begun.body.running]).toEqual([202, true]);
  const { workloads } = await all(at);
  const can = workloads.find((one) => one.name === 'timetable')!.offers.filter((one) => one.target !== undefined).length;
  expect(begun.body.total).toBe(can);
  // A second one while it runs is the same round.
  expect((await call<{ total: number }>('POST', `${at}/drills/round`, {})).body.total).toBe(can);
  while ((await all(at)).drills.length < 1) await new Promise((done) => setTimeout(done, 20));
  await call('DELETE', `${at}/drills/round`);
  let now = await all(at);
  for (; now.round!.running; now = await all(at)) await new Promise((done) => setTimeout(done, 20));
  expect(now.round).toMatchObject({ stopped: true, skipped: [] });
  expect(now.drills.length).toBe(now.round!.done);
  expect(now.drills.length).toBeLessThan(can);
  expect((await call<{ total: number }>('POST', `${at}/drills/round`, body)).body.total).toBe(can - now.drills.length);
  await call('DELETE', `${at}/drills/round`);
  while ((await all(at)).round!.running) await new Promise((done) => setTimeout(done, 20));
}, 120_000);

test('a wrong delete is held against the plan that copies the workload, goes stale with it, and leaves no fork', async () => {
  const at = await fork();
  const ran = await call<Kept & { measured: { back: { plan: string; count: number } | null } }>(
    'POST',
    `${at}/drills`,
    which('wrong-delete')
  );
  expect(ran.body).toMatchObject({
    state: 'expected',
    measured: { back: { plan: 'timetable-copies', count: ran.body.measured.lostCount } }
  });
  expect(await call('POST', `${at}/drills/fork`, which('wrong-delete'))).toMatchObject({
    status: 409,
    body: { title: 'This drill leaves no fork' }
  });
  await call('POST', `${at}/clock`, { step: 3 });
  expect((await all(at)).drills).toMatchObject([{ fault: 'wrong-delete', stale: false }]);
  await call('POST', `${at}/remove`, { kind: 'BackupPlan', namespace: 'plans', name: 'timetable-copies' });
  expect((await all(at)).drills).toMatchObject([{ fault: 'wrong-delete', stale: true }]);
  expect((await call<Kept>('POST', `${at}/drills`, which('wrong-delete'))).body).toMatchObject({
    state: 'worse',
    measured: { back: null }
  });
  // A drill that isn't as it was written counts as not run, and breaks nothing else.
  const { getApp } = await import('$server/services');
  const { frameOf } = await import('$server/services/frame');
  const app = await getApp();
  const id = at.split('/').at(-1)!;
  await app.db.updateTable('drill').set({ body: '{"cut of' }).where('rehearsal', '=', id).execute();
  expect((await all(at)).drills).toEqual([]);
  expect(await frameOf(app, id)).toMatchObject({ ok: true });
});

test('what changes in the very moment of a drill or a proof makes both stale: the clock alone does not tell', async () => {
  const at = await fork();
  expect((await call('POST', `${at}/drills`, which('program-ends'))).status).toBe(200);
  expect((await call('POST', `${at}/proofs`, { namespace: 'plans', set: 'timetable' })).status).toBe(200);
  const proofs = async () => (await call<{ items: { stale: boolean }[] }>('GET', `${at}/proofs`)).body.items.map((one) => one.stale);
  expect((await all(at)).drills.map((one) => one.stale)).toEqual([false]);
  expect(new Set(await proofs())).toEqual(new Set([false]));
  const { body } = await call<{ items: { metadata: object; spec: object }[] }>(
    'GET',
    `${at}/objects?kind=StatefulSet&namespace=plans&name=timetable`
  );
  const [set] = body.items;
  const sent = {
    apiVersion: 'apps/v1',
    kind: 'StatefulSet',
    metadata: { name: 'timetable', namespace: 'plans', labels: (set!.metadata as { labels: object }).labels },
    spec: { ...set!.spec, minReadySeconds: 5 }
  };
  const before = (await call<{ clock: { nowMs: number } }>('GET', at)).body.clock.nowMs;
  expect((await call('POST', `${at}/send`, JSON.stringify(sent))).status).toBe(200);
  expect((await call<{ clock: { nowMs: number } }>('GET', at)).body.clock.nowMs).toBe(before);
  expect((await all(at)).drills.map((one) => one.stale)).toEqual([true]);
  expect(new Set(await proofs())).toEqual(new Set([true]));
  // Taken back, both speak of what stands again.
  expect((await call('POST', `${at}/undo`, {})).status).toBe(200);
  expect((await all(at)).drills.map((one) => one.stale)).toEqual([false]);
});

test('where it is asked for, the demo has been drilled: of each workload that holds one, one of them worse, one stale', async () => {
  const app = await createApp({ data: ':memory:', settings: settingsOf({ ROOT_BARN_DEMO_DRILLS: 'yes' }) });
  const kept = async (id: string) => {
    const found = await app.drills.kept(id);
    return found.ok
      ? found.value.map(({ workload, state, stale, cause }) => ({ workload, state, stale, mends: cause?.manifests?.length ?? 0 }))
      : [];
  };
  await expect.poll(async () => (await kept('north-quay')).some((one) => one.stale), { timeout: 100_000, interval: 500 }).toBe(true);
  expect((await kept('north-quay')).sort((a, b) => (a.workload < b.workload ? -1 : 1))).toEqual([
    { workload: 'boarding', state: 'worse', stale: false, mends: 1 },
    { workload: 'strongbox', state: 'expected', stale: true, mends: 0 },
    { workload: 'timetable', state: 'expected', stale: false, mends: 0 }
  ]);
  expect(await kept('harbour')).toMatchObject([{ workload: 'image-shelf' }]);
  await app.close();
});

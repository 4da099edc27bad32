import { expect, test } from 'vitest';
import { call } from './call';

const id = 'north-quay';
const at = `/rehearsals/${id}`;
const of = { namespace: 'events', name: 'boarding' };

test('kept sizings go stale by what stands, replace those of their name, and stay with their cluster', async () => {
  const { written } = (
    await call<{ written: Record<string, string> }>('GET', `${at}/sizing/taken?calc=broker&namespace=events&workload=boarding`)
  ).body;
  const one = { name: 'summer', calc: 'broker', written: { ...written, rate: '0.5 MB/s' }, of, taken: written };
  const first = await call<{ id: number }>('POST', `${at}/sizings`, one);
  expect(first.status).toBe(201);
  expect((await call<{ id: number }>('POST', `${at}/sizings`, { ...one, written })).body.id).toBe(first.body.id);
  const kept = async (rehearsal = id) =>
    (
      await call<{ items: { id: number; name: string; moved: { slot: string; was: string; is: string }[]; gone: string }[] }>(
        'GET',
        `/rehearsals/${rehearsal}/sizings`
      )
    ).body.items;
  expect(await kept()).toMatchObject([{ name: 'summer', moved: [], gone: '' }]);
  // In a fork that goes on it is stale, and in the trunk it is not.
  await call('POST', `${at}/forks`, { name: 'more' });
  await call('POST', `${at}~more/scale`, { namespace: 'events', name: 'boarding', replicas: 4 });
  expect(await kept(`${id}~more`)).toMatchObject([{ moved: [{ slot: 'brokers', was: '3', is: '4' }] }]);
  expect(await kept()).toMatchObject([{ moved: [] }]);
  expect(await kept('south-quay')).toEqual([]);
  // Nobody takes away what is another cluster's.
  expect((await call('DELETE', `/rehearsals/south-quay/sizings/${first.body.id}`)).status).toBe(404);
  expect((await call('DELETE', `${at}/sizings/${first.body.id}`)).status).toBe(200);
  expect(await kept()).toEqual([]);
});

test('what can not be read or written is refused with a reason, and nothing else breaks', async () => {
  const reckoned = (
    await call<{ faults: Record<string, string>; sized: unknown }>('POST', `${at}/sizing`, {
      calc: 'fill',
      written: { size: 'big', none: 'x' }
    })
  ).body;
  expect(reckoned).toMatchObject({ faults: { size: expect.stringMatching(/^Write a size/) }, sized: null });
  expect((await call('POST', `${at}/sizing`, { calc: 'horoscope', written: {} })).status).toBe(400);
  expect((await call('POST', `${at}/sizing`, { calc: 'fill', written: { size: '9'.repeat(100) } })).status).toBe(400);
  expect((await call('DELETE', `${at}/sizings/nonsense`)).status).toBe(404);
  const draft = (calc: string, more = {}) => call<{ detail: string }>('POST', `${at}/sizing/draft`, { calc, of, written: {}, ...more });
  expect((await draft('backup')).body.detail).toMatch(/^Snapshots have no log: choose 0 s/);
  expect((await draft('backup', { of: { namespace: 'plans', name: 'timetable' } })).status).toBe(201);
  expect((await draft('broker', { of: { namespace: 'plans', name: 'timetable' } })).body.detail).toBe('It is no log broker.');
  expect((await draft('broker', { written: { rate: 'much' } })).body.detail).toMatch(/^Bytes a second that come in: Write bytes a second/);
  // The fullest volume is a broker's: its set's claims grow, not the coordinators'.
  const grown = await call<{ id: number }>('POST', `${at}/sizing/draft`, { calc: 'fill', of, written: {} });
  expect((await call<{ name: string }>('GET', `/drafts/${grown.body.id}`)).body.name).toBe('claims of boarding to 300Gi');
});

test('there and back over the interface: a draft says what is not in it, rows and classes go into drafts, a kept list prices nodes', async () => {
  const plans = { namespace: 'plans', name: 'timetable' };
  const taken = async (calc: string, more = '') =>
    (
      await call<{ written: Record<string, string>; says: string }>(
        'GET',
        `${at}/sizing/taken?calc=${calc}&namespace=plans&workload=timetable${more}`
      )
    ).body;
  const { written } = await taken('spread');
  const made = (
    await call<{ id: number; not: string }>('POST', `${at}/sizing/draft`, {
      calc: 'spread',
      of: plans,
      written: { ...written, nodes: '40', lostZones: '0', lostMembers: '2' }
    })
  ).body;
  expect(made.not).toBe('Nodes');
  const text = JSON.stringify((await call('GET', `/drafts/${made.id}`)).body);
  expect(text).toContain('replicas: 5');
  // A pool is of the place itself: no workload is named, and none stands here.
  expect((await call<{ detail: string }>('POST', `${at}/sizing/draft`, { calc: 'pool', written: {} })).body.detail).toBe(
    'No pool stands here.'
  );
  expect((await call<{ detail: string }>('POST', `${at}/sizing/draft`, { calc: 'spread', written: {} })).body.detail).toBe(
    'There is no such workload.'
  );

  const list = (await call<{ text: string }>('GET', `${at}/prices`)).body.text;
  const kept = (await call<{ id: number }>('POST', `${at}/sizings`, { name: 'list', calc: 'cost', written: { prices: list } })).body.id;
  const nodes = async (query: string) =>
    (await call<{ ask: { members: object[]; nodes: { price: string }[] }; says: string }>('GET', `${at}/sizing/nodes${query}`)).body;
  expect((await nodes('')).ask.nodes.every((one) => one.price === '')).toBe(true);
  const priced = await nodes(`?list=${kept}`);
  expect(priced.ask.nodes.every((one) => Number(one.price) > 0)).toBe(true);
  expect(priced.says).not.toContain('prices');
  expect((await call('GET', `${at}/sizing/nodes?list=9999`)).status).toBe(404);
  // A sizing that is no price list prices nothing.
  const other = (await call<{ id: number }>('POST', `${at}/sizings`, { name: 'no list', calc: 'fill', written: {} })).body.id;
  expect((await call('GET', `${at}/sizing/nodes?list=${other}`)).status).toBe(404);
  const members = (await nodes('?namespace=plans&workload=timetable')).ask.members.map((one) => ({ ...one, count: '4' }));
  const rows = await call<{ id: number; not: string }>('POST', `${at}/sizing/nodes/draft`, { of: plans, members });
  expect([rows.status, rows.body.not]).toEqual([201, '']);
  expect(
    (await call<{ detail: string }>('POST', `${at}/sizing/nodes/draft`, { of: plans, members: [{ ...members[0], cpu: 'much' }] })).body
      .detail
  ).toBe('Something in its rows can not be read.');
  const other2 = await call<{ not: string }>('POST', `${at}/cost/draft`, { of: plans, from: 'steady-block', to: 'plain-block' });
  expect(other2.body.not).toMatch(/^the class of .*, which stay in steady-block/);

  const measured = (body: object) =>
    call<{ fault: string | null; table: { heads: string[] } | null; beside: { says: string[] } | null }>('POST', `${at}/sizing/measured`, {
      written: {},
      ...body
    });
  expect((await measured({ table: 'iops,ms\n400,1.2' })).body).toMatchObject({
    fault: null,
    table: { heads: ['iops', 'ms'], lines: 1 },
    beside: null
  });
  expect((await measured({ table: 'iops,ms\n400,1.2', columns: { operations: 7 } })).body).toMatchObject({
    fault: 'It has no column 8.',
    beside: null
  });
  expect((await measured({ table: 'iops' })).body).toMatchObject({ fault: expect.stringMatching(/^A table has/), table: null });
  expect((await measured({ table: 'iops,ms\n400,1.2', columns: { operations: 0 } })).body.beside!.says[0]).toMatch(
    /^400\/s were done at most/
  );
  for (const one of [kept, other]) await call('DELETE', `${at}/sizings/${one}`);
});

test('durability takes the time to heal from a drill that still holds, and is stale by it', async () => {
  const drill = await call('POST', `${at}/drills`, { namespace: 'plans', workload: 'timetable', fault: 'volume-lost' });
  expect(drill.status).toBe(200);
  const { measured } = drill.body as { measured: { wholeMs: number } };
  const query = `${at}/sizing/taken?calc=durability&namespace=plans&workload=timetable`;
  const { written, says } = (await call<{ written: Record<string, string>; says: string }>('GET', query)).body;
  expect(written.heal).toMatch(/^\d+ (s|min)$/);
  expect(says).toMatch(/the drill "volume lost" measured$/);
  expect(parseFloat(written.heal!) * (written.heal!.endsWith('min') ? 60 : 1)).toBe(Math.round(measured.wholeMs / 1_000));
  const kept = (
    await call<{ id: number }>('POST', `${at}/sizings`, {
      name: 'lost',
      calc: 'durability',
      written,
      of: { namespace: 'plans', name: 'timetable' },
      taken: written
    })
  ).body.id;
  const items = async (rehearsal: string) =>
    (await call<{ items: { id: number; moved: { slot: string }[] }[] }>('GET', `/rehearsals/${rehearsal}/sizings`)).body.items.find(
      (one) => one.id === kept
    );
  expect((await items(id))!.moved).toEqual([]);
  await call('DELETE', `${at}/sizings/${kept}`);
});

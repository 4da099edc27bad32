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
  expect((await draft('durability')).body.detail).toBe('Nothing of this calculation is written in manifests.');
  expect((await draft('broker', { of: { namespace: 'plans', name: 'timetable' } })).body.detail).toBe(
    'There are no brokers with claims in timetable.'
  );
  expect((await draft('broker', { written: { rate: 'much' } })).body.detail).toBe('Something in its slots can not be read.');
  expect((await draft('fill', { of: { namespace: 'events', name: 'boarding' } })).status).toBe(201);
});

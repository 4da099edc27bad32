import { describe, expect, test } from 'vitest';
import { fitOf, needsOf, type FitSquare } from '$core/fit';
import type { ApiObject, StorageClass } from '$core/model';
import type { World } from '$core/standin';
import { asLeft, driver, must, objects } from './help';
import { bookingsYaml } from '../../src/lib/scenario';

const south = asLeft('south-quay');
const north = asLeft('north-quay');
const pilot = asLeft('pilot-house');
const bookings = objects(bookingsYaml);
const needs = (more: Parameters<typeof needsOf>[2] = {}, list = bookings) => needsOf(south.store, list, more);
const squares = (world: World, list: readonly ApiObject[] = bookings, more: Parameters<typeof needsOf>[2] = {}) =>
  Object.fromEntries(fitOf(world.store, needs(more, [...list]), list).map((one): [string, FitSquare] => [one.need.split(' ')[0]!, one]));
const altered = (change: (text: string) => string): ApiObject[] => objects(change(bookingsYaml));
const storageClass = (name: string, more: object): StorageClass =>
  ({ ...south.store.get('StorageClass', '', 'steady-block')!, metadata: { name }, ...more }) as StorageClass;

describe('how a workload fits another cluster', () => {
  test('what its claims need is told from the class that they name, not from its name', () => {
    expect(needs().claims).toMatchObject([
      {
        className: 'steady-block',
        many: false,
        traits: { grows: true, keeps: false, encrypts: false, many: false },
        sizes: [40, 40, 40].map((n) => n * 2 ** 30)
      }
    ]);
    expect(squares(north)).toMatchObject({
      class: { state: 'holds', says: 'steady-block' },
      room: { state: 'holds' },
      spread: { state: 'holds', says: '3 zones, 6 nodes' },
      size: { state: 'holds', says: '6 of 6 nodes have room' },
      slots: { state: 'holds', says: '22 free a node' },
      version: { state: 'holds', says: '1.32' },
      images: { state: 'holds' }
    });
  });

  test('a class of that name that does less is refused with the field that differs; another that does it all is named instead', () => {
    const world = asLeft('north-quay');
    const plain = world.store.get('StorageClass', '', 'steady-block')!;
    must(world, { type: 'send', objects: [storageClass('roomy', {}), { ...plain, allowVolumeExpansion: false }] });
    const found = squares(world);
    expect(found.class).toMatchObject({ state: 'holds', says: 'roomy', mends: [{ row: 'class', value: 'roomy' }] });
    expect(found.class!.mends![0]!.places).toEqual(['StatefulSet tickets/bookings spec.volumeClaimTemplates[0].spec.storageClassName']);
    must(world, { type: 'remove', ref: { kind: 'StorageClass', namespace: '', name: 'roomy' } });
    expect(squares(world).class).toMatchObject({ state: 'broken', says: "steady-block can't grow", field: 'allowVolumeExpansion' });
    // Whoever needs no growth is content with it.
    expect(squares(world, bookings, { 'steady-block': { grows: false } }).class).toMatchObject({ state: 'holds', says: 'steady-block' });
    expect(squares(world, bookings, { 'steady-block': { grows: false, keeps: true } }).class).toMatchObject({
      state: 'broken',
      field: 'reclaimPolicy'
    });
  });

  test('a driver that is missing, a zone too few, no room on nodes, no slots, no quota: each in its own square', () => {
    expect(squares(south).class).toMatchObject({ state: 'broken', says: expect.stringContaining('not installed') as string });
    expect(squares(south).spread).toMatchObject({ state: 'tight', says: '2 zones: a majority of bookings falls with one' });
    expect(squares(pilot).class).toMatchObject({ state: 'broken', says: "no class does it: desk-dirs can't grow" });
    expect(squares(pilot).size).toMatchObject({ state: 'tight', says: expect.stringContaining('none to spare') as string });
    const many = altered((text) => text.replace(/replicas: 3/, 'replicas: 9'));
    expect(squares(north, many).spread).toMatchObject({ state: 'broken', says: '6 nodes for 9 members of bookings' });
    const large = altered((text) => text.replace(/storage: 40Gi/, 'storage: 900Gi'));
    expect(squares(north, large).room).toMatchObject({
      state: 'broken',
      says: 'data-bookings-0: north-quay-volumes has 772 GiB free in zone a'
    });
    const huge = altered((text) => text.replace(/storage: 40Gi/, 'storage: 40Ti'));
    expect(squares(north, huge).room).toMatchObject({ state: 'broken', field: 'spec.mostSize' });
    const short = asLeft('north-quay');
    const backend = short.store.list('Backend').find((one) => one.spec.fileSystem === undefined)!;
    const used = [...short.store.usedOf(backend.metadata.name).values()].reduce((sum, one) => sum + one.volumes, 0);
    short.put({ ...backend, spec: { ...backend.spec, quotaVolumes: used + 2 } });
    expect(squares(short).room).toMatchObject({
      state: 'broken',
      says: `data-bookings-2: The quota of ${used + 2} volumes of north-quay-volumes is used up`
    });
  });

  test('volumes lie where their members come to stand, whatever is left elsewhere; where the driver tells its room, members go where it is', () => {
    const world = asLeft('north-quay');
    const backend = world.store.list('Backend').find((one) => one.spec.fileSystem === undefined)!;
    const used = world.store.usedOf(backend.metadata.name);
    // 50 GiB are left in the last zone, 20 GiB in each of the others.
    const zones = backend.spec.zones.map((zone, i) => ({
      ...zone,
      capacity: String((used.get(zone.name)?.sizeBytes ?? 0) + (i === 2 ? 50 : 20) * 2 ** 30)
    }));
    world.put({ ...backend, spec: { ...backend.spec, zones } });
    const one = (name: string, size: string) =>
      altered((text) =>
        text
          .replace(/replicas: 3/, 'replicas: 1')
          .replace(/storage: 40Gi/, `storage: ${size}`)
          .replace(/bookings/g, name)
      ).filter(({ kind }, i) => kind !== 'Namespace' || name === 'much' || i > 0);
    const room = (...lists: ApiObject[][]) => {
      const list = lists.flat();
      const found = fitOf(world.store, needsOf(world.store, list, {}), list);
      return [found.find((each) => each.need.startsWith('room'))!, found.find((each) => each.need === 'size')!].map((each) => each.state);
    };
    const [large, small, other] = [one('much', '50Gi'), one('little', '20Gi'), one('other', '50Gi')];
    expect(room(large)).toEqual(['broken', 'holds']);
    const driver = world.store.get('CSIDriver', '', backend.spec.driver)!;
    must(world, { type: 'send', objects: [{ ...driver, spec: { ...driver.spec, storageCapacity: true } }] });
    world.runSettled();
    // Nothing is left to spare.
    expect(room(large)).toEqual(['tight', 'holds']);
    expect(room(large, small)).toEqual(['tight', 'holds']);
    expect(room(large, other)[0]).toBe('broken');
  });

  test('a policy that keeps members from each other is told, as is a namespace that lets none in', () => {
    const world = asLeft('north-quay');
    const space = bookings.filter((one) => one.kind === 'Namespace');
    must(world, { type: 'send', objects: space });
    const sent = (yaml: string) => must(world, { type: 'send', objects: objects(yaml) });
    sent(
      'apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: shut, namespace: tickets}\nspec: {podSelector: {}, policyTypes: [Ingress]}\n'
    );
    expect(squares(world).admitted).toMatchObject({
      state: 'broken',
      says: 'bookings-0 may not call bookings-1 at port 7111: no rule of the network policy shut lets it in'
    });
    sent(
      'apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: among, namespace: tickets}\nspec: {podSelector: {}, ingress: [{from: [{podSelector: {matchLabels: {app: bookings}}}]}]}\n'
    );
    expect(squares(world).admitted).toMatchObject({ state: 'holds' });
    sent('apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: few, namespace: tickets}\nspec: {hard: {persistentvolumeclaims: "2"}}\n');
    expect(squares(world).admitted).toMatchObject({
      state: 'broken',
      says: expect.stringMatching(/^the quota few is exceeded: 1 of persistentvolumeclaims/) as string
    });
  });

  test('what the table says holds is what then comes up, and what it says breaks does not', () => {
    for (const world of [asLeft('north-quay'), asLeft('south-quay')]) {
      const broken = Object.values(squares(world)).some((one) => one.state === 'broken');
      const refusals = world.act({ type: 'send', objects: bookings });
      expect(refusals).toEqual([]);
      world.runUntil(world.nowMs + 900_000);
      const ready = world.store.get('StatefulSet', 'tickets', 'bookings')!.status?.readyReplicas ?? 0;
      expect(ready === 3).toBe(!broken);
    }
    const mended = asLeft('south-quay');
    must(mended, { type: 'send', objects: driver() });
    mended.runSettled();
    expect(squares(mended).class!.state).toBe('holds');
    // What stands there already needs its room only once.
    expect(mended.store.get('StatefulSet', 'tickets', 'bookings')!.status?.readyReplicas).toBe(3);
    expect(squares(mended)).toMatchObject({
      room: { state: 'holds', says: 'its volumes are there' },
      size: { state: 'holds', says: 'its members stand there' },
      names: { state: 'holds' }
    });
    // Those that stand stay: of five members, one to a node, one finds no node more, and of the other no volume is made twice.
    const five = altered((text) => text.replace(/replicas: 3/, 'replicas: 5'));
    expect(squares(mended, five)).toMatchObject({
      spread: { says: '4 nodes for 5 members of bookings' },
      size: { says: '4 of 5 members of bookings find a place; of 4 nodes 4 where a pod it keeps apart from stands' }
    });
    // What is refused, as a claim template that changes, is no reason to say that all holds.
    const refused = altered((text) => text.replace(/storage: 40Gi/, 'storage: 75Gi'));
    for (const row of ['room', 'spread', 'size', 'names', 'admitted', 'slots'])
      expect(squares(mended, refused)[row], row).toMatchObject({
        state: 'unseen',
        says: "StatefulSet bookings isn't taken: see the change sheet"
      });
    // One that stands, and names what has gone since.
    const left = bookings.filter((one) => one.kind !== 'ConfigMap');
    must(mended, { type: 'remove', ref: { kind: 'ConfigMap', namespace: 'tickets', name: 'bookings-config' } });
    expect(squares(mended, left).names).toMatchObject({ state: 'broken', says: "the config map tickets/bookings-config doesn't exist" });
  });
});

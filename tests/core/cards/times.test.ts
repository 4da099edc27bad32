import { describe, expect, test } from 'vitest';
import { asManifest } from '$core/manifest';
import { isReady, type ApiObject } from '$core/model';
import { rootLine } from '$core/rootline';
import { ref } from '../help';
import { must } from '../roomy';
import { assumption, like, rehearsed, stepsOf, strangeFacts } from './facts';
import { driverName, image, takenMs } from './strange';

describe("a cluster's own times", () => {
  test('starts, volumes and attachments are read from conditions and events, to the second', () => {
    const { why } = assumption('times')!;
    // 12, 9 and 17 s; 6, 5 and 8 s; 21, 19 and 24 s: stamps are in full seconds, so each may have been almost one longer.
    expect(why).toContain(`starts of ${image} took 9 to 18 s (3 seen)`);
    expect(why).toContain(`volumes of ${driverName} took 5 to 9 s (3 seen)`);
    expect(why).toContain(`attaching for ${driverName} took 19 to 25 s (3 seen)`);
  });

  test('growth and snapshots are read from their events, those of one alone; and count in the rehearsal', () => {
    const at = (second: number) => new Date(takenMs - 600_000 + second * 1_000).toISOString();
    const event = (kind: string, name: string, uid: string, reason: string, second: number, count = 1) => ({
      apiVersion: 'v1',
      kind: 'Event',
      metadata: { name: `${name}.${reason.toLowerCase()}`, namespace: 'till' },
      involvedObject: { kind, namespace: 'till', name, uid },
      reason,
      type: 'Normal',
      count,
      firstTimestamp: at(second),
      lastTimestamp: at(second + count)
    });
    const claim = (nth: number, reason: string, second: number, count?: number) =>
      event('PersistentVolumeClaim', `data-ledger-${nth}`, `claim-${nth}`, reason, second, count);
    const snapshot = (name: string, second: number) =>
      [
        {
          apiVersion: 'snapshot.storage.k8s.io/v1',
          kind: 'VolumeSnapshot',
          metadata: { name, namespace: 'till', uid: name },
          spec: { source: { persistentVolumeClaimName: 'data-ledger-0' } },
          status: { boundVolumeSnapshotContentName: `content-${name}`, readyToUse: true }
        },
        {
          apiVersion: 'snapshot.storage.k8s.io/v1',
          kind: 'VolumeSnapshotContent',
          metadata: { name: `content-${name}` },
          spec: {
            driver: driverName,
            deletionPolicy: 'Delete',
            source: { volumeHandle: 'handle-0' },
            volumeSnapshotRef: { name, namespace: 'till' }
          }
        },
        event('VolumeSnapshot', name, name, 'CreatingSnapshot', second),
        event('VolumeSnapshot', name, name, 'SnapshotReady', second + 33)
      ] as const;
    const facts = strangeFacts(undefined, [
      claim(0, 'Resizing', 0),
      claim(0, 'FileSystemResizeRequired', 41),
      // The file system on the node is another step.
      claim(0, 'FileSystemResizeSuccessful', 60),
      claim(1, 'Resizing', 100),
      claim(1, 'FileSystemResizeSuccessful', 147),
      // Four growths in one event: its stamps span them all.
      claim(2, 'Resizing', 0, 4),
      claim(2, 'FileSystemResizeSuccessful', 5, 4),
      ...snapshot('one', 10),
      ...snapshot('two', 90)
    ] as unknown as ApiObject[]);
    const { why } = assumption('times', facts)!;
    expect(why).toContain(`growing for ${driverName} took 41 to 48 s (2 seen)`);
    expect(why).toContain(`snapshots of ${driverName} took 33 to 34 s (2 seen)`);
    const world = rehearsed({ ...like('document-set/member'), [`grows:${driverName}`]: 'yes' }, facts);
    world.runSettled();
    const fromMs = world.nowMs;
    const one = world.store.get('PersistentVolumeClaim', 'till', 'data-ledger-0')!;
    must(world, asManifest({ ...one, spec: { ...one.spec, resources: { requests: { storage: '60Gi' } } } }));
    world.runUntil(world.nowMs + 120_000);
    const [grown] = stepsOf(world, 'growing', fromMs);
    // The backend's part as it was seen, and then the file system, 2 to 9 s as common practice.
    expect(grown!.ms).toBeGreaterThanOrEqual(41_000 + 2_000);
    expect(grown!.ms).toBeLessThanOrEqual(48_000 + 9_000 + 500);
    expect(grown!.normalMs).toEqual([41_000, 96_000]);
  });

  test('pulls are read where an image was really pulled, and count for what is pulled then', () => {
    const event = (nth: number, reason: string, message: string, second: number, count = 1) => ({
      apiVersion: 'v1',
      kind: 'Event',
      metadata: { name: `ledger-${nth}.${reason}.${second}`, namespace: 'till' },
      involvedObject: { kind: 'Pod', namespace: 'till', name: `ledger-${nth}`, uid: `pod-${nth}` },
      reason,
      message,
      type: 'Normal',
      count,
      firstTimestamp: new Date(takenMs - 600_000 + second * 1_000).toISOString(),
      lastTimestamp: new Date(takenMs - 600_000 + second * 1_000).toISOString()
    });
    const pulled = (nth: number, fromSecond: number, seconds: number, count?: number) => [
      event(nth, 'Pulling', `Pulling image "${image}:4.1"`, fromSecond, count),
      event(
        nth,
        'Pulled',
        `Successfully pulled image "${image}:4.1" in ${seconds}s (${seconds}s including waiting).`,
        fromSecond + seconds,
        count
      )
    ];
    const facts = strangeFacts(undefined, [
      ...pulled(0, 0, 70),
      ...pulled(1, 5, 95),
      // Several in one event; and one that was there already.
      ...pulled(2, 10, 3, 2),
      event(2, 'Pulled', `Container image "${image}:4.1" already present on machine`, 300)
    ] as unknown as ApiObject[]);
    expect(assumption('times', facts)!.why).toContain(`pulls of ${image} took 70 to 96 s (2 seen)`);
    const world = rehearsed(like('document-set/member'), facts);
    world.runSettled();
    const fromMs = world.nowMs;
    const set = world.store.get('StatefulSet', 'till', 'ledger')!;
    const template = JSON.parse(JSON.stringify(set.spec.template).replaceAll(':4.1', ':4.2')) as typeof set.spec.template;
    must(world, asManifest({ ...set, spec: { ...set.spec, template } }));
    world.runUntil(world.nowMs + 60_000);
    expect(rootLine(world.store, ref('Pod', 'till', 'ledger-2'))!.joints.find((one) => one.joint === 'image')).toMatchObject({
      state: 'settling',
      settling: { normalMs: [70_000, 192_000] }
    });
    world.runSettled();
    const [first] = stepsOf(world, 'pulling', fromMs);
    expect(first!.normalMs).toEqual([70_000, 192_000]);
    expect(first!.ms).toBeGreaterThanOrEqual(70_000);
    expect(first!.ms).toBeLessThanOrEqual(96_200);
  });

  test('a start that a restart or a later loss of readiness hides is left out', () => {
    const stale = (i: number) => ({
      containerStatuses: [
        {
          name: 'ledgerd',
          ready: true,
          restartCount: i === 0 ? 1 : 0,
          image: `${image}:4.1`,
          imageID: '',
          state: { running: { startedAt: ['2026-11-20T11:02:20Z', '2026-11-20T10:00:00Z', '2026-11-20T11:04:20Z'][i]! } }
        }
      ]
    });
    expect(assumption('times', strangeFacts(stale))!.why).toContain(`starts of ${image} took 17 to 18 s (1 seen)`);
  });

  test('they count in the rehearsal, with twice the longest as the end of what is normal; set to no, common practice does', () => {
    for (const [own, start, attach] of [
      ['yes', [9_000, 18_000], [19_000, 25_000]],
      ['no', [2_000, 8_000], [2_200, 8_000]]
    ] as const) {
      const world = rehearsed({ ...like('document-set/member'), times: own });
      world.runSettled();
      const fromMs = world.nowMs;
      const set = world.store.get('StatefulSet', 'till', 'ledger')!;
      must(world, asManifest({ ...set, spec: { ...set.spec, replicas: 4 } }));
      world.runSettled();
      expect(world.store.list('Pod', 'till').filter(isReady)).toHaveLength(4);
      const within = (step: string, [least, most]: readonly [number, number], normalMs: readonly number[]) => {
        const [one] = stepsOf(world, step, fromMs);
        // A step is seen a moment after it is over.
        expect(one!.ms, step).toBeGreaterThanOrEqual(least);
        expect(one!.ms, step).toBeLessThanOrEqual(most + 200);
        expect(one!.normalMs, step).toEqual(normalMs);
      };
      within('starting', start, own === 'yes' ? [9_000, 36_000] : [2_000, 20_000]);
      within('attaching', attach, own === 'yes' ? [19_000, 50_000] : [2_000, 15_000]);
      within('provisioning', own === 'yes' ? [5_000, 9_000] : [2_400, 7_500], own === 'yes' ? [5_000, 18_000] : [2_000, 20_000]);
    }
  });
});

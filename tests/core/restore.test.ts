import { describe, expect, test } from 'vitest';
import { removalSheet, restoreSheet } from '$core/change';
import { isReady, type ApiObject, type Asset, type Kind, type KindMap } from '$core/model';
import { prove, workloadNamed } from '$core/proofs';
import { claimAssetOf, mendedSouth, must, objects, ref, settle } from './help';
import { World } from '$core/standin';
import { answered, roomy } from './roomy';

const claim = 'data-bookings-1';
const ask = { namespace: 'tickets', claim, snapshot: 'before' };
const snapshotYaml = `apiVersion: snapshot.storage.k8s.io/v1
kind: VolumeSnapshotClass
metadata: {name: s, annotations: {snapshot.storage.kubernetes.io/is-default-class: "true"}}
driver: block.standin.example
deletionPolicy: Delete
---
apiVersion: snapshot.storage.k8s.io/v1
kind: VolumeSnapshot
metadata: {name: before, namespace: tickets}
spec: {source: {persistentVolumeClaimName: ${claim}}}
`;

/** bookings running, a snapshot of one member's claim, and that claim damaged since. */
function damaged(): World {
  const world = mendedSouth();
  settle(world, snapshotYaml);
  must(world, { type: 'damage', namespace: 'tickets', claim });
  return world;
}
const asset = (world: World): Asset => claimAssetOf(world, 'tickets', claim)!;
const dataProof = (world: World) =>
  prove({
    facts: world.store,
    set: world.store.get('StatefulSet', 'tickets', 'bookings')!,
    changes: world.journal.changes,
    fork: () => world
  }).find((one) => one.id === 'data')!;

describe('a restore in place', () => {
  test('the member stops, its claim is swapped before anybody makes an empty one, and it starts on what the snapshot held', () => {
    const world = damaged();
    const proof = dataProof(world);
    expect(proof.says).toBe('2 of 3 stores read back as written; damaged: bookings-1');
    expect(proof.checks.flatMap((one) => one.claim ?? [])).toEqual([`tickets/${claim}`]);
    const old = asset(world);
    const sheet = restoreSheet(world.store, ask);
    expect(sheet.restarted.map((one) => one.ref.name)).toEqual(['bookings-1']);
    expect(sheet.untouched.map((one) => one.ref.name).sort()).toEqual(['bookings-0', 'bookings-2']);
    expect(sheet.lost[0]!.says).toContain('with all data in it');
    const others = ['bookings-0', 'bookings-2'].map((name) => world.store.get('Pod', 'tickets', name)!.metadata.uid);
    must(world, { type: 'restore', ...ask });
    world.runSettled();
    expect(asset(world).metadata.name).not.toBe(old.metadata.name);
    expect(world.store.get('PersistentVolumeClaim', 'tickets', claim)!.spec.dataSource).toMatchObject({
      kind: 'VolumeSnapshot',
      name: 'before'
    });
    expect(['bookings-0', 'bookings-2'].map((name) => world.store.get('Pod', 'tickets', name)!.metadata.uid)).toEqual(others);
    expect(isReady(world.store.get('Pod', 'tickets', 'bookings-1'))).toBe(true);
    expect(world.store.list('Restoring')).toEqual([]);
    expect(dataProof(world).state).toBe('holds');
    // The old volume went, as its policy says.
    expect(world.store.get('Asset', '', old.metadata.name)).toBeUndefined();
  });

  test('what is damaged stays damaged, whatever is written after', () => {
    const world = damaged();
    must(world, {
      type: 'ask',
      namespace: 'tickets',
      id: 'w',
      ask: { workload: 'bookings', way: 'inside', login: 'right', op: { do: 'write', key: 'k', value: 'v' } }
    });
    world.runUntil(world.nowMs + 60_000);
    expect(world.store.get('Ask', 'tickets', 'w')!.status!.outcome).toBe('acknowledged');
    expect(dataProof(world).says).toContain('damaged: bookings-1');
  });

  test('a deployment is stopped for one restore at a time, and comes back whatever becomes of the claim', () => {
    const yaml = ['one', 'two']
      .map(
        (name) =>
          `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${name}, namespace: tickets}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 2Gi}}}\n---\napiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: of-${name}, namespace: tickets}\nspec: {source: {persistentVolumeClaimName: ${name}}}\n---\n`
      )
      .join('');
    const deployment = `apiVersion: apps/v1
kind: Deployment
metadata: {name: desk, namespace: tickets}
spec:
  replicas: 1
  strategy: {type: Recreate}
  selector: {matchLabels: {app: desk}}
  template:
    metadata: {labels: {app: desk}}
    spec:
      containers: [{name: desk, image: shelf.standin.example/engines/chart-files:r1, volumeMounts: [{name: a, mountPath: /a}, {name: b, mountPath: /b}]}]
      volumes: [{name: a, persistentVolumeClaim: {claimName: one}}, {name: b, persistentVolumeClaim: {claimName: two}}]
`;
    const world = mendedSouth();
    settle(world, snapshotYaml.split('---')[0]!);
    settle(world, yaml + deployment);
    const first = { namespace: 'tickets', claim: 'one', snapshot: 'of-one' };
    const second = { namespace: 'tickets', claim: 'two', snapshot: 'of-two' };
    const ready = () => world.store.list('Pod', 'tickets').filter((one) => one.metadata.labels?.app === 'desk' && isReady(one)).length;
    expect(ready()).toBe(1);
    must(world, { type: 'restore', ...first });
    expect(world.act({ type: 'restore', ...second })[0]?.message).toBe(
      'The Deployment desk, which uses two, is stopped for another restore.'
    );
    world.runSettled();
    expect(ready()).toBe(1);
    must(world, { type: 'restore', ...second });
    world.runSettled();
    expect(ready()).toBe(1);
    // Somebody makes an empty claim of the name in the moment that it is gone.
    const third = World.restore(world.seed, world.save());
    must(third, { type: 'restore', ...first });
    while (third.store.get('PersistentVolumeClaim', 'tickets', 'one')) third.runUntil(third.nextMs!);
    must(third, { type: 'send', objects: objects(yaml.split('---')[0]!) });
    third.runSettled();
    expect(third.store.get('PersistentVolumeClaim', 'tickets', 'one')!.spec.dataSource).toBeUndefined();
    expect(third.store.get('Deployment', 'tickets', 'desk')!.spec.replicas).toBe(1);
    expect(world.store.list('Restoring')).toEqual([]);
    for (const name of ['one', 'two'])
      expect(world.store.get('PersistentVolumeClaim', 'tickets', name)!.spec.dataSource!.name).toBe(`of-${name}`);
  });

  test('is refused with the reason: no such claim, no such snapshot, one that is not ready', () => {
    const world = mendedSouth();
    const refusal = (change: object) => world.act({ type: 'restore', ...ask, ...change })[0]?.message;
    expect(refusal({ claim: 'nobody' })).toBe('There is no claim tickets/nobody.');
    expect(refusal({})).toBe('There is no snapshot tickets/before.');
    must(world, { type: 'send', objects: [] });
  });
});

describe('a workload is taken away with what stands with it', () => {
  test('services, secrets, config and accounts go unless others need them; claims stay unless asked for, and say what they hold', () => {
    const world = mendedSouth();
    const sheet = removalSheet(world.store, ref('StatefulSet', 'tickets', 'bookings'));
    const of = (goes: boolean) => sheet.with.filter((one) => one.goes === goes).map((one) => `${one.ref.kind} ${one.ref.name}`);
    expect(of(true).sort()).toEqual([
      'ConfigMap bookings-config',
      'Secret bookings-access',
      'Service bookings',
      'Service bookings-sql',
      'ServiceAccount bookings'
    ]);
    expect(of(false)).toEqual([0, 1, 2].map((i) => `PersistentVolumeClaim data-bookings-${i}`).concat('Namespace tickets'));
    expect(
      sheet.with
        .filter((one) => one.ref.kind === 'PersistentVolumeClaim')
        .every((one) => one.lost.length === 1 && one.says.includes('40 GiB'))
    ).toBe(true);
    // Another set that reads the same secret keeps it.
    const set = world.store.get('StatefulSet', 'tickets', 'bookings')!;
    world.put({
      ...set,
      metadata: { ...set.metadata, name: 'other' },
      spec: {
        ...set.spec,
        replicas: 0,
        selector: { matchLabels: { app: 'other' } },
        template: { ...set.spec.template, metadata: { labels: { app: 'other' } } }
      }
    });
    const shared = removalSheet(world.store, ref('StatefulSet', 'tickets', 'bookings')).with;
    expect(shared.find((one) => one.ref.kind === 'Secret')).toMatchObject({ goes: false, says: 'others read it too' });
    expect(shared.some((one) => one.ref.kind === 'Namespace')).toBe(false);
  });

  test('everything that was ticked is gone in the end, claims and volumes too', () => {
    const world = mendedSouth();
    const { with: all } = removalSheet(world.store, ref('StatefulSet', 'tickets', 'bookings'));
    must(world, {
      type: 'remove',
      ref: ref('StatefulSet', 'tickets', 'bookings'),
      more: all.filter((one) => !one.takesAll).map((one) => one.ref)
    });
    world.runSettled();
    for (const { ref: one } of all.filter((two) => !two.takesAll)) expect(world.store.find(one), one.name).toBeUndefined();
    expect(world.store.list('Pod', 'tickets')).toEqual([]);
    expect(world.store.list('PersistentVolume')).toEqual([]);
    expect(workloadNamed(world.store, 'tickets', 'bookings')).toBeUndefined();
  });

  test('a class says who leans on it', () => {
    const world = mendedSouth();
    const says = removalSheet(world.store, ref('StorageClass', '', 'steady-block')).stays.map((one) => `${one.ref.name}: ${one.says}`);
    expect(says).toContain('data-bookings-0: stays bound, with its data; it can grow no more');
    expect(says.join('\n')).toContain('bookings: runs on; new members of it will wait for a volume for ever');
  });
});

describe('what would keep it from coming back is said before the old claim goes', () => {
  const kept =
    'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: kept}\nprovisioner: block.standin.example\nvolumeBindingMode: WaitForFirstConsumer\nreclaimPolicy: Retain\n';
  const starts = new Map<string, { seed: number; saved: ReturnType<World['save']> }>();
  /** bookings on volumes of a class, with a snapshot of one of them. */
  function start(className: string): World {
    let known = starts.get(className);
    if (!known) {
      const world = roomy();
      must(world, { type: 'send', objects: [...objects(kept), ...answered('multi-primary-sql', { class: className, size: '20Gi' })] });
      world.runSettled();
      settle(world, snapshotYaml);
      starts.set(className, (known = { seed: world.seed, saved: world.save() }));
    }
    return World.restore(known.seed, structuredClone(known.saved));
  }
  const alter =
    <K extends Kind>(kind: K, name: string, change: (one: KindMap[K]) => object) =>
    (world: World) => {
      const one = (world.store.list(kind) as KindMap[K][]).find(({ metadata }) => metadata.name === name)!;
      world.put({ ...one, ...change(one) } as ApiObject);
      world.runUntil(world.nowMs + 60_000);
    };
  const handedOut = (world: World) => world.store.usedOf('work-volumes');
  const sends = (yaml: string) => (world: World) => must(world, { type: 'send', objects: objects(yaml) });
  const cases: readonly [string, string, (world: World) => void, RegExp | undefined][] = [
    ['nothing is in its way', 'steady-block', () => {}, undefined],
    [
      'the quota of volumes is used up, and what the old one had is free again',
      'steady-block',
      (world) => alter('Backend', 'work-volumes', ({ spec }) => ({ spec: { ...spec, quotaVolumes: 3 } }))(world),
      undefined
    ],
    [
      'the quota of volumes is used up, and the old one stays',
      'kept',
      (world) => alter('Backend', 'work-volumes', ({ spec }) => ({ spec: { ...spec, quotaVolumes: 3 } }))(world),
      /^The quota of 3 volumes of work-volumes is used up$/
    ],
    [
      'no zone has room, and the old one stays',
      'kept',
      (world) => {
        const used = handedOut(world);
        alter('Backend', 'work-volumes', ({ spec }) => ({
          spec: { ...spec, zones: spec.zones.map((one) => ({ ...one, capacity: String((used.get(one.name)?.sizeBytes ?? 0) + 2 ** 30) })) }
        }))(world);
      },
      /^work-volumes has 1 GiB free in zone [abc]$/
    ],
    [
      'its class has gone',
      'steady-block',
      (world) => must(world, { type: 'remove', ref: ref('StorageClass', '', 'steady-block') }),
      /^there is no class steady-block$/
    ],
    [
      'its driver is stopped',
      'steady-block',
      alter('Deployment', 'block-controller', ({ spec }) => ({ spec: { ...spec, replicas: 0 } })),
      /^block\.standin\.example doesn't answer/
    ],
    [
      'its driver may make no volumes any more',
      'steady-block',
      alter('Identity', 'volume-keeper', ({ spec }) => ({ spec: { ...spec, rights: ['attach'] } })),
      /create/
    ],
    [
      'its class is another driver’s by now',
      'kept',
      alter('StorageClass', 'kept', () => ({ provisioner: 'files.standin.example' })),
      /^before belongs to block\.standin\.example/
    ],
    [
      'its namespace lets no pod in any more',
      'steady-block',
      sends('apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: q, namespace: tickets}\nspec: {hard: {pods: "1"}}\n'),
      /^bookings-1 can't be made anew: the quota q is exceeded/
    ]
  ];
  test.each(cases)('%s (%s)', (_what, className, change, stall) => {
    const world = start(className);
    change(world);
    const { stalls } = restoreSheet(world.store, ask);
    expect(stalls).toEqual(stall ? [expect.stringMatching(stall)] : []);
    must(world, { type: 'restore', ...ask });
    world.runUntil(world.nowMs + 900_000);
    expect(isReady(world.store.get('Pod', 'tickets', 'bookings-1'))).toBe(!stall);
  });
});

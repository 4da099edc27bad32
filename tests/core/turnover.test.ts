import { describe, expect, test } from 'vitest';
import { changeSheet, removalSheet, type ChangeSheet } from '$core/change';
import { asManifest } from '$core/manifest';
import { keyOf, kindEntries, refOf, type ApiObject, type Kind, type Pod } from '$core/model';
import { hash32 } from '$core/shared';
import { Store, World } from '$core/standin';
import { asLeft, must, objects, readySouth, remove, send } from './help';
import { exported } from './exported';
import { kept } from './kept';
import { answered, roomy } from './roomy';

/*
 * What a change sheet says of members that start anew, or end, is held against what the stand-in does when the same is sent: the loops of
 * the stand-in were written from the cluster API's pages, the sheet has to foresee them.
 */
const maker = (kind: string, spec: string, image: number | string, more = ', volumes: [{name: s, emptyDir: {}}]'): string => {
  const service = kind === 'StatefulSet' ? 'serviceName: a, ' : '';
  return `apiVersion: apps/v1\nkind: ${kind}\nmetadata: {name: a, namespace: default}\nspec: {${service}${spec}selector: {matchLabels: {app: a}}, template: {metadata: {labels: {app: a}}, spec: {containers: [{name: main, image: "shelf.standin.example/tools/t:${image}"}]${more}}}}\n`;
};
const living = (world: World): Pod[] => world.store.list('Pod').filter((pod) => !pod.metadata.deletionTimestamp);
/** Names of pods in a text of a sheet, in order. */
const namedIn = (lines: readonly { says: string }[], pods: readonly Pod[]): string[] =>
  pods.map((pod) => pod.metadata.name).filter((name) => lines.some(({ says }) => says.match(/[\w-]+/g)?.includes(name)));
/** Sends, settles, and gives the sheet with the pods that have gone. */
function sent(world: World, list: ApiObject[]): { sheet: ChangeSheet; before: Pod[]; gone: Pod[] } {
  const sheet = changeSheet(world.store, list);
  const before = living(world);
  must(world, { type: 'send', objects: list });
  world.runSettled();
  const uids = new Set(world.store.list('Pod').map((pod) => pod.metadata.uid));
  return { sheet, before, gone: before.filter((pod) => !uids.has(pod.metadata.uid)) };
}
/** The same cluster as an export tells of it. */
const still = (world: World): Store => exported(world.store);

const strategies: Record<string, readonly string[]> = {
  StatefulSet: [
    '',
    'updateStrategy: {type: OnDelete}, ',
    'updateStrategy: {rollingUpdate: {partition: 1}}, ',
    'updateStrategy: {rollingUpdate: {partition: 2}}, ',
    'podManagementPolicy: Parallel, '
  ],
  Deployment: ['', 'paused: true, ', 'strategy: {type: Recreate}, ', 'strategy: {rollingUpdate: {maxSurge: 0, maxUnavailable: 2}}, '],
  DaemonSet: ['', 'updateStrategy: {type: OnDelete}, ', 'updateStrategy: {rollingUpdate: {maxSurge: 2, maxUnavailable: 0}}, ']
};

describe('members that a change starts anew, or ends, are those that the sheet names', () => {
  test.each(Object.keys(strategies))('%s, through drawn changes', (kind) => {
    const world = readySouth();
    const draw = (step: number, what: string, n: number) => hash32(`${kind}|${step}|${what}`) % n;
    // Some fields of a set can't change after all: how its members are managed.
    const fixed = kind === 'StatefulSet' ? strategies[kind]!.slice(0, 4) : strategies[kind]!;
    const seen = { restarted: 0, later: 0, none: 0, fewer: 0 };
    let size = 3;
    for (let step = 0; step < 11; step += 1) {
      const less = kind !== 'DaemonSet' && step > 0 && draw(step, 'size', 3) === 0;
      const next = less ? 2 + draw(step, 'to', 3) : size;
      const replicas = kind === 'DaemonSet' ? '' : `replicas: ${next}, `;
      const { sheet, before, gone } = sent(
        world,
        objects(maker(kind, `${replicas}${fixed[draw(step, 'strategy', fixed.length)]}`, draw(step, 'image', 3)))
      );
      const told = namedIn(sheet.restarted, before);
      const fewer = Math.max(0, size - next);
      const which = `step ${step}: ${JSON.stringify(sheet.restarted)}, gone ${gone.map((one) => one.metadata.name).join(', ')}`;
      // Which pod of a deployment goes when there are fewer of them isn't known before, but one that starts anew anyway may be it.
      if (fewer && !told.length) expect(gone.length, which).toBe(fewer);
      else if (kind === 'StatefulSet' && fewer) expect(gone.length, which).toBe(told.length + fewer);
      else expect(gone.map((one) => one.metadata.name).toSorted(), which).toEqual(told.toSorted());
      expect(sheet.lost.length > 0, which).toBe(gone.length > 0);
      seen[sheet.restarted.length ? 'restarted' : fewer ? 'fewer' : sheet.later.length ? 'later' : 'none'] += 1;
      size = next;
    }
    expect(seen.restarted, JSON.stringify(seen)).toBeGreaterThan(2);
    expect(seen.later, JSON.stringify(seen)).toBeGreaterThan(0);
  });

  test('a partition that goes down and a pause that ends start anew what waited for it, in an export too; before that the sheet says what waits', () => {
    const world = readySouth();
    const set = (image: number, strategy: string) => objects(maker('StatefulSet', `replicas: 3, ${strategy}`, image));
    sent(world, set(1, ''));
    const held = sent(world, set(2, 'updateStrategy: {rollingUpdate: {partition: 3}}, '));
    expect([held.sheet.restarted, held.sheet.lost]).toEqual([[], []]);
    expect(held.sheet.later.map((one) => one.says)).toEqual([
      'a-2, a-1, a-0 keep the old template until the partition goes down, which is 3'
    ]);
    const down = set(2, 'updateStrategy: {rollingUpdate: {partition: 1}}, ');
    const says = ['a-2, a-1; one after the other, each after the one before is ready'];
    for (const facts of [world.store, still(world)]) {
      const sheet = changeSheet(facts, down);
      expect(sheet.restarted.map((one) => one.says)).toEqual(says);
      expect(sheet.lost.map((one) => one.says)).toEqual(['what lies in the ephemeral directory s of a-2, a-1']);
    }
    sent(world, down);
    // Back to the template before: whoever kept it has nothing to start anew for.
    expect(changeSheet(world.store, set(1, '')).restarted[0]!.says).toMatch(/^a-2, a-1;/);
    expect(changeSheet(still(world), set(1, '')).restarted[0]!.says).toMatch(/^a-2, a-1;/);

    const web = (image: number, more: string) => objects(maker('Deployment', `replicas: 3, ${more}`, image).replaceAll('a,', 'w,'));
    sent(world, web(1, ''));
    const paused = sent(world, web(2, 'paused: true, '));
    expect([paused.sheet.restarted, paused.gone.length]).toEqual([[], 0]);
    expect(paused.sheet.later[0]!.says).toMatch(/keep the old template until its rollout goes on \(paused\)$/);
    for (const facts of [world.store, still(world)]) expect(changeSheet(facts, web(2, '')).restarted).toHaveLength(1);
    // An export without what tells of revisions: it is not said that nobody starts anew.
    const bare = new Store(false);
    bare.place(undefined, world.store.get('Namespace', '', 'default')!);
    for (const one of [...world.store.list('Deployment', 'default'), ...world.store.list('Pod', 'default')]) {
      const { ownerReferences } = one.metadata;
      const owned =
        one.kind === 'Pod' ? [{ ...ownerReferences![0]!, uid: world.store.list('Deployment', 'default')[0]!.metadata.uid! }] : [];
      bare.place(undefined, { ...one, metadata: { ...one.metadata, ownerReferences: owned } });
    }
    expect(changeSheet(bare, web(2, '')).restarted[0]!.says).toMatch(/^whether .* start anew is unseen/);
  });

  test('how many at a time follows the strategy; a one-node claim is only waited for where the new one comes first', () => {
    const world = readySouth();
    const web = (image: number, more: string) => objects(maker('Deployment', `replicas: 8, ${more}`, image, ''));
    sent(world, web(1, ''));
    const how = (more: string) => changeSheet(world.store, web(2, more)).restarted[0]!.says.split('; ')[1];
    expect(how('')).toBe('up to 2 more than 8 beside each other, at least 6 ready all the while');
    expect(how('strategy: {rollingUpdate: {maxSurge: 1, maxUnavailable: 0}}, ')).toBe(
      'one after the other, each after the one before is ready'
    );
    expect(how('strategy: {type: Recreate}, ')).toBe('all at once: the old ones end before new ones start');
    const daemon = (image: number, more: string) =>
      objects(maker('DaemonSet', more, image, '').replaceAll('a,', 'd,').replaceAll('a}', 'd}'));
    sent(world, daemon(1, ''));
    const each = (more: string) => changeSheet(world.store, daemon(2, more)).restarted[0]!.says.split('; ')[1];
    expect(each('')).toBe('one after the other, each after the one before is ready');
    expect(each('updateStrategy: {rollingUpdate: {maxUnavailable: 2}}, ')).toBe('up to 2 at a time');
    expect(each('updateStrategy: {rollingUpdate: {maxSurge: 1, maxUnavailable: 0}}, ')).toBe(
      'on 1 node at a time, each old one after the new one beside it is ready'
    );
  });
});

describe('what else ends members', () => {
  test('a taint that sends away, at once or after a while; one that only keeps off leaves all where they are, of daemon sets too', () => {
    const world = readySouth();
    const tolerating =
      ', tolerations: [{key: works, operator: Exists, effect: NoExecute, tolerationSeconds: 30}], volumes: [{name: s, emptyDir: {}}]';
    sent(world, objects(maker('Deployment', 'replicas: 8, ', 1, tolerating)));
    sent(world, objects(maker('DaemonSet', '', 1, '').replaceAll('a,', 'd,').replaceAll('a}', 'd}')));
    const node = living(world).find((pod) => pod.metadata.name.startsWith('a-'))!.spec.nodeName!;
    const tainted = (effect: string) => {
      const one = structuredClone(world.store.get('Node', '', node)!);
      return [asManifest({ ...one, spec: { ...one.spec, taints: [{ key: 'works', value: 'now', effect }] } } as never)];
    };
    const kept = sent(world, tainted('NoSchedule'));
    expect([kept.sheet.restarted, kept.gone]).toEqual([[], []]);
    const { sheet, before, gone } = sent(world, tainted('NoExecute'));
    expect(namedIn(sheet.restarted, before).toSorted()).toEqual(gone.map((one) => one.metadata.name).toSorted());
    expect(sheet.restarted.map((one) => one.says.replace(/^.* (is|are) /, ''))).toEqual(['sent away at once', 'sent away after 30 s']);
    expect(sheet.lost).toHaveLength(1);
  });

  test('a job that is suspended, or may run fewer side by side, ends those that it says', () => {
    const world = readySouth();
    const job = (more: string) =>
      objects(
        `apiVersion: batch/v1\nkind: Job\nmetadata: {name: j, namespace: default}\nspec: {completions: 4, ${more}, template: {metadata: {annotations: {standin.example/works-seconds: "3000"}}, spec: {restartPolicy: Never, containers: [{name: main, image: "shelf.standin.example/tools/t:1"}], volumes: [{name: s, emptyDir: {}}]}}}\n`
      );
    must(world, { type: 'send', objects: job('parallelism: 4') });
    world.runUntil(world.nowMs + 30_000);
    for (const [more, count] of [
      ['parallelism: 3', 1],
      ['parallelism: 3, suspend: true', 3]
    ] as const) {
      const sheet = changeSheet(world.store, job(more));
      const before = living(world).filter((pod) => pod.metadata.name.startsWith('j-'));
      must(world, { type: 'send', objects: job(more) });
      world.runUntil(world.nowMs + 40_000);
      const left = new Set(living(world).map((pod) => pod.metadata.name));
      const gone = before.map((pod) => pod.metadata.name).filter((name) => !left.has(name));
      expect(gone).toHaveLength(count);
      expect(namedIn(sheet.restarted, before)).toEqual(gone);
      expect(sheet.lost).toHaveLength(1);
    }
  });
});

describe('what goes with something that is taken away is what its sheet named', () => {
  /** What people or loops have made, but for what comes and goes by itself, by kind and name. */
  const quiet = new Set<Kind>(['Event', 'EndpointSlice', 'Process', 'Ask', 'VolumeAttachment', 'ReplicaSet', 'ControllerRevision']);
  const standing = (world: World): Map<string, ApiObject> =>
    new Map(
      kindEntries
        .filter((one) => !quiet.has(one.kind))
        .flatMap((one) => world.store.list(one.kind) as ApiObject[])
        .map((one) => [`${keyOf(refOf(one))} ${one.metadata.uid}`, one])
    );
  function taken(world: World, object: ApiObject) {
    const sheet = removalSheet(world.store, refOf(object));
    const before = standing(world);
    remove(world, refOf(object));
    world.runSettled();
    const after = standing(world);
    const gone = [...before].filter(([key]) => !after.has(key)).map(([, one]) => keyOf(refOf(one)));
    return { sheet, gone: gone.toSorted(), told: sheet.goes.map((one) => keyOf(one.ref)).toSorted() };
  }
  const quay = asLeft('north-quay');

  test('one of each kind that stands, whoever made it; what ends only once its node is heard of again says so', () => {
    const world = roomy();
    for (const [id, more] of [
      ['object-store', {}],
      ['memory-store', { operator: 'all', cpu: '2', size: '4Gi', limit: '1Gi' }],
      ['document-set', { by: 'operator' }]
    ] as const)
      must(world, { type: 'send', objects: answered(id, more) });
    send(world, maker('Deployment', 'replicas: 7, ', 1));
    world.runSettled();
    send(world, 'apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: dark}\nspec: {dark: [w-a-1]}\n');
    world.runUntil(world.nowMs + 60_000);
    const saved = world.save();
    const each = new Map<string, ApiObject>();
    for (const { kind, derived } of kindEntries)
      if (!derived || kind === 'Pod')
        for (const one of world.store.list(kind) as ApiObject[])
          each.set(
            `${kind} ${one.metadata.ownerReferences?.[0]?.kind} ${kind === 'Pod' ? (one as Pod).spec.nodeName === 'w-a-1' : ''}`,
            one
          );
    let seen = 0;
    for (const one of each.values()) {
      const fork = World.restore(world.seed, structuredClone(saved));
      const sheet = removalSheet(fork.store, refOf(one));
      // A fault is no object of the cluster's: what it held up goes on.
      if (sheet.refusal || one.kind === 'Outage') continue;
      seen += 1;
      const before = standing(fork);
      must(fork, { type: 'remove', ref: refOf(one) });
      fork.runUntil(fork.nowMs + 200_000);
      const after = standing(fork);
      const gone = [...before].flatMap(([key, two]) => (after.has(key) ? [] : [keyOf(refOf(two))]));
      const now = sheet.goes
        .filter(({ says }) => !/once its node w-a-1|when nobody uses it|has gone$/.test(says))
        .map((line) => keyOf(line.ref));
      const shown = gone.filter((key) => !/^(PersistentVolume |Asset |StatefulSet)/.test(key)).toSorted();
      const waits = one.kind === 'Namespace' && sheet.goes.some((line) => line.ref.kind === 'Pod' && fork.store.find(line.ref));
      if (!waits)
        expect(shown, keyOf(refOf(one))).toEqual(
          now.filter((key) => !/^(PersistentVolume |StatefulSet)/.test(key) && !quiet.has(key.split(' ')[0] as Kind)).toSorted()
        );
      if (gone.some((key) => key.startsWith('Asset '))) expect(sheet.lost, keyOf(refOf(one))).not.toEqual([]);
    }
    expect(seen).toBeGreaterThan(30);
  });

  test('a node: all that runs on it, and what lies in its pods', () => {
    const world = asLeft('north-quay');
    const node = world.store.get('Pod', 'events', 'boarding-0')!.spec.nodeName!;
    send(world, maker('Deployment', 'replicas: 8, ', 1).replaceAll('a,', 'w,'));
    world.runSettled();
    const { sheet, gone, told } = taken(world, world.store.get('Node', '', node)!);
    expect(gone).toEqual(told);
    expect(told).toContain('Pod events/boarding-0');
    expect(sheet.lost.map((one) => one.says)).toEqual([expect.stringMatching(/^what lies in the ephemeral directory s of w-/)]);
    expect(sheet.goes.find((one) => one.ref.name === 'boarding-0')!.says).toBe(
      'ends with its node; StatefulSet boarding makes it anew under the same name'
    );
  });

  test('a snapshot takes along what the backend keeps of it; what stands for that alone does not', () => {
    const [snapshot] = quay.store.list('VolumeSnapshot');
    const content = quay.store.get('VolumeSnapshotContent', '', snapshot!.status!.boundVolumeSnapshotContentName!)!;
    const asset = quay.store.get('Asset', '', content.status!.snapshotHandle!)!;
    const first = taken(asLeft('north-quay'), snapshot!);
    expect(first.sheet.lost).toEqual([
      expect.objectContaining({ says: expect.stringMatching(/\(policy Delete\): nobody can go back to it$/) })
    ]);
    expect(first.gone).toEqual([...first.told, keyOf(refOf(asset))].toSorted());
    const second = taken(asLeft('north-quay'), content);
    expect([second.gone, second.sheet.lost]).toEqual([[keyOf(refOf(content))], []]);
    expect(second.sheet.stays.map((one) => one.ref.kind)).toEqual(['VolumeSnapshot', 'Asset']);
    // Where the policy keeps it nothing is lost.
    const kept = asLeft('north-quay');
    kept.put({ ...content, spec: { ...content.spec, deletionPolicy: 'Retain' } });
    const third = taken(kept, snapshot!);
    expect([third.gone, third.sheet.lost]).toEqual([[keyOf(refOf(snapshot!))], []]);
    expect(third.sheet.stays[0]!.says).toMatch(/policy Retain/);
  });

  test('a definition: all objects of its kind, with what each of them takes along', () => {
    const world = roomy();
    must(world, {
      type: 'send',
      objects: answered('memory-store', { operator: 'all', takes: 'claims', cpu: '2', size: '4Gi', limit: '1Gi' })
    });
    world.runSettled();
    const definition = world.store.list('CustomResourceDefinition').find((one) => one.spec.names.kind === 'MemoryCluster')!;
    const { sheet, gone, told } = taken(world, definition);
    expect(gone.filter((one) => !/^(PersistentVolume |Asset)/.test(one))).toEqual(told);
    expect(told).toEqual(expect.arrayContaining(['MemoryCluster pricing/fares', 'StatefulSet pricing/fares', 'Pod pricing/fares-0']));
    expect(sheet.lost).toHaveLength(3);
  });

  test('claims that pods have for themselves alone go with them, with what lies in them; so do jobs with what runs them by the clock', () => {
    const world = readySouth();
    const own =
      ', volumes: [{name: own, ephemeral: {volumeClaimTemplate: {spec: {accessModes: [ReadWriteOnce], storageClassName: passing, resources: {requests: {storage: 1Gi}}}}}}]';
    send(
      world,
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: passing}\nprovisioner: block.standin.example\nreclaimPolicy: Delete\n'
    );
    send(world, maker('StatefulSet', 'replicas: 2, ', 1, own));
    send(world, maker('Deployment', 'replicas: 3, ', 1, own).replaceAll('a,', 'w,'));
    world.runSettled();
    const lost = (list: ApiObject[]) => changeSheet(world.store, list).lost.map((one) => one.says.replace(/blk-\w+/, 'x'));
    const volume = 'the volume x with all data in it (1Gi, policy Delete)';
    expect(lost(objects(maker('StatefulSet', 'replicas: 2, ', 2, own)))).toEqual([volume, volume]);
    expect(lost(objects(maker('StatefulSet', 'replicas: 1, ', 1, own)))).toEqual([volume]);
    expect(lost(objects(maker('Deployment', 'replicas: 2, ', 1, own).replaceAll('a,', 'w,')))[0]).toMatch(
      /^what lies in the ephemeral volume own of 1 of w-/
    );
    const volumes = (list: readonly string[]) => list.filter((one) => !/^(PersistentVolume |Asset)/.test(one));
    const pod = taken(world, world.store.get('Pod', 'default', 'a-1')!);
    expect([volumes(pod.gone), pod.sheet.lost.length, pod.sheet.stays]).toEqual([pod.told, 1, []]);
    expect(pod.told).toEqual(['PersistentVolumeClaim default/a-1-own', 'Pod default/a-1']);
    for (const kind of ['Deployment', 'StatefulSet'] as const) {
      const { sheet, gone, told } = taken(world, world.store.get(kind, 'default', kind === 'Deployment' ? 'w' : 'a')!);
      expect(volumes(gone).filter((one) => one !== 'StatefulSet default/a')).toEqual(told);
      expect(sheet.lost).toHaveLength(kind === 'Deployment' ? 3 : 2);
    }
    send(
      world,
      `apiVersion: batch/v1\nkind: CronJob\nmetadata: {name: c, namespace: default}\nspec: {schedule: "* * * * *", jobTemplate: {spec: {template: {metadata: {annotations: {standin.example/works-seconds: "3000"}}, spec: {restartPolicy: Never, containers: [{name: main, image: "shelf.standin.example/tools/t:1"}]${own}}}}}}\n`
    );
    world.runUntil(world.nowMs + 100_000);
    const clock = taken(world, world.store.get('CronJob', 'default', 'c')!);
    expect(clock.told.map((one) => one.split(' ')[0])).toEqual(expect.arrayContaining(['CronJob', 'Job', 'Pod', 'PersistentVolumeClaim']));
    expect(volumes(clock.gone)).toEqual(clock.told);
    expect(clock.sheet.lost.length).toBeGreaterThan(0);
  });

  test('of a definition whose objects an export holds and nobody here can read, what goes with them is unseen', () => {
    const definition = {
      apiVersion: 'apiextensions.k8s.io/v1',
      kind: 'CustomResourceDefinition',
      metadata: { name: 'kites.sky.example' },
      spec: { group: 'sky.example', scope: 'Namespaced', names: { kind: 'Kite', plural: 'kites' }, versions: [] }
    };
    const kite = { apiVersion: 'sky.example/v1', kind: 'Kite', metadata: { name: 'k', namespace: 'default' } };
    const lost = (docs: object[]) =>
      removalSheet(kept(docs), { kind: 'CustomResourceDefinition', namespace: '', name: 'kites.sky.example' }).lost.map((one) => one.says);
    expect(lost([definition])).toEqual([]);
    expect(lost([definition, kite])).toEqual(['what goes with 1 object of the kind Kite: that is unseen']);
  });

  test('a namespace loses what lies in the pods of all who make some, and in those that nobody makes', () => {
    const world = readySouth();
    send(world, maker('Deployment', 'replicas: 1, ', 1));
    send(
      world,
      'apiVersion: v1\nkind: Pod\nmetadata: {name: bare, namespace: default}\nspec: {containers: [{name: m, image: "shelf.standin.example/tools/t:1"}], volumes: [{name: s, emptyDir: {}}]}\n'
    );
    world.runSettled();
    const { lost } = removalSheet(world.store, { kind: 'Namespace', namespace: '', name: 'default' });
    expect(lost.map((one) => `${one.ref.kind} ${one.ref.name}`).toSorted()).toEqual(['Deployment a', 'Pod bare']);
  });
});

test('a key that something was sealed with: its secret taken away, or the key written over, loses what nobody opens without it', () => {
  const world = readySouth();
  const secret = (store: string, more = '') =>
    `apiVersion: v1\nkind: Secret\nmetadata: {name: keys, namespace: default}\nstringData: {store: ${store}, other: o${more}}\n`;
  send(
    world,
    `${secret('first')}---\n${maker('Deployment', 'replicas: 1, ', 1, '')}`.replace(
      '"shelf.standin.example/tools/t:1"',
      '"shelf.standin.example/tools/t:1", env: [{name: STORE_KEY, valueFrom: {secretKeyRef: {name: keys, key: store}}}, {name: OTHER, valueFrom: {secretKeyRef: {name: keys, key: other}}}]'
    )
  );
  world.runSettled();
  const lost = (yaml: string) => changeSheet(world.store, objects(yaml)).lost.map((one) => one.says);
  expect(lost(secret('first', ', more: m'))).toEqual([]);
  expect(lost(secret('second'))).toEqual([
    expect.stringMatching(/^store as it was: nobody opens what a has sealed with it with the new one/)
  ]);
  const sheet = removalSheet(world.store, { kind: 'Secret', namespace: 'default', name: 'keys' });
  expect(sheet.lost.map((one) => one.says)).toEqual([expect.stringMatching(/^store: nobody opens what a has sealed with it without it/)]);
  expect(sheet.stays.map((one) => `${one.ref.name} ${one.says}`)).toEqual(['a runs on; members of it that start anew wait for it']);
  world.put({
    apiVersion: 'backups.standin.example/v1',
    kind: 'BackupPlan',
    metadata: { name: 'copies', namespace: 'default' },
    spec: { workload: 'a', seal: { secret: 'keys', key: 'other' } }
  } as never);
  // A plan that has copied nothing may still name another workload.
  const plan = world.store.get('BackupPlan', 'default', 'copies')!;
  expect(
    changeSheet(world.store, [asManifest({ ...plan, spec: { ...plan.spec, workload: 'b' } })]).refused.map((one) => one.says)
  ).not.toContainEqual(expect.stringContaining("spec.workload can't change"));
  expect(removalSheet(world.store, { kind: 'Secret', namespace: 'default', name: 'keys' }).lost[1]!.says).toMatch(
    /^other: nobody opens the copies of copies/
  );
});

import { describe, expect, test } from 'vitest';
import { stringify } from 'yaml';
import { assumptionsOf, compareDumps, groundOfDump, keepValue, latestIn, latestInOther, parseYamlCut, type OtherObject } from '$core/dumps';
import { driverParts, isVague, jointOf, namesDriver, scopeOf, tellingPart, verdictOf, type Doing } from '$core/exports';
import type { Ref } from '$core/model';
import { lineSentence, rootLine, whatBecame, whatIsWrong, type RootLine } from '$core/rootline';
import { epochMs } from '$core/shared';
import { replay, Store } from '$core/standin';
import { controllerDown } from '../fixtures/exports/case';
import { cases, type ExportCase } from '../fixtures/exports/cases';
import { addClaim, addDeployment, condition, driver, healthy, space, type Doc, type Export } from '../fixtures/exports/cluster';
import { container, unplaced } from '../fixtures/exports/states';

/** What is kept of an export's values. */
function kept(values: readonly unknown[]): Store {
  const store = new Store(false);
  const others: OtherObject[] = [];
  let latest = 0;
  for (const value of values) {
    const one = keepValue(value, false);
    if ('other' in one) {
      others.push(one.other);
      latest = Math.max(latest, latestInOther(one.other));
    }
    if (!('object' in one)) continue;
    store.place(undefined, one.object);
    latest = Math.max(latest, latestIn(one.object));
  }
  store.nowMs = latest - epochMs;
  store.scope = scopeOf(store, { others });
  return store;
}

/** Reads an export as a file of it is read: text, documents, what is kept of each. */
const readExport = ({ docs }: Export): Store =>
  kept(parseYamlCut({ text: docs.map((one) => stringify(one)).join('---\n'), linesBefore: 0 }).values);

function answerOf(line: RootLine): string {
  if (line.firstBreak) return line.firstBreak;
  if (line.joints.some((one) => one.overdueSinceMs !== undefined)) return 'unseen';
  if (line.joints.some((one) => one.state === 'settling')) return 'moves';
  const sentence = lineSentence(line);
  if (/holds/.test(sentence)) return 'fine';
  return /unseen|can't be told/.test(sentence) ? 'unseen' : 'waits';
}

const refOf = ({ subject: [kind, name, namespace = ''] }: ExportCase): Ref => ({ kind, namespace, name }) as Ref;

describe('what exports of real clusters say', () => {
  const seen = cases.map((one) => {
    const line = rootLine(readExport(one.build()), refOf(one));
    return { id: one.id, wanted: one.expect, got: line ? answerOf(line) : 'no line', says: line ? lineSentence(line) : '' };
  });
  const isWrong = ({ wanted, got }: (typeof seen)[number]) => wanted !== got && got !== 'unseen';

  test('at least 95 of 100 are right, and none is confidently wrong', () => {
    const right = seen.filter((one) => one.wanted === one.got);
    const byJoint = new Map<string, [number, number]>();
    for (const one of seen) {
      const [yes, all] = byJoint.get(one.wanted) ?? [0, 0];
      byJoint.set(one.wanted, [yes + (one.got === one.wanted ? 1 : 0), all + 1]);
    }
    console.log([...byJoint].map(([joint, [yes, all]]) => `${joint} ${yes}/${all}`).join(', '), `of ${seen.length}`);
    expect(seen.length).toBeGreaterThanOrEqual(60);
    expect(seen.filter(isWrong)).toEqual([]);
    expect(seen.filter((one) => one.wanted !== one.got).slice(0, 20)).toEqual([]);
    expect(right.length / seen.length).toBeGreaterThanOrEqual(0.95);
  });

  /** What an export may lack. */
  const cuts: Record<string, (one: Doc) => boolean> = {
    events: (one) => one.kind === 'Event',
    'cluster-wide objects': (one) => !one.metadata.namespace,
    'the namespace of the driver': (one) => one.metadata.namespace === 'quarry-system',
    'all other namespaces': (one) => one.metadata.namespace !== space,
    classes: (one) => one.kind === 'StorageClass',
    'drivers and their nodes': (one) => one.kind === 'CSIDriver' || one.kind === 'CSINode',
    volumes: (one) => one.kind === 'PersistentVolume',
    attachments: (one) => one.kind === 'VolumeAttachment',
    claims: (one) => one.kind === 'PersistentVolumeClaim',
    nodes: (one) => one.kind === 'Node' || one.kind === 'CSINode',
    'settings and secrets': (one) => one.kind === 'ConfigMap' || one.kind === 'Secret',
    services: (one) => one.kind === 'Service' || one.kind === 'EndpointSlice',
    'replica sets': (one) => one.kind === 'ReplicaSet',
    leases: (one) => one.kind === 'Lease'
  };

  test('whatever is left out of an export, the answer is the same, or it is unseen', () => {
    const wrong: string[] = [];
    let looked = 0;
    for (const one of cases)
      for (const [name, cut] of Object.entries(cuts)) {
        const to = one.build().drop(cut);
        const line = to.docs.length ? rootLine(kept(to.docs), refOf(one)) : undefined;
        if (!line) continue;
        looked += 1;
        const got = answerOf(line);
        // What only waits on a break that was left out may be said to wait.
        if (got === one.expect || got === 'unseen' || (got === 'waits' && one.expect !== 'fine')) continue;
        // The event names the volume that is held; why it is held stood in the attachment that was left out.
        if (one.id === 'the former node may not let go' && got === 'attaching') continue;
        // Nothing in these says when they were taken, so that the last that was said may still hold.
        const undated = ['refused once, and the controller has been down since', 'attached by its attachment, whatever was said before'];
        if (name === 'all other namespaces' && undated.includes(one.id) && got === 'backend') continue;
        wrong.push(`${one.id}, without ${name}: ${one.expect} became ${got}: ${lineSentence(line)}`);
      }
    console.log(looked, 'narrowed exports');
    expect(wrong).toEqual([]);
  });
});

describe('what is wrong in a whole export', () => {
  const busy = () => {
    const to = healthy();
    const message = 'failed to provision volume with StorageClass "quarry-now": rpc error: code = ResourceExhausted desc = pool is full';
    for (const name of ['tape-1', 'tape-2', 'tape-3']) {
      addClaim(to, name, { storageClassName: 'quarry-now' });
      to.event('PersistentVolumeClaim', name, 'ProvisioningFailed', message, { by: `${driver}_quarry-controller-6c5f9-p8k2_1` });
    }
    container(
      to,
      1,
      { waiting: { reason: 'CrashLoopBackOff', message: 'back-off' } },
      { before: { exitCode: 137, reason: 'OOMKilled' }, restarts: 6 }
    );
    to.get('Node', 'node-6').status.conditions = [
      condition('Ready', 'Unknown', 30, { reason: 'NodeStatusUnknown', message: 'Kubelet stopped posting node status.' })
    ];
    return to;
  };

  test('first breaks are grouped by cause, the one that most wait on first; what is well is not named', () => {
    const { items, looked, unseen } = whatIsWrong(kept(busy().docs));
    expect(items.map((one) => [one.joint, one.count])).toEqual([
      ['backend', 3],
      ['node', 1],
      ['start', 1]
    ]);
    expect(items[0]!.waits.map((one) => one.name)).toEqual(['tape-1', 'tape-2', 'tape-3']);
    expect(items[0]!.says).toBe('ResourceExhausted: pool is full');
    expect(items[2]!.waits).toEqual([{ kind: 'Pod', namespace: space, name: 'ledger-1' }]);
    expect(looked).toBeGreaterThan(20);
    expect(unseen).toEqual([]);
  });

  test('a claim is told with the member that mounts it', () => {
    const to = healthy();
    unplaced(to, 2, 'pod has unbound immediate PersistentVolumeClaims');
    to.event('PersistentVolumeClaim', 'data-ledger-2', 'ProvisioningFailed', 'rpc error: code = ResourceExhausted desc = full', {
      by: `${driver}_x_1`
    });
    expect(whatIsWrong(kept(to.docs)).items.map((one) => one.waits.map((two) => `${two.kind} ${two.name}`))).toEqual([['Pod ledger-2']]);
  });

  test('healthy exports name nothing, however narrow they are', () => {
    for (const cut of [
      () => false,
      (one: Doc) => !one.metadata.namespace,
      (one: Doc) => one.metadata.namespace !== space,
      (one: Doc) => one.kind === 'Event'
    ])
      expect(whatIsWrong(kept(healthy().drop(cut).docs)).items).toEqual([]);
  });

  test('what the reader says of the reach changes the answer, and nothing else does', () => {
    const to = healthy();
    unplaced(to, 2, 'pod has unbound immediate PersistentVolumeClaims');
    to.dropKinds('StorageClass', 'Event');
    const store = kept(to.docs);
    const claim = { kind: 'PersistentVolumeClaim', namespace: space, name: 'data-ledger-2' } as Ref;
    expect(rootLine(store, claim)!.firstBreak).toBeNull();
    expect(lineSentence(rootLine(store, claim)!)).toMatch(/unseen/);
    store.scope = scopeOf(store, { corrections: [{ kind: 'StorageClass', namespace: '', reach: 'contained' }] });
    expect(rootLine(store, claim)).toMatchObject({ firstBreak: 'class' });
    store.scope = scopeOf(store, { lists: ['StorageClass'] });
    expect(rootLine(store, claim)).toMatchObject({ firstBreak: 'class' });
  });

  test('the reach of an export, told from its objects', () => {
    const whole = kept(healthy().docs).scope!;
    expect(['Node', 'StorageClass', 'PersistentVolume'].map((kind) => whole.of(kind))).toEqual(['contained', 'contained', 'contained']);
    expect(whole.of('Job', space)).toBe('unknown');
    const narrow = kept(healthy().onlyNamespaces(space).dropKinds('ConfigMap').docs).scope!;
    // Pods stand on nodes, bound claims have volumes, and every namespace has its own settings: there are some.
    expect(
      ['Node', 'PersistentVolume', 'CSIDriver', 'ConfigMap'].map((kind) => narrow.of(kind, kind === 'ConfigMap' ? space : ''))
    ).toEqual(['left-out', 'left-out', 'unknown', 'left-out']);
    expect(narrow.of('Pod', space)).toBe('contained');
    expect(narrow.of('StorageClass')).toBe('left-out');
  });
});

describe("the scheduler's verdict, phrase by phrase", () => {
  test.each([
    [
      '0/6 nodes are available: 1 node(s) had untolerated taint {dedicated: batch}, 2 Insufficient cpu, 3 node(s) had volume node affinity conflict. preemption: 0/6 nodes are available: 6 Preemption is not helpful for scheduling.',
      6,
      ['taint 1', 'resource 2', 'volume-zone 3']
    ],
    ["0/3 nodes are available: 3 node(s) didn't match Pod's node affinity/selector.", 3, ['selector 3']],
    [
      "0/4 nodes are available: 1 node(s) were unschedulable, 3 node(s) didn't match pod anti-affinity rules.",
      4,
      ['closed 1', 'anti-affinity 3']
    ],
    ["0/4 nodes are available: 4 node(s) didn't match pod topology spread constraints.", 4, ['spread 4']],
    [
      '0/5 nodes are available: 2 node(s) exceed max volume count, 3 node(s) did not have enough free storage.',
      5,
      ['volume-count 2', 'capacity 3']
    ],
    ["0/5 nodes are available: 5 node(s) didn't have free ports for the requested pod ports.", 5, ['ports 5']],
    ["0/2 nodes are available: 2 node(s) didn't find available persistent volumes to bind.", 2, ['no-volume 2']],
    [
      "0/4 nodes are available: 1 node(s) had taint {dedicated: batch}, that the pod didn't tolerate, 3 Insufficient memory.",
      4,
      ['taint 1', 'resource 3']
    ],
    ['0/2 nodes are available: 1 Too many pods, 1 Insufficient ephemeral-storage.', 2, ['pods 1', 'resource 1']],
    ['0/3 nodes are available: pod has unbound immediate PersistentVolumeClaims.', 3, ['unbound -']],
    ['persistentvolumeclaim "data-a" not found', undefined, ['claim-missing -']],
    ['0/3 nodes are available: persistentvolumeclaim "data-a" is being deleted.', 3, ['claim-going -']],
    ['running PreBind plugin "VolumeBinding": binding volumes: timed out waiting for the condition', undefined, ['unbound -']]
  ])('%s', (message, of, parts) => {
    const verdict = verdictOf(message);
    expect(verdict.of).toBe(of);
    expect(verdict.parts.map((one) => `${one.kind} ${one.nodes ?? '-'}`)).toEqual(parts);
  });
});

describe('which joint a refusal breaks', () => {
  // Wordings as the components write them, from memory of their sources; they differ between versions, so that meaning is looked for.
  test.each<[Doing, string, string]>([
    ['provision', 'rpc error: code = ResourceExhausted desc = no pool with 30 GiB left', 'backend'],
    ['provision', 'rpc error: code = Internal desc = create volume: 503 service unavailable', 'backend'],
    ['provision', 'rpc error: code = DeadlineExceeded desc = context deadline exceeded', 'backend'],
    ['provision', 'rpc error: code = Internal desc = identity is not authorized to create volumes', 'rights'],
    [
      'provision',
      'error getting secret x in namespace y: secrets "x" is forbidden: User "system:serviceaccount:a:b" cannot get resource "secrets" in API group ""',
      'rights'
    ],
    ['provision', 'rpc error: code = InvalidArgument desc = unsupported option "tier"', 'class'],
    ['provision', 'error getting provisioner secret: secrets "pool-login" not found', 'class'],
    ['provision', 'error generating accessibility requirements: no available topology found', 'driver'],
    [
      'provision',
      'rpc error: code = Unavailable desc = connection error: desc = "transport: Error while dialing: dial unix /csi/csi.sock: connect: no such file or directory"',
      'driver'
    ],
    ['provision', 'claim Selector is not supported', 'claim'],
    ['provision', 'error getting snapshot before from api server: volumesnapshots.snapshot.storage.k8s.io "before" not found', 'snapshot'],
    ['provision', 'rpc error: code = OutOfRange desc = iops of the class are above 5000', 'class'],
    ['attach', 'Multi-Attach error for volume "v" Volume is already used by pod(s) a-0', 'attaching'],
    ['attach', 'CSINode node-2 does not contain driver disks.quarry.example', 'driver'],
    ['attach', 'rpc error: code = NotFound desc = machine "n-9" not found', 'node'],
    ['attach', 'rpc error: code = NotFound desc = volume q-1 does not exist', 'volume'],
    ['attach', 'timed out waiting for external-attacher of disks.quarry.example CSI driver to attach volume q-1', 'attaching'],
    ['mount', 'MountVolume.SetUp failed for volume "s" : references non-existent secret key: password', 'references'],
    ['mount', 'MountVolume.SetUp failed for volume "t" : failed to fetch token: serviceaccounts "a" not found', 'references'],
    ['mount', 'driver name disks.quarry.example not found in the list of registered CSI drivers', 'driver'],
    ['mount', 'rpc error: code = Internal desc = could not format "/dev/sdb" and mount it: exit status 32', 'mounting'],
    ['mount', 'mount failed: exit status 32 Output: mount.nfs: access denied by server while mounting 10.7.0.9:/srv', 'target'],
    ['create', 'pods "a" is forbidden: failed quota: team: must specify limits.cpu for: main', 'quota'],
    ['create', 'Internal error occurred: failed calling webhook "x.example": context deadline exceeded', 'admitted'],
    ['create', 'pods "a-" is forbidden: no PriorityClass with name vital was found', 'admitted'],
    ['grow', 'rpc error: code = InvalidArgument desc = unknown parameter "tier"', 'class'],
    ['grow', 'rpc error: code = Unimplemented desc = ', 'driver'],
    ['delete', 'rpc error: code = FailedPrecondition desc = volume has snapshots', 'volume'],
    ['snapshot', 'cannot find default snapshot class', 'snapshot'],
    ['snapshot', 'rpc error: code = PermissionDenied desc = no', 'rights']
  ])('%s: %s', (doing, message, joint) => expect(jointOf(doing, message)).toBe(joint));

  test('what tells nothing but a retry is known as such, and the telling part stands alone', () => {
    for (const one of [
      'Unable to attach or mount volumes: unmounted volumes=[data]: timed out waiting for the condition',
      'rpc error: code = Aborted desc = an operation with the given Volume ID v already exists'
    ])
      expect(isVague(one)).toBe(true);
    expect(isVague('rpc error: code = ResourceExhausted desc = full')).toBe(false);
    expect(tellingPart('failed to provision volume with StorageClass "a": rpc error: code = Internal desc = pool is\n broken.')).toBe(
      'Internal: pool is broken'
    );
    expect(tellingPart('x'.repeat(400))).toHaveLength(180);
  });
});

describe('driver parts by structure', () => {
  test('a name is found as a whole word only', () => {
    expect(namesDriver('/var/lib/kubelet/plugins/disks.quarry.example/csi.sock', 'disks.quarry.example')).toBe(true);
    expect(namesDriver('/plugins/fast-disks.quarry.example/csi.sock', 'disks.quarry.example')).toBe(false);
    expect(namesDriver('--driver=disks.quarry.example.test', 'disks.quarry.example')).toBe(false);
  });

  test('controller and node part are found although only the node part names the driver', () => {
    const parts = driverParts(kept(healthy().docs), driver);
    expect(parts.controller.makers.map((one) => one.metadata.name)).toEqual(['quarry-controller']);
    expect(parts.node.makers.map((one) => one.metadata.name)).toEqual(['quarry-node']);
    expect([parts.controller.pods.length, parts.node.pods.length]).toEqual([2, 6]);
    const two = healthy();
    const sidecar = [{ name: 'csi-provisioner', image: 'shelf.example/csi-provisioner:r4' }];
    addDeployment(two, 'kube-system', 'files-controller', sidecar, 1);
    // With and without somebody who speaks for it in events.
    for (const docs of [two.docs, two.dropKinds('Event').docs])
      expect(driverParts(kept(docs), driver).controller.makers.map((one) => one.metadata.name)).toEqual(['quarry-controller']);
  });
});

describe('two exports of one cluster', () => {
  const early = () => {
    const to = healthy();
    container(
      to,
      1,
      { waiting: { reason: 'CrashLoopBackOff', message: 'back-off' } },
      { before: { exitCode: 1, reason: 'Error' }, restarts: 6 }
    );
    addClaim(to, 'tape', { storageClassName: 'quarry-now' });
    return to.event('PersistentVolumeClaim', 'tape', 'ProvisioningFailed', 'rpc error: code = ResourceExhausted desc = full', {
      by: `${driver}_x_1`
    });
  };
  const late = () => {
    const to = healthy();
    unplaced(to, 2, '0/6 nodes are available: 6 Insufficient cpu.', { bound: true });
    addClaim(to, 'tape', { storageClassName: 'quarry-now' });
    return to.event('PersistentVolumeClaim', 'tape', 'ProvisioningFailed', 'rpc error: code = PermissionDenied desc = no', {
      by: `${driver}_x_1`
    });
  };

  test('what mended, what broke, and what is the same wait with another cause', () => {
    const { mended, broke, still, unseen } = whatBecame(kept(early().docs), kept(late().docs));
    const names = (list: readonly { ref: Ref }[]) => list.map((one) => one.ref.name);
    expect([names(mended), names(broke), names(still), names(unseen)]).toEqual([['ledger-1'], ['ledger-2'], ['tape'], []]);
    expect(still[0]).toMatchObject({ title: 'Rights', was: 'Backend: ResourceExhausted: full' });
    const narrow = whatBecame(kept(early().drop((one) => one.kind === 'Pod').docs), kept(late().docs));
    expect([names(narrow.broke), names(narrow.fresh)]).toEqual([[], ['ledger-2']]);
    const same = whatBecame(kept(early().docs), kept(early().docs));
    expect([same.mended, same.broke, same.unseen]).toEqual([[], [], []]);
    expect(same.still.map((one) => [one.ref.name, one.was])).toEqual([
      ['tape', undefined],
      ['ledger-1', undefined]
    ]);
  });

  test('a kind that the later one does not hold did not go', () => {
    const comparison = compareDumps(kept(healthy().docs), kept(healthy().dropKinds('Node', 'CSINode').docs));
    expect(comparison.went).toEqual([]);
    expect(comparison.notCompared).toEqual([{ kind: 'Node', namespace: '', in: 'earlier', count: 6 }]);
    expect(
      compareDumps(kept(healthy().docs), kept(healthy().drop((one) => one.metadata.name === 'node-6').docs)).went.map((one) => one.ref.name)
    ).toEqual(['node-6']);
  });
});

describe('rehearsed from, what an export says stays so until somebody mends it', () => {
  const takenMs = epochMs + 40 * 86_400_000;
  const goOn = (to: Export, answers: Record<string, string> = {}) => {
    const world = replay({ seed: 3, ground: groundOfDump(kept(to.docs), takenMs, answers), adopted: true }, [], 0);
    world.runSettled();
    return world.store;
  };
  const refused = (code: string, desc: string) => {
    const to = healthy();
    addClaim(to, 'tape', { storageClassName: 'quarry-now' });
    const message = `failed to provision volume with StorageClass "quarry-now": rpc error: code = ${code} desc = ${desc}`;
    return to.event('PersistentVolumeClaim', 'tape', 'ProvisioningFailed', message, { by: `${driver}_quarry-controller-6c5f9-p8k2_1` });
  };
  const tape = { kind: 'PersistentVolumeClaim', namespace: space, name: 'tape' } as Ref;

  test.each<[string, () => Export, string, string, string]>([
    ['no room', () => refused('ResourceExhausted', 'pool is full'), `room:${driver}`, '10Ti', 'backend'],
    ['a quota', () => refused('ResourceExhausted', 'the quota of 3 volumes is used up'), `quota:${driver}`, '50', 'backend'],
    [
      'rights',
      () => refused('PermissionDenied', 'may not create'),
      `rights:${driver}`,
      'create, attach, detach, delete, grow, snapshot, key-use',
      'rights'
    ],
    [
      'a driver that is down',
      () => {
        const to = healthy();
        addClaim(to, 'tape', { storageClassName: 'quarry-now' });
        controllerDown(to);
        return to;
      },
      `answers:${driver}`,
      'yes',
      'driver'
    ]
  ])('%s', (_, build, id, mended, joint) => {
    const stated = assumptionsOf(kept(build().docs)).filter((one) => one.stated);
    expect(stated.map((one) => one.id)).toEqual([id]);
    expect(stated[0]!.why).toMatch(/^The export says so: /);
    expect(rootLine(goOn(build()), tape)!.firstBreak).toBe(joint);
    const after = goOn(build(), { [id]: mended });
    expect(after.get('PersistentVolumeClaim', space, 'tape')!.status!.phase).toBe('Bound');
  });

  test('cordoned nodes and taints are as they were; nothing is stated of a healthy export', () => {
    const to = healthy();
    to.get('Node', 'node-1').spec = { unschedulable: true, taints: [{ key: 'dedicated', value: 'batch', effect: 'NoSchedule' }] };
    expect(goOn(to).get('Node', '', 'node-1')!.spec).toMatchObject({ unschedulable: true, taints: [{ key: 'dedicated' }] });
    expect(assumptionsOf(kept(healthy().docs)).filter((one) => one.stated)).toEqual([]);
    const since = refused('ResourceExhausted', 'full').event('PersistentVolumeClaim', 'tape', 'ProvisioningSucceeded', 'made', {
      min: 0.1,
      type: 'Normal'
    });
    expect(assumptionsOf(kept(since.docs)).filter((one) => one.stated)).toEqual([]);
  });
});

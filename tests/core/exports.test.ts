import { describe, expect, test } from 'vitest';
import { stringify } from 'yaml';
import { assumptionsOf, compareDumps, groundOfDump, keepValue, parseYamlCut } from '$core/dumps';
import { driverParts, namesDriver, scopeOf } from '$core/exports';
import type { Ref } from '$core/model';
import { lineSentence, rootLine, whatBecame, whatIsWrong, type RootLine } from '$core/rootline';
import { epochMs } from '$core/shared';
import { replay, type Store } from '$core/standin';
import { controllerDown } from '../fixtures/exports/case';
import { cases, type ExportCase } from '../fixtures/exports/cases';
import { addClaim, addDeployment, condition, driver, healthy, space, type Doc, type Export } from '../fixtures/exports/cluster';
import { container, unplaced } from '../fixtures/exports/states';
import { ofEach, played } from '../played';
import { wordless } from '../told';
import { kept } from './kept';
import { unfounded } from './stands';
import { deep } from '../rounds';

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
    const told = line?.joints.map((joint) => joint.says) ?? [];
    const words = !one.says || told.some((says) => one.says!.test(says)) ? '' : told.join(' | ');
    return { id: one.id, wanted: one.expect, got: line ? answerOf(line) : 'no line', says: line ? lineSentence(line) : '', words };
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

  test('a joint says what was found, where that is written down', () => {
    expect(seen.filter((one) => one.words !== '').map(({ id, words }) => [id, words])).toEqual([]);
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

  test('every piece of evidence stands in the export as it is told', () => {
    const wrong: string[] = [];
    let pieces = 0;
    const lines: unknown[] = [];
    for (const one of cases) {
      const facts = kept(one.build().docs);
      const line = rootLine(facts, refOf(one));
      lines.push(wordless(line));
      pieces += line?.joints.reduce((sum, joint) => sum + joint.evidence.length, 0) ?? 0;
      wrong.push(...(line ? unfounded(facts, line) : []).map((fault) => `${one.id}: ${fault}`));
    }
    played(() => ofEach(lines));
    expect(pieces).toBeGreaterThan(200);
    expect(wrong).toEqual([]);
  });

  test('whatever is left out of an export, the answer is the same, or it is unseen', () => {
    const wrong: string[] = [];
    let looked = 0;
    const lines: unknown[] = [];
    for (const [nth, one] of cases.entries())
      for (const [which, [name, cut]] of Object.entries(cuts).entries()) {
        // Each case without some of it, each part out of some cases.
        if (!deep && (nth + which) % 3) continue;
        const to = one.build().drop(cut);
        const line = to.docs.length ? rootLine(kept(to.docs), refOf(one)) : undefined;
        if (!line) continue;
        looked += 1;
        lines.push(wordless(line));
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
    played(() => ofEach(lines));
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

  test('the same verdict on members of two workloads is one cause; the same words of two programs are two', () => {
    const to = healthy();
    const verdict = '0/6 nodes are available: 6 Insufficient cpu.';
    unplaced(to, 2, verdict, { bound: true });
    const crash = { waiting: { reason: 'CrashLoopBackOff', message: 'back-off' } };
    container(to, 1, crash, { before: { exitCode: 1, reason: 'Error' }, restarts: 6 });
    for (const [name, one] of [
      ['desk-6c5f9-p8k2', to.get('Pod', 'ledger-2')],
      ['names-6c5f9-p8k2', to.get('Pod', 'ledger-1')]
    ] as const)
      to.get('Pod', name).status = one.status;
    delete to.get('Pod', 'desk-6c5f9-p8k2').spec.nodeName;
    const causes = whatIsWrong(kept(to.docs)).items.map((one) => [one.joint, one.waits.map((two) => two.name).sort()]);
    expect(causes).toEqual([
      ['placing', ['desk-6c5f9-p8k2', 'ledger-2']],
      ['start', ['ledger-1']],
      ['start', ['names-6c5f9-p8k2']]
    ]);
  });

  test('members that all crash are one cause, told once, not again by each of their services', () => {
    const to = healthy();
    for (const i of [0, 1, 2])
      container(to, i, { waiting: { reason: 'CrashLoopBackOff' } }, { before: { exitCode: 1, reason: 'Error' }, restarts: 6 });
    expect(whatIsWrong(kept(to.docs)).items.map((one) => [one.joint, one.count])).toEqual([['start', 3]]);
  });

  test('a set that asks for a thousand million members is told of, bounded, and drawn by its first ones', () => {
    const to = healthy();
    to.get('StatefulSet', 'ledger').spec.replicas = 1_000_000_000;
    expect(keepValue(to.get('StatefulSet', 'ledger'), false)).toMatchObject({
      object: { spec: { replicas: 5_000 } },
      problem: { message: 'StatefulSet ledger asks for 1,000,000,000 members.', at: { field: 'spec.replicas' } }
    });
    const line = rootLine(kept(to.docs), { kind: 'StatefulSet', namespace: space, name: 'ledger' } as Ref)!;
    expect(line.trunks.length).toBe(15);
    expect(line.joints.find((one) => one.label === 'ledger-14' && one.joint === 'placing')!.says).toMatch(
      /and 4,985 more after it|not made yet/
    );
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

test('a claim that a member names, and that went, is broken; the others hold', () => {
  const to = healthy();
  unplaced(to, 2, '0/6 nodes are available: persistentvolumeclaim "data-ledger-2" not found.', { bound: true });
  to.drop((one) => one.kind === 'PersistentVolumeClaim' && (one.metadata as Doc).name === 'data-ledger-2');
  const line = rootLine(kept(to.docs), { kind: 'StatefulSet', namespace: space, name: 'ledger' } as Ref)!;
  const bound = 'Bound; asked 30Gi, ReadWriteOnce, got 30Gi';
  expect(line.joints.filter((one) => one.joint === 'claim').map((one) => [one.state, one.label, one.says])).toEqual([
    ['holds', 'data-ledger-0', bound],
    ['holds', 'data-ledger-1', bound],
    ['broken', 'data-ledger-2', 'there is no claim data-ledger-2']
  ]);
  // A member that is still to be made has no claim yet; nothing is wrong with that.
  const early = healthy().drop((one) => ['ledger-2', 'data-ledger-2'].includes(String((one.metadata as Doc).name)));
  Object.assign(early.get('StatefulSet', 'ledger').status as Doc, { replicas: 2, readyReplicas: 2, availableReplicas: 2 });
  const joints = rootLine(kept(early.docs), { kind: 'StatefulSet', namespace: space, name: 'ledger' } as Ref)!.joints;
  expect(joints.filter((one) => one.joint === 'claim' && one.state === 'waiting')).toMatchObject([
    { label: 'data-ledger-2', says: 'made together with ledger-2', objects: [{ kind: 'PersistentVolumeClaim', name: 'data-ledger-2' }] }
  ]);
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

  test('a driver that nothing names any more, but that has just spoken of the claim, is not one that nobody answers to', () => {
    const nameless = (by: string) => {
      const to = healthy().dropKinds('CSIDriver', 'Pod', 'Deployment', 'DaemonSet');
      for (const one of to.docs) if (one.kind === 'CSINode') one.spec.drivers = [];
      addClaim(to, 'tape', { storageClassName: 'quarry-now' });
      to.event('PersistentVolumeClaim', 'tape', 'Provisioning', 'is provisioning', { by, type: 'Normal' });
      to.event('PersistentVolumeClaim', 'tape', 'ExternalProvisioning', 'Waiting for a volume', { by: 'persistentvolume-controller' });
      const line = rootLine(kept(to.docs), { kind: 'PersistentVolumeClaim', namespace: space, name: 'tape' })!;
      return line.joints.find((one) => one.joint === 'driver')!;
    };
    expect(nameless('controller')).toMatchObject({ state: 'broken', says: expect.stringContaining('nobody answers to it') });
    expect(nameless(`${driver}_x_1`).state).toBe('holds');
    // By its bare name it may be a part of it that makes nothing: whether that one answers isn't known.
    expect(nameless(driver)).toMatchObject({ state: 'unseen', says: expect.stringContaining("isn't in the export") });
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
    // Not every limit is a provider's quota, and not all that is full is its room.
    for (const desc of ['the file system is limited to ext4 and xfs', 'the full name of a kind is needed']) {
      const limited = refused('InvalidArgument', desc);
      expect(assumptionsOf(kept(limited.docs)).filter((one) => one.stated)).toEqual([]);
    }
  });
});

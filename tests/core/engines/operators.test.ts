import { describe, expect, it } from 'vitest';
import { memoryOperatorObjects } from '$core/blueprints';
import { changeSheet, removalSheet } from '$core/change';
import { asManifest } from '$core/manifest';
import { conditionOf, isReady, keyOf, type ApiObject, type DocumentSet, type Node, type OperatorOrder, type Ref } from '$core/model';
import { rootLine } from '$core/rootline';
import { operatorNamed, operatorObjects, type World } from '$core/standin';
import { answered, ask, must, remove, roomy } from '../roomy';

describe('operators and what they look after', () => {
  it('an operator on too small nodes never gets ready: the root line says what is asked for and what there is; bigger nodes mend it', () => {
    const world = roomy({ cpu: '4', memory: '16Gi' });
    must(world, ...memoryOperatorObjects([], '4', '16Gi'));
    must(world, ...answered('memory-store', { operator: 'there', cpu: '2', size: '4Gi', limit: '1Gi' }));
    world.runSettled();
    const operator = () => world.store.list('Pod', 'memory-system')[0]!;
    expect(isReady(operator())).toBe(false);
    expect(world.store.get('MemoryCluster', 'pricing', 'fares')!.status!.conditions[0]).toMatchObject({
      reason: 'OperatorNotReady',
      message: expect.stringContaining('0 of 1')
    });
    // The database waits for the admission step that would look it over.
    expect(world.store.list('Held').map((one) => one.spec.object.kind)).toEqual(['MemoryDatabase']);
    const line = rootLine(world.store, { kind: 'Pod', namespace: 'memory-system', name: operator().metadata.name })!;
    const placing = line.joints.find((one) => one.state === 'broken')!;
    expect(placing.joint).toBe('placing');
    expect(JSON.stringify([placing.says, placing.evidence, placing.remedy])).toContain('3800m in all, 4000m asked');
    // Nodes twice as large, all of them: the nodes of the store that come after the operator ask for room too.
    expect(placing.remedy!.manifests!.map((one) => (one as Node).status!.capacity)).toEqual(
      Array.from({ length: 6 }, () => ({ cpu: '8', memory: '32Gi', pods: '110' }))
    );
    must(world, ...placing.remedy!.manifests!);
    world.runSettled();
    expect(isReady(operator())).toBe(true);
    expect(world.store.get('MemoryDatabase', 'pricing', 'fare-table')!.status!.stage).toBe('ready');
  });

  it('an admission step refuses a bad database; without rights, or watching elsewhere, the resource says so', () => {
    const world = roomy();
    must(world, ...answered('memory-store', { operator: 'all', cpu: '2', size: '4Gi', limit: '1Gi' }));
    world.runSettled();
    const database = (spec: object) =>
      ({
        apiVersion: 'engines.standin.example/v1',
        kind: 'MemoryDatabase',
        metadata: { name: 'bad', namespace: 'pricing' },
        spec: { cluster: 'fares', memory: '1Gi', shards: 1, replicas: 1, ...spec }
      }) as ApiObject;
    expect(world.act({ type: 'send', objects: [database({ replicas: 5 })] })[0]?.message).toContain('5 replicas need 6 nodes, fares has 3');
    expect(world.act({ type: 'send', objects: [database({ memory: '64Gi' })] })[0]?.message).toContain('64Gi kept 2 times is more than');
    const says = (more: (world: World) => void) => {
      const other = roomy();
      must(other, ...memoryOperatorObjects(['elsewhere']));
      more(other);
      must(other, ...answered('memory-store', { operator: 'there' }));
      other.runSettled();
      return other.store.get('MemoryCluster', 'pricing', 'fares')!.status!.conditions[0]!.message;
    };
    expect(says(() => {})).toBe('The operator watches elsewhere, not pricing.');
    expect(
      says(
        (other) => (
          must(other, ...memoryOperatorObjects([])),
          remove(other, { kind: 'ClusterRoleBinding', namespace: '', name: 'memory-operator' })
        )
      )
    ).toContain('may not make or alter memoryclusters, memorydatabases, statefulsets, services, secrets in pricing');
    expect(roomy().act({ type: 'send', objects: answered('memory-store', { operator: 'there' }) })[0]?.message).toContain(
      'knows no kind MemoryCluster'
    );
  });

  const stores = {
    MemoryCluster: {
      sent: (takes: string) => answered('memory-store', { operator: 'all', takes, cpu: '2', size: '4Gi', limit: '1Gi' }),
      ref: ['pricing', 'fares'],
      secrets: 2
    },
    DocumentSet: {
      sent: (takes: string) =>
        answered('document-set', { by: 'operator' }).map((one) =>
          one.kind === 'DocumentSet' ? { ...one, spec: { ...one.spec, takesAlong: takes as 'set' } } : one
        ),
      ref: ['people', 'crew'],
      secrets: 3
    }
  } as const;
  const policies = [
    ['nothing', { sets: 1, claims: 3 }],
    ['set', { sets: 0, claims: 3 }],
    ['claims', { sets: 0, claims: 0 }],
    ['all', { sets: 0, claims: 0 }]
  ] as const;
  it.each((['MemoryCluster', 'DocumentSet'] as const).flatMap((kind) => policies.map(([takes, left]) => [kind, takes, left] as const)))(
    'a %s that takes along %s: what goes and what stays is what its sheet said, whatever it took along before',
    (kind, takes, counts) => {
      const world = roomy();
      const {
        sent,
        ref: [namespace, name],
        secrets
      } = stores[kind];
      // First it takes along something else: what counts is the resource as it stands when it goes.
      must(world, ...sent(takes === 'all' ? 'nothing' : 'all'));
      world.runSettled();
      must(world, ...sent(takes).filter((one) => one.kind === kind));
      world.runSettled();
      const left = { ...counts, secrets: takes === 'all' ? 0 : secrets };
      const ref = { kind, namespace, name };
      const sheet = removalSheet(world.store, ref);
      const assets = world.store.list('Asset').length;
      remove(world, ref);
      world.runSettled();
      const there = (one: Ref) => world.store.find(one) !== undefined;
      for (const line of sheet.goes.filter((one) => one.ref.kind !== 'Pod')) expect(there(line.ref), `${keyOf(line.ref)} goes`).toBe(false);
      for (const line of sheet.stays) expect(there(line.ref), `${keyOf(line.ref)} stays`).toBe(true);
      expect(sheet.lost.length > 0).toBe(left.claims === 0);
      const found = {
        sets: world.store.list('StatefulSet', namespace).length,
        claims: world.store.list('PersistentVolumeClaim', namespace).length,
        secrets: world.store.list('Secret', namespace).length
      };
      expect(found).toEqual(left);
      expect(world.store.list('Asset').length).toBe(assets - (left.claims ? 0 : 3));
    }
  );

  const cluster = { kind: 'MemoryCluster' as const, namespace: 'pricing', name: 'fares' };
  const firstBreak = (world: World, ref: Ref) => rootLine(world.store, ref)!.joints.find((one) => one.state === 'broken');
  const store = () => answered('memory-store', { operator: 'there', cpu: '2', size: '4Gi', limit: '1Gi' });

  it.each([
    [
      'none is installed',
      (world: World) => must(world, ...memoryOperatorObjects([]).filter((one) => one.kind === 'CustomResourceDefinition')),
      'No operator of in-memory stores'
    ],
    [
      'it watches another namespace',
      (world: World) => must(world, ...memoryOperatorObjects(['elsewhere'])),
      'watches elsewhere, not pricing'
    ],
    [
      'its rights were taken away',
      (world: World) => (
        must(world, ...memoryOperatorObjects([])),
        remove(world, { kind: 'ClusterRole', namespace: '', name: 'memory-operator' })
      ),
      'may not make or alter'
    ]
  ] as const)('traced from the resource: %s; what the root line offers mends it', (_, prepare, says) => {
    const world = roomy();
    prepare(world);
    must(world, ...store());
    world.runSettled();
    const broken = firstBreak(world, cluster)!;
    expect([broken.joint, broken.says]).toEqual(['resource', expect.stringContaining(says)]);
    must(world, ...broken.remedy!.manifests!);
    world.runSettled();
    expect(firstBreak(world, cluster)).toBeUndefined();
    expect(conditionOf(world.store.get('MemoryCluster', 'pricing', 'fares')!.status!.conditions, 'Ready')!.status).toBe('True');
  });

  it('on too small nodes the resource stands on its operator: the first break is where that one finds no place', () => {
    const world = roomy({ cpu: '4', memory: '16Gi' });
    must(world, ...memoryOperatorObjects([], '4', '16Gi'), ...store());
    world.runSettled();
    const line = rootLine(world.store, cluster)!;
    expect(line.firstBreak).toBe('placing');
    expect(line.joints.at(-1)).toMatchObject({ joint: 'resource', state: 'waiting', says: expect.stringContaining('0 of 1') });
  });

  it('a document set is expanded in stages, each in its lane; more members get into the certificate before they are made', () => {
    const world = roomy();
    must(world, ...answered('document-set', { by: 'operator' }));
    world.runSettled();
    const set = () => world.store.get('DocumentSet', 'people', 'crew')!;
    const stages = world.journal.changes.flatMap(({ after }) => (after?.kind === 'DocumentSet' ? (after.status?.stage ?? []) : []));
    expect(stages.filter((one, i) => one !== stages[i - 1])).toEqual(['waits', 'certificate', 'names', 'members', 'ready']);
    const lane = world.log.steps.filter((one) => one.subject === 'DocumentSet people/crew');
    expect(lane.map((one) => [one.step, one.toMs !== undefined])).toEqual([
      ['awaiting', true],
      ['certifying', true],
      ['expanding', true],
      ['gathering', true]
    ]);
    expect(ask(world, 'people', 'crew', { do: 'write', key: 'mate', value: 'on deck' }).outcome).toBe('acknowledged');
    must(world, { ...set(), spec: { ...set().spec, members: 5 } } satisfies DocumentSet);
    world.runSettled();
    expect(world.store.get('Certificate', 'people', 'crew')!.spec.names).toContain('crew-4.crew.people.svc.cluster.local');
    expect(set().status).toMatchObject({ stage: 'ready', conditions: [{ message: 'All 5 members are ready.' }] });
    expect(ask(world, 'people', 'crew', { do: 'read', key: 'mate' }, { member: 'crew-4' }).rows).toEqual([['mate', 'on deck']]);
  });

  it.each(['MemoryCluster', 'DocumentSet'] as const)(
    'members of a %s get what it asks for from then on, one after the other, as its sheet says; what nobody carries out is refused',
    (kind) => {
      const world = roomy();
      must(world, ...stores[kind].sent('set'));
      const [namespace, name] = stores[kind].ref;
      const one = world.store.get(kind, namespace, name)! as DocumentSet;
      const bent = (change: object) => [asManifest({ ...one, spec: { ...one.spec, ...change } })];
      const larger = () => changeSheet(world.store, bent({ volume: { ...one.spec.volume, size: '90Gi' } })).refused;
      // Before anything is made of it, what is wrong in it can still be put right.
      expect(larger()).toEqual([]);
      world.runSettled();
      expect(larger()[0]!.says).toMatch(/spec\.volume\.size can't change/);
      const list = bent({ memory: '5Gi' });
      const [sheet] = [changeSheet(world.store, list)];
      const uids = () => world.store.list('Pod', namespace).map((pod) => pod.metadata.uid);
      const before = uids();
      must(world, ...list);
      world.runSettled();
      const members = world.store.list('Pod', namespace).filter((pod) => pod.metadata.name.startsWith(`${name}-`));
      expect(members.map((pod) => [before.includes(pod.metadata.uid), pod.spec.containers[0]!.resources?.requests?.memory])).toEqual(
        Array.from({ length: members.length }, () => [false, '5Gi'])
      );
      const names = members
        .map((pod) => pod.metadata.name)
        .toSorted()
        .toReversed();
      expect(sheet.restarted.map((line) => line.says)).toEqual([
        `${names.join(', ')}; one after the other, each after the one before is ready`
      ]);
      expect(members.length).toBeGreaterThan(2);
    }
  );

  it('an operator from the catalogue waits until somebody agrees to its rights; taken back, it goes and what it made stays', () => {
    const world = roomy();
    const order = (spec: Partial<OperatorOrder['spec']>): OperatorOrder => ({
      apiVersion: 'engines.standin.example/v1',
      kind: 'OperatorOrder',
      metadata: { name: 'documents', namespace: 'operators' },
      spec: { operator: 'document-operator', version: 'r3', watches: ['people'], agreed: false, ...spec }
    });
    const state = () => conditionOf(world.store.get('OperatorOrder', 'operators', 'documents')!.status!.conditions, 'Ready')!;
    must(world, ...operatorObjects(operatorNamed('operator-manager')!, []), order({ version: '9.9' }));
    world.runSettled();
    expect(state()).toMatchObject({ status: 'False', message: 'The catalogue has no document-operator 9.9; it has r3, r2.' });
    must(world, order({ version: 'r2' }));
    world.runSettled();
    expect(state().message).toBe('shelf.standin.example/operators/document-operator:r2 fits clusters from 1.20 to 1.31; this one is 1.32.');
    must(world, order({}));
    world.runSettled();
    expect(state().message).toMatch(/^It would make 6 objects, with rights to make statefulsets, services, secrets, configmaps/);
    expect(world.store.get('Deployment', 'documents-system', 'document-operator')).toBeUndefined();
    const broken = firstBreak(world, { kind: 'OperatorOrder', namespace: 'operators', name: 'documents' })!;
    must(world, ...broken.remedy!.manifests!);
    world.runSettled();
    expect(state()).toMatchObject({ status: 'True', message: 'document-operator r3 looks after people.' });
    must(world, ...answered('document-set', { by: 'there' }));
    world.runSettled();
    expect(world.store.list('Pod', 'people').filter(isReady)).toHaveLength(3);
    remove(world, { kind: 'OperatorOrder', namespace: 'operators', name: 'documents' });
    world.runSettled();
    expect(world.store.get('Deployment', 'documents-system', 'document-operator')).toBeUndefined();
    expect(world.store.get('ClusterRole', '', 'document-operator')).toBeUndefined();
    expect(world.store.list('Pod', 'people').filter(isReady)).toHaveLength(3);
    expect(firstBreak(world, { kind: 'DocumentSet', namespace: 'people', name: 'crew' })!.says).toContain('No operator of document sets');
  });
});

/* Drivers and programs that the stand-in doesn't ship: what is supposed of them, and what their export shows of their times. */
import { describe, expect, test } from 'vitest';
import { assumptionsOf, driverCardWanted, likenesses, programCard, supposedHere } from '$core/dumps';
import { drilled, notNow, offers } from '$core/drills';
import { answerFault } from '$core/shared';
import { asManifest } from '$core/manifest';
import { isReady, likenessMark, type ApiObject } from '$core/model';
import { workloadNamed } from '$core/proofs';
import { cardFor, enginePartOf, World, type Snapshot } from '$core/standin';
import { objects } from '../help';
import { answered, must, roomy } from '../roomy';
import { assumption, ledger, like, rehearsed, stepsOf, strangeFacts } from './facts';
import { driverName, image } from './strange';

describe('a database that is not known', () => {
  test('without a likeness nothing is tried on it, and it is said why; its form alone supposes nothing', () => {
    const asked = assumption(`like:${image}`)!;
    expect(asked).toMatchObject({ kind: 'choice', value: 'nothing known', proposed: 'document-set/member' });
    expect(asked.why).toContain('StatefulSet till/ledger with 3 members: 1 claim a member, port 6200, 6201');
    const world = rehearsed();
    expect(notNow(ledger(world))).toMatch(/not known/);
    expect(world.store.list('Process')).toEqual([]);
  });

  test('whatever is supposed at first can be supposed; what has another form cannot', () => {
    for (const one of assumptionsOf(strangeFacts())) {
      expect(answerFault(one, one.value), one.id).toBeUndefined();
      expect(answerFault(one, 'something else'), one.id).toBeDefined();
    }
  });

  test('with one the matrix runs on it as on one that is known, and each outcome says what it rests on', () => {
    const world = rehearsed(like('document-set/member'));
    expect(world.runSettled()).toBe(true);
    expect(notNow(ledger(world))).toBeUndefined();
    const saved = structuredClone(world.save()) as Snapshot;
    const outcome = new Map(
      offers(ledger(world))
        .filter((one) => ['node-dark', 'program-ends', 'member-hangs', 'wrong-delete', 'version-rolled'].includes(one.fault))
        .map(({ fault }) => {
          const found = drilled({ ...ledger(world), fork: () => World.restore(world.seed, saved), fault });
          if (typeof found === 'string') throw new Error(`${fault}: ${found}`);
          expect(found.supposed?.[0]).toBe(`${image} behaves like a document database whose members elect a primary`);
          expect(found.supposed).toContain(`a start of ${image} takes 9 to 18 s (3 seen)`);
          expect(found.supposed).toContain(`${driverName}: attaching one takes 19 to 25 s (3 seen)`);
          return [fault, found] as const;
        })
    );
    // Nobody probes it, and nobody copies it: these two come out worse, with a remedy for the first.
    expect(
      [...outcome]
        .filter(([, one]) => one.state === 'worse')
        .map(([fault]) => fault)
        .sort()
    ).toEqual(['member-hangs', 'wrong-delete']);
    expect(outcome.size).toBe(5);
    // No controller of its driver runs here, nobody looks after it, it is linked with no cluster, and has no coordinators, certificates, passwords or shared files.
    expect(
      offers(ledger(world))
        .filter((one) => one.target === undefined)
        .map((one) => one.fault)
    ).toEqual([
      'cluster-lost',
      'link-cut',
      'link-one-way',
      'link-slow',
      'operator-lost',
      'driver-down',
      'operator-down',
      'driver-rolled',
      'operator-rolled',
      'mount-target-out',
      'disk-dead',
      'certificate-out',
      'certificate-renewed',
      'key-changed',
      'password-changed',
      'coordinator-lost'
    ]);
    const [probes] = outcome.get('member-hangs')!.cause!.manifests!;
    expect(JSON.stringify(probes)).toContain('"tcpSocket":{"port":6200}');
    expect(JSON.stringify(probes)).not.toContain(likenessMark);
    expect(outcome.get('node-dark')!.measured.lostCount).toBe(0);
    // A majority elects in 8 to 12 s (docs/model.md).
    expect(outcome.get('program-ends')!.measured.writesPauseMs).toBeGreaterThan(7_000);
  });

  test('whatever it is taken for, it goes on running: members that ran are ready, and hold together', () => {
    for (const { value } of likenesses.filter((one) => /\/(member|node|broker)$/.test(one.value))) {
      const world = rehearsed(like(value));
      expect(world.runSettled(), value).toBe(true);
      expect(world.store.list('Pod', 'till').filter(isReady).length, value).toBe(3);
      expect(
        world.store.list('Process').map((one) => one.status?.ready),
        value
      ).toEqual([true, true, true]);
    }
  });

  test('a pod that does not run in the export is no member, and a helper beside the program changes nothing', () => {
    const facts = strangeFacts((i) => (i === 2 ? { phase: 'Pending', conditions: [], containerStatuses: [] } : {}));
    const world = rehearsed(like('multi-primary-sql/member'), facts);
    expect(world.store.list('Process').map((one) => one.metadata.name)).toEqual(['ledger-0', 'ledger-1']);
    world.runSettled();
    expect(world.store.list('Process').filter((one) => one.status?.ready)).toHaveLength(3);
    const cards = [
      { spec: { image: 'a.example/helper', starts: { fromSeconds: 1, toSeconds: 2, seen: 1 } } },
      { spec: { image, behavesAs: { engine: 'document-set' } } }
    ] as unknown as Parameters<typeof cardFor>[0];
    expect(
      cardFor(cards, {
        containers: [
          { name: 'h', image: 'a.example/helper:1' },
          { name: 'm', image: `${image}:2` }
        ]
      })?.spec.image
    ).toBe(image);
  });
});

describe('a driver that is not known', () => {
  const claim = (mode: string, size = '5Gi') =>
    objects(
      `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: more, namespace: till}\nspec: {accessModes: [${mode}], storageClassName: kiln-now, resources: {requests: {storage: ${size}}}}\n`
    );
  const now = objects(
    `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: kiln-now}\nprovisioner: ${driverName}\nallowVolumeExpansion: true\n`
  );
  const snapshots = objects(`apiVersion: snapshot.storage.k8s.io/v1
kind: VolumeSnapshotClass
metadata: {name: shots}
driver: ${driverName}
deletionPolicy: Delete
---
apiVersion: snapshot.storage.k8s.io/v1
kind: VolumeSnapshot
metadata: {name: shot, namespace: till}
spec: {volumeSnapshotClassName: shots, source: {persistentVolumeClaimName: data-ledger-0}}
`);

  test('hands out what its card says, grows and takes snapshots only where it does', () => {
    const can = rehearsed({ [`modes:${driverName}`]: 'ReadWriteOnce, ReadWriteMany', [`snapshots:${driverName}`]: 'yes' });
    const cannot = rehearsed({ [`grows:${driverName}`]: 'no' });
    for (const world of [can, cannot]) {
      must(world, ...now, ...claim('ReadWriteMany'), ...snapshots);
      const data = world.store.get('PersistentVolumeClaim', 'till', 'data-ledger-0')!;
      must(world, asManifest({ ...data, spec: { ...data.spec, resources: { requests: { storage: '60Gi' } } } } as ApiObject));
      world.runUntil(world.nowMs + 180_000);
    }
    const phase = (world: World) => world.store.get('PersistentVolumeClaim', 'till', 'more')?.status?.phase;
    const said = (world: World, reason: string) => world.store.list('Event', 'till').find((one) => one.reason === reason)?.message;
    expect(phase(can)).toBe('Bound');
    expect(can.store.get('VolumeSnapshot', 'till', 'shot')?.status?.readyToUse).toBe(true);
    expect(can.store.get('PersistentVolumeClaim', 'till', 'data-ledger-0')?.status?.capacity?.storage).toBe('60Gi');
    expect(phase(cannot)).toBe('Pending');
    expect(said(cannot, 'ProvisioningFailed')).toContain(`${driverName} doesn't hand out ReadWriteMany; it hands out ReadWriteOnce`);
    expect(cannot.store.get('VolumeSnapshot', 'till', 'shot')?.status?.error?.message).toContain('takes no snapshots');
    expect(cannot.store.get('PersistentVolumeClaim', 'till', 'data-ledger-0')?.status?.capacity?.storage).toBe('50Gi');
  });
});

describe('cards that are sent', () => {
  const card = (more: string) =>
    objects(
      `apiVersion: standin.example/v1\nkind: EngineCard\nmetadata: {name: mine}\nspec: {image: shelf.standin.example/strange/one, ${more}}\n`
    );
  /** A workload of a blueprint whose program nobody knows. */
  const strange = () =>
    answered('document-set', { namespace: 'space', name: 'one' }).map(
      (one) =>
        JSON.parse(
          JSON.stringify(one).replaceAll(/shelf\.standin\.example\/engines\/document-set:r\d/g, 'shelf.standin.example/strange/one:7')
        ) as ApiObject
    );

  test('count for what is sent with them and after; manifests are handed back as they were written', () => {
    const world = roomy({ nodes: 2 });
    must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
    const sent = strange();
    must(world, ...card('behavesAs: {engine: document-set}, starts: {fromSeconds: 3, toSeconds: 4}'), ...sent);
    world.runSettled();
    const set = world.store.get('StatefulSet', 'space', 'one')!;
    expect(enginePartOf(set.spec.template)).toEqual({ engine: 'document-set', part: 'member' });
    expect(world.store.list('Process').filter((one) => one.status?.ready)).toHaveLength(3);
    expect(stepsOf(world, 'starting', 0).filter((one) => one.normalMs[0] === 3_000)).toHaveLength(3);
    expect(JSON.stringify(asManifest(set))).not.toContain(likenessMark);
    // As people wrote it, it changes nothing: no member is started again.
    const before = world.store.list('Pod', 'space').map((one) => one.metadata.uid);
    must(world, ...sent);
    world.runSettled();
    expect(world.store.list('Pod', 'space').map((one) => one.metadata.uid)).toEqual(before);
  });

  test('what is supposed here is listed with what else could be; a card that is changed keeps what its form does not ask for', () => {
    const facts = rehearsed(like('document-set/member')).store;
    const { programs, drivers } = supposedHere(facts);
    expect(programs).toMatchObject([{ image, behavesAs: 'document-set/member', ships: false, starts: { seen: 3 }, proposed: undefined }]);
    expect(drivers).toMatchObject([{ driver: driverName, ships: false, accessModes: ['ReadWriteOnce'], grows: true, snapshots: false }]);
    // Nothing chosen: what its form makes likely is offered.
    expect(supposedHere(rehearsed({}).store).programs).toMatchObject([{ behavesAs: 'nothing known', proposed: 'document-set/member' }]);

    const world = roomy({ nodes: 2 });
    must(world, ...card('behavesAs: {engine: document-set}, settings: {A: b}, starts: {fromSeconds: 3, toSeconds: 4}'));
    const [old] = world.store.list('EngineCard');
    const wish = { behavesAs: 'multi-primary-sql/member', pulls: { fromSeconds: 1, toSeconds: 2, seen: 0 } };
    const changed = programCard(world.store, old!.spec.image, wish);
    expect(changed.metadata.name).toBe(old!.metadata.name);
    expect(changed.spec).toEqual({
      image: old!.spec.image,
      settings: { A: 'b' },
      behavesAs: { engine: 'multi-primary-sql', part: 'member' },
      pulls: wish.pulls
    });
    must(world, changed);
    // What ships can be timed, and another one gets a name that is free.
    const other = programCard(world.store, `other.example/${old!.metadata.name}`, { behavesAs: 'nothing known' });
    expect(other.spec).toEqual({ image: `other.example/${old!.metadata.name}` });
    must(world, other);
    const timed = driverCardWanted(world.store, 'block.standin.example', {
      times: { attaching: { fromSeconds: 2, toSeconds: 3, seen: 0 } }
    });
    must(world, timed);
    expect(supposedHere(world.store).drivers).toMatchObject([
      { driver: 'block.standin.example', ships: true, times: { attaching: { toSeconds: 3 } } }
    ]);
  });

  test('two databases that are labelled as parts of one application stay two', () => {
    const world = roomy({ nodes: 2 });
    must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
    for (const [name, engine, program] of [
      ['one', 'document-set', 'strange/one'],
      ['two', 'multi-primary-sql', 'strange/two']
    ] as const) {
      const sent = answered('document-set', { namespace: 'space', name }).map(
        (one) =>
          JSON.parse(
            JSON.stringify(one)
              .replaceAll(/engines\/document-set:r\d/g, `${program}:7`)
              .replaceAll(`"app.kubernetes.io/part-of":"${name}"`, '"app.kubernetes.io/part-of":"shop"')
          ) as ApiObject
      );
      const card = `apiVersion: standin.example/v1\nkind: EngineCard\nmetadata: {name: ${name}}\nspec: {image: shelf.standin.example/${program}, behavesAs: {engine: ${engine}}}\n`;
      must(world, ...objects(card), ...sent);
    }
    world.runSettled();
    const engines = ['one', 'two'].map((name) => workloadNamed(world.store, 'space', name)?.engine);
    expect(engines).toEqual(['document-set', 'multi-primary-sql']);
    expect(world.store.list('Process').filter((one) => one.status?.ready)).toHaveLength(6);
    expect(new Set(world.store.list('Process').map((one) => one.spec.workload))).toEqual(new Set(['one', 'two']));
  });

  test('that mean nothing are refused, with the field', () => {
    const world = roomy();
    const refused = (objects: ApiObject[]) => world.act({ type: 'send', objects }).map((one) => `${one.at?.field}: ${one.remedy}`)[0];
    expect(refused(card('behavesAs: {engine: oracle-of-rows}'))).toMatch(/^spec\.behavesAs\.engine: Write one of multi-primary-sql, /);
    expect(refused(card('behavesAs: {engine: constructor}'))).toMatch(/^spec\.behavesAs\.engine/);
    expect(refused(card('behavesAs: {engine: log-broker, part: boss}'))).toMatch(/^spec\.behavesAs\.part: Write one of .*broker/);
    expect(refused(card('starts: {fromSeconds: 9, toSeconds: 3}'))).toMatch(/^spec\.starts\.toSeconds/);
    expect(
      refused(
        objects(
          'apiVersion: standin.example/v1\nkind: EngineCard\nmetadata: {name: tagged}\nspec: {image: "shelf.standin.example/strange/one:7"}\n'
        )
      )
    ).toMatch(/^spec\.image/);
    expect(
      refused(
        objects(
          'apiVersion: standin.example/v1\nkind: EngineCard\nmetadata: {name: shipped}\nspec: {image: shelf.standin.example/engines/document-set, behavesAs: {engine: log-broker}}\n'
        )
      )
    ).toMatch(/^spec\.behavesAs: Leave it out/);
    expect(refused(card('behavesAs: {engine: log-broker}'))).toMatch(/^spec\.behavesAs\.part: Write one of coordinator/);
    expect(refused(card('settings: {synchronous: "0"}'))).toMatch(/^spec\.settings/);
    const drivers = (name: string, more: string) =>
      objects(`apiVersion: standin.example/v1\nkind: DriverCard\nmetadata: {name: ${name}}\nspec: {driver: ${more}}\n`);
    expect(refused(drivers('a', 'block.standin.example, grows: false'))).toMatch(/^spec\.driver: Leave accessModes/);
    expect(refused(drivers('a', 'x.example, times: {growing: {fromSeconds: 2, toSeconds: 1}}'))).toMatch(
      /^spec\.times\.growing\.toSeconds/
    );
    expect(
      refused(drivers('a', 'x.example, times: {attaching: {fromSeconds: 1, toSeconds: 2}, growing: {fromSeconds: 2, toSeconds: 1}}'))
    ).toMatch(/^spec\.times\.growing\.toSeconds/);
    expect(refused(drivers('a', 'x.example, grows: false'))).toBeUndefined();
    expect(refused(drivers('b', 'x.example, grows: true'))).toBe('spec.driver: Change that one.');
    expect(world.act({ type: 'send', objects: card('behavesAs: {engine: log-broker, part: broker}') })).toEqual([]);
    expect(
      refused(JSON.parse(JSON.stringify(card('behavesAs: {engine: document-set}')).replace('"mine"', '"second"')) as ApiObject[])
    ).toBe('spec.image: Change that one.');
  });
});

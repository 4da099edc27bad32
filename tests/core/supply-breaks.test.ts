import { describe, expect, test } from 'vitest';
import { asManifest } from '$core/manifest';
import { isReady, type ApiObject, type Node, type Ref } from '$core/model';
import { rootLine } from '$core/rootline';
import { World } from '$core/standin';
import { claimOf, classOf, firstBreak, must, alone, podOf, readySouth, ref, remove, settle, size } from './help';
import { unfounded } from './stands';

const rwo = 'accessModes: [ReadWriteOnce], storageClassName: steady-block';
const c = ref('PersistentVolumeClaim', 'default', 'c');
const p = ref('Pod', 'default', 'p');
const volume = (name: string, spec: string, labels = '') =>
  `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: ${name}${labels ? `, labels: {${labels}}` : ''}}\nspec: {${spec}, csi: {driver: block.standin.example, volumeHandle: h-${name}, fsType: ext4}}\n---\n`;
const backend = (change: string) => (world: World) =>
  settle(
    world,
    `apiVersion: standin.example/v1\nkind: Backend\nmetadata: {name: south-quay-volumes}\nspec: {driver: block.standin.example, zones: [{name: a, capacity: 800Gi}, {name: b, capacity: 800Gi}], ${change}}`
  );
const identity = (rights: string) =>
  `apiVersion: standin.example/v1\nkind: Identity\nmetadata: {name: volume-keeper}\nspec: {driver: block.standin.example, issuer: https://issuer.south-quay.example, subject: "system:serviceaccount:storage-system:block-driver", audience: volumes.standin.example, rights: [${rights}]}\n---\n`;
const evidence = (world: World, subject: Ref) =>
  (firstBreak(world, subject)?.evidence ?? [])
    .map((one) => `${one.object.kind} ${one.object.name} ${one.field ?? one.event?.reason}=${one.value ?? one.event?.message}`)
    .join('\n');

interface Case {
  readonly name: string;
  make(): World;
  readonly at: Ref;
  readonly joint: string;
  readonly says: RegExp;
  readonly evidence: RegExp;
  /** Sent as offered, or done by hand, it mends the line. */
  mend?: 'offered' | ((world: World) => unknown);
}
const asksStatic = (more = '') => claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: "", ${size('10Gi')}${more}`);

const south: Case[] = [
  {
    name: 'key use is missing under an encrypted class',
    make: () =>
      settle(
        readySouth(),
        classOf('safe', 'block.standin.example', 'parameters: {encrypted: "true"}') +
          claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: safe, ${size('1Gi')}`)
      ),
    at: c,
    joint: 'rights',
    says: /right to key-use is missing/,
    evidence: /spec\.rights=create, attach/,
    mend: 'offered'
  },
  {
    name: 'the right to grow is missing for a claim that asks for more',
    make: () => {
      const world = settle(readySouth(), claimOf('c', `${rwo}, ${size('10Gi')}`) + podOf('p', 'c'));
      return settle(world, identity('create, attach, detach, delete') + claimOf('c', `${rwo}, ${size('12Gi')}`));
    },
    at: c,
    joint: 'rights',
    says: /right to grow is missing/,
    evidence: /spec\.rights=create/,
    mend: 'offered'
  },
  {
    name: 'the quota is reached',
    make: () => settle(backend('quotaVolumes: 0')(readySouth()), claimOf('c', `${rwo}, ${size('1Gi')}`) + podOf('p', 'c')),
    at: p,
    joint: 'backend',
    says: /quota of 0 volumes/,
    evidence: /spec\.quotaVolumes=0/,
    mend: backend('quotaVolumes: 10')
  },
  {
    name: 'capacity and quota are short at once: both are said, in their order',
    make: () => settle(backend('quotaVolumes: 0')(readySouth()), claimOf('c', `${rwo}, ${size('900Gi')}`) + podOf('p', 'c')),
    at: p,
    joint: 'backend',
    says: /quota of 0.*; and RESOURCE_EXHAUSTED: .*800 GiB free/,
    evidence: /a: 800 GiB free/
  },
  {
    name: 'the size is below what the backend hands out',
    make: () => settle(backend('quotaVolumes: 9, leastSize: 4Gi')(readySouth()), claimOf('c', `${rwo}, ${size('1Gi')}`) + podOf('p', 'c')),
    at: p,
    joint: 'backend',
    says: /OUT_OF_RANGE: .*4Gi at the least/,
    evidence: /spec\.leastSize=4Gi/
  },
  {
    name: 'the size is above what the backend hands out',
    make: () => settle(backend('quotaVolumes: 9, mostSize: 4Gi')(readySouth()), claimOf('c', `${rwo}, ${size('5Gi')}`) + podOf('p', 'c')),
    at: p,
    joint: 'backend',
    says: /OUT_OF_RANGE: .*4Gi at the most/,
    evidence: /requests\.storage=5Gi/
  },
  {
    name: 'the driver does not know a parameter of the class',
    make: () =>
      settle(
        readySouth(),
        classOf('odd', 'block.standin.example', 'parameters: {flavour: x}') +
          claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: odd, ${size('1Gi')}`)
      ),
    at: c,
    joint: 'volume',
    says: /INVALID_ARGUMENT: .*knows no parameter flavour; it knows encrypted, speed/,
    evidence: /ProvisioningFailed=/
  },
  {
    name: 'the driver does not make the file system that is asked for',
    make: () =>
      settle(
        readySouth(),
        classOf('odd', 'block.standin.example', 'parameters: {csi.storage.k8s.io/fstype: nfs4}') +
          claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: odd, ${size('1Gi')}`)
      ),
    at: c,
    joint: 'volume',
    says: /makes no nfs4; it makes ext4, xfs/,
    evidence: /ProvisioningFailed=/
  },
  {
    name: 'a provisioner that nobody answers to',
    make: () =>
      settle(
        readySouth(),
        classOf('far', 'tape.example') + claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: far, ${size('1Gi')}`)
      ),
    at: c,
    joint: 'backend',
    says: /no backend stands behind tape\.example/,
    evidence: /none names tape\.example/
  },
  {
    name: 'a static volume that is too small',
    make: () => settle(readySouth(), volume('v', 'capacity: {storage: 5Gi}, accessModes: [ReadWriteOnce]') + asksStatic()),
    at: c,
    joint: 'volume',
    says: /v: it is too small: 5Gi/,
    evidence: /spec\.capacity\.storage=5Gi/
  },
  {
    name: 'a static volume of another class',
    make: () =>
      settle(readySouth(), volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce], storageClassName: gold') + asksStatic()),
    at: c,
    joint: 'volume',
    says: /v: its class is "gold"/,
    evidence: /spec\.storageClassName=gold/
  },
  {
    name: 'a static volume of another mode',
    make: () =>
      settle(readySouth(), volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce], volumeMode: Block') + asksStatic()),
    at: c,
    joint: 'volume',
    says: /v: its volume mode is Block/,
    evidence: /spec\.volumeMode=Block/
  },
  {
    name: 'a static volume that does not offer the access mode',
    make: () => settle(readySouth(), volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadOnlyMany]') + asksStatic()),
    at: c,
    joint: 'volume',
    says: /v: it offers ReadOnlyMany only/,
    evidence: /spec\.accessModes=ReadOnlyMany/
  },
  {
    name: 'a static volume that is claimed by another',
    make: () =>
      settle(
        readySouth(),
        volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce], claimRef: {namespace: default, name: other}') + asksStatic()
      ),
    at: c,
    joint: 'volume',
    says: /v: it is claimed by default\/other/,
    evidence: /spec\.claimRef=default\/other/
  },
  {
    name: 'a selector that matches nothing',
    make: () =>
      settle(
        readySouth(),
        volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce]', 'tier: cold') +
          asksStatic(', selector: {matchLabels: {tier: hot}}')
      ),
    at: c,
    joint: 'volume',
    says: /v: its labels don't answer to the claim's selector/,
    evidence: /metadata\.labels=\{"tier":"cold"\}/,
    mend: (world) => settle(world, volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce]', 'tier: hot'))
  },
  {
    name: 'no static volume at all',
    make: () => settle(readySouth(), asksStatic()),
    at: c,
    joint: 'volume',
    says: /there is none/,
    evidence: /there are none/,
    mend: (world) => settle(world, volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce]'))
  },
  {
    name: 'a claim pinned to a volume that is too small',
    make: () =>
      settle(
        readySouth(),
        volume('v', 'capacity: {storage: 5Gi}, accessModes: [ReadWriteOnce]') +
          volume('w', 'capacity: {storage: 50Gi}, accessModes: [ReadWriteOnce]') +
          asksStatic(', volumeName: v')
      ),
    at: c,
    joint: 'volume',
    says: /v: it is too small/,
    evidence: /spec\.capacity\.storage=5Gi/
  },
  {
    name: 'the asset of a static volume is gone from the backend',
    make: () =>
      settle(readySouth(), volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce]') + asksStatic() + podOf('p', 'c')),
    at: p,
    joint: 'attaching',
    says: /NOT_FOUND: block\.standin\.example has no volume h-v/,
    evidence: /FailedAttachVolume=NOT_FOUND/
  },
  {
    name: 'a file system of another kind than asked',
    make: () => {
      const world = settle(
        readySouth(),
        classOf('kept', 'block.standin.example', 'reclaimPolicy: Retain\nparameters: {csi.storage.k8s.io/fstype: xfs}') +
          claimOf('old', `accessModes: [ReadWriteOnce], storageClassName: kept, ${size('10Gi')}`)
      );
      const { volumeHandle } = world.store.list('PersistentVolume')[0]!.spec.csi!;
      remove(world, ref('PersistentVolumeClaim', 'default', 'old'));
      world.runSettled();
      remove(world, ref('PersistentVolume', '', world.store.list('PersistentVolume')[0]!.metadata.name));
      world.runSettled();
      return settle(
        world,
        volume('v', 'capacity: {storage: 10Gi}, accessModes: [ReadWriteOnce]').replace('h-v', volumeHandle) + asksStatic() + podOf('p', 'c')
      );
    },
    at: p,
    joint: 'mounting',
    says: /carries xfs, and ext4 was asked for/,
    evidence: /spec\.csi=blk-/
  },
  {
    name: 'the files belong to another user, and a file-system group is the remedy',
    make: () =>
      settle(
        readySouth(),
        `apiVersion: v1\nkind: Service\nmetadata: {name: u, namespace: default}\nspec: {clusterIP: None, selector: {app: u}}\n---\napiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: u, namespace: default}\nspec: {serviceName: u, selector: {matchLabels: {app: u}}, template: {metadata: {labels: {app: u}}, spec: {securityContext: {runAsUser: 1000}, containers: [{name: main, image: shelf.standin.example/tools/t:1, volumeMounts: [{name: d, mountPath: /d}]}]}}, volumeClaimTemplates: [{metadata: {name: d}, spec: {${rwo}, ${size('1Gi')}}}]}`
      ),
    at: ref('Pod', 'default', 'u-0'),
    joint: 'start',
    says: /permission denied: the files of d-u-0 belong to user 0, the program runs as 1000/,
    evidence: /spec\.securityContext\.fsGroup=not set/,
    mend: (world) => {
      must(world, { type: 'send', objects: firstBreak(world, ref('Pod', 'default', 'u-0'))!.remedy!.manifests! });
      world.runSettled();
      remove(world, ref('Pod', 'default', 'u-0'));
    }
  },
  {
    name: 'the attach slots of every node are full',
    make: () =>
      settle(
        settle(
          backend('quotaVolumes: 99, attachLimit: 1')(fresh()),
          [1, 2, 3, 4].map((i) => claimOf(`c${i}`, `${rwo}, ${size('1Gi')}`) + podOf(`p${i}`, `c${i}`)).join('')
        ),
        claimOf('c', `${rwo}, ${size('1Gi')}`) + podOf('p', 'c')
      ),
    at: p,
    joint: 'placing',
    says: /without a free attach slot/,
    evidence: /FailedScheduling=/,
    mend: (world) => {
      for (const i of [1, 2, 3, 4]) remove(world, ref('Pod', 'default', `p${i}`));
    }
  }
];

/** south-quay whose driver registers its limit anew. */
function fresh(): World {
  const one = alone('south-quay');
  const world = World.create(one);
  backend('quotaVolumes: 99, attachLimit: 1')(world);
  must(world, one.actions[0]!.action);
  must(world, { type: 'send', objects: readySouthDriver() });
  world.runSettled();
  return world;
}
function readySouthDriver(): ApiObject[] {
  const { store } = readySouth();
  const its = [
    ...store.list('DaemonSet'),
    ...store.list('Deployment'),
    ...store.list('CSIDriver'),
    ...store.list('ClusterRole'),
    ...store.list('ClusterRoleBinding'),
    ...store.list('ServiceAccount', 'storage-system')
  ].map((one) => asManifest(one));
  return [...its, { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'storage-system' } }];
}

describe('south-quay', () => {
  test.each(south)('$name', ({ make, at, joint, says, evidence: wanted, mend }) => {
    const world = make();
    expect(firstBreak(world, at)).toMatchObject({ joint, says: expect.stringMatching(says) });
    expect(evidence(world, at)).toMatch(wanted);
    expect(firstBreak(world, at)!.remedy!.text).not.toBe('');
    expect(unfounded(world.store, rootLine(world.store, at)!)).toEqual([]);
    if (mend === 'offered') must(world, { type: 'send', objects: firstBreak(world, at)!.remedy!.manifests! });
    else mend?.(world);
    world.runUntil(world.nowMs + 600_000);
    if (mend) expect(firstBreak(world, at)).toBeUndefined();
  });

  test('two default classes: the newest counts, both are evidence, and the remedy unmarks the other', () => {
    const world = readySouth();
    world.runUntil(world.nowMs + 5_000);
    settle(
      world,
      classOf('newer', 'block.standin.example').replace(
        '{name: newer}',
        '{name: newer, annotations: {storageclass.kubernetes.io/is-default-class: "true"}}'
      )
    );
    settle(world, claimOf('c', `accessModes: [ReadWriteOnce], ${size('1Gi')}`));
    const look = () => rootLine(world.store, c)!.joints.find((one) => one.joint === 'class')!;
    expect(look()).toMatchObject({
      state: 'holds',
      label: 'newer',
      says: expect.stringMatching(/2 classes are marked as default, and the newest counts/)
    });
    expect(
      look()
        .evidence.map((one) => one.object.name)
        .sort()
    ).toEqual(['newer', 'steady-block']);
    must(world, { type: 'send', objects: look().remedy!.manifests! });
    expect(look().says).not.toMatch(/marked/);
  });

  test('a default that appears later is filled in', () => {
    const world = readySouth();
    remove(world, ref('StorageClass', '', 'steady-block'));
    settle(world, claimOf('c', `accessModes: [ReadWriteOnce], ${size('1Gi')}`));
    expect(firstBreak(world, c)!.joint).toBe('class');
    settle(
      world,
      classOf('late', 'block.standin.example').replace(
        '{name: late}',
        '{name: late, annotations: {storageclass.kubernetes.io/is-default-class: "true"}}'
      )
    );
    expect(world.store.get('PersistentVolumeClaim', 'default', 'c')).toMatchObject({
      spec: { storageClassName: 'late' },
      status: { phase: 'Bound' }
    });
  });

  test('the node plugin is missing on one node only', () => {
    const world = readySouth();
    const set = world.store.get('DaemonSet', 'storage-system', 'block-node')!;
    const node = world.store.get('Node', '', 'node-a1')!;
    const labelled: Node = { ...node, metadata: { ...node.metadata, labels: { ...node.metadata.labels, plugin: 'none' } } };
    const apart = {
      nodeAffinity: {
        requiredDuringSchedulingIgnoredDuringExecution: {
          nodeSelectorTerms: [{ matchExpressions: [{ key: 'plugin', operator: 'DoesNotExist' }] }]
        }
      }
    };
    must(world, {
      type: 'send',
      objects: [
        asManifest(labelled),
        asManifest({
          ...set,
          spec: { ...set.spec, template: { ...set.spec.template, spec: { ...set.spec.template.spec, affinity: apart } } }
        })
      ]
    });
    world.runSettled();
    settle(
      world,
      claimOf('c', `${rwo}, ${size('1Gi')}`) +
        podOf('p', 'c', ', nodeSelector: {kubernetes.io/hostname: node-a1}') +
        claimOf('d', `${rwo}, ${size('1Gi')}`) +
        podOf('q', 'd', ', nodeSelector: {kubernetes.io/hostname: node-a2}')
    );
    expect(firstBreak(world, p)).toMatchObject({ joint: 'driver', says: expect.stringMatching(/node plugin/) });
    expect(isReady(world.store.get('Pod', 'default', 'q'))).toBe(true);
  });
});

import {
  accessObject,
  domainOver,
  grantObjects,
  installObjects,
  installOf,
  membersApart,
  operatorNamed,
  operatorObjects,
  poolObject,
  poolOperatorObjects,
  type Action,
  type TimedAction
} from '$core/standin';
import type { ApiObject } from '$core/model';
import { objectsOf } from './ground';
import type { ScenarioCluster, ScenarioFork } from './index';

/** The clusters of `crew` with their members; the first one leads. Its operator runs in `pilot-house`. */
const parts = [
  { cluster: 'south-quay', members: 2, storageClassName: 'steady-block' },
  { cluster: 'north-quay', members: 2, storageClassName: 'steady-block' },
  { cluster: 'harbour', members: 1, storageClassName: 'shed-pool' }
] as const;
const home = 'pilot-house';
const namespaces = ['people'];
const operator = operatorNamed('document-operator')!;

/** What `crew` is called by: each member and the service, in its own cluster and over the links. */
const names = parts.flatMap(({ cluster, members }, nth) =>
  ['cluster.local', domainOver(cluster)].flatMap((domain) => [
    ...Array.from({ length: members }, (_, i) => `crew-${nth * membersApart + i}.crew.people.svc.${domain}`),
    `crew.people.svc.${domain}`
  ])
);
/** The one that was forgotten when the certificate was asked for. */
const forgotten = `crew-1.crew.people.svc.${domainOver('south-quay')}`;

const wishYaml = `
apiVersion: engines.standin.example/v1
kind: Issuer
metadata: {name: crew-authority, namespace: people}
spec: {authority: crew-authority, make: true}
---
apiVersion: engines.standin.example/v1
kind: Certificate
metadata: {name: crew, namespace: people}
spec: {secret: crew-tls, issuer: {name: crew-authority}, names: [${[...new Set(names)].filter((one) => one !== forgotten).join(', ')}]}
`;

const crewYaml = `
apiVersion: engines.standin.example/v1
kind: DocumentSet
metadata: {name: crew, namespace: people}
spec:
  members: 5
  cpu: 250m
  memory: 1Gi
  volume: {size: 6Gi, storageClassName: steady-block}
  clusters: [${parts.map((one) => `{cluster: ${one.cluster}, members: ${one.members}, storageClassName: ${one.storageClassName}}`).join(', ')}]
`;

const shedPoolYaml = `
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: shed-pool}
provisioner: pool.standin.example
parameters: {csi.storage.k8s.io/fstype: ext4}
volumeBindingMode: WaitForFirstConsumer
allowVolumeExpansion: true
`;

const sends = (atMs: number, objects: readonly ApiObject[]): TimedAction => ({ atMs, action: { type: 'send', objects } });
/** Delays are made up; the quays lie further from each other than from the harbour. */
const joins = (atMs: number, cluster: string, delayMs: number, names = true): TimedAction => ({
  atMs,
  action: {
    type: 'join',
    with: cluster,
    link: { delayMs, lossPercent: 0, carries: { addresses: true, names }, encrypted: true, version: '2.1' }
  } satisfies Action
});
const granted = grantObjects(operator, home, namespaces);
const withoutRights = granted.filter((one) => one.kind !== 'Role' && one.kind !== 'RoleBinding');

/** What is done in each cluster; every action has a moment of its own, over all of them. */
const done: Readonly<Record<string, (ground: readonly ApiObject[]) => readonly TimedAction[]>> = {
  'south-quay': () => [
    sends(10_000, installObjects(installOf('block.standin.example')!)),
    joins(60_000, 'north-quay', 17),
    // Nobody thought of names here, at either end.
    joins(60_001, 'harbour', 9, false),
    sends(70_000, granted)
  ],
  'north-quay': () => [joins(60_002, 'harbour', 12), sends(70_001, withoutRights)],
  harbour: (ground) => [
    sends(10_001, objectsOf(shedPoolYaml)),
    sends(
      10_002,
      ground
        .filter((one) => one.kind === 'Node')
        .map(
          (one) =>
            ({ ...one, metadata: { ...one.metadata, labels: { ...one.metadata.labels, 'standin.example/storage': 'true' } } }) as ApiObject
        )
    ),
    sends(10_003, poolOperatorObjects('r3')),
    sends(40_000, [poolObject('harbour-pool')]),
    sends(41_000, installObjects(installOf('pool.standin.example')!)),
    sends(70_002, granted)
  ],
  [home]: () => [
    joins(60_003, 'south-quay', 14),
    joins(60_004, 'north-quay', 15),
    joins(60_005, 'harbour', 5),
    sends(61_000, operatorObjects(operator, namespaces)),
    sends(62_000, [
      { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'people' } },
      ...parts.map((one) => accessObject(operator, home, one.cluster))
    ]),
    sends(63_000, objectsOf(wishYaml)),
    sends(330_000, objectsOf(crewYaml))
  ]
};

/** When each fork was made of its trunk: before the workloads of the trunk were sent. */
const forkedAtMs: Readonly<Record<string, number>> = { 'south-quay': 2_000, 'north-quay': 60_000, harbour: 10_000, [home]: 10_000 };

/**
 * The rehearsal `crew` of a cluster: the four linked with each other, with members in three of them, run from the fourth. One link without
 * names, one namespace without rights, one certificate without a name: three breaks that look the same on the members.
 */
export function crewFork({ name, ground, actions }: ScenarioCluster): ScenarioFork | undefined {
  const own = done[name]?.(ground);
  const atMs = forkedAtMs[name];
  if (!own || atMs === undefined) return undefined;
  return { name: 'crew', forkedAtMs: atMs, actions: [...actions.filter((one) => one.atMs <= atMs), ...own], headMs: 990_000 };
}

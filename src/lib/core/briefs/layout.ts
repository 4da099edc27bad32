import { ordinaryDomain, type Ground } from '../model';
import { driverCard, filePort, providerAudience } from '../standin';

/** How the control plane is laid out: one member, or several with a quorum store of their own. */
export type Shape = 'small' | 'production';
type Spec = Ground['spec'];

/** Speed kinds of a rented block backend. The shape (a base, so much per GiB, a most) is common practice, no source; the figures are made up. */
export const speedKinds = {
  steady: { baseIops: 1_800, iopsPerGib: 7, mostIops: 11_200, baseMbps: 90, mbpsPerGib: 0.4, mostMbps: 640 },
  fast: { baseIops: 5_200, iopsPerGib: 13, mostIops: 44_000, baseMbps: 210, mbpsPerGib: 1.1, mostMbps: 1_700 },
  cheap: { baseIops: 240, iopsPerGib: 0.8, mostIops: 2_600, baseMbps: 45, mbpsPerGib: 0.07, mostMbps: 190 }
} as const;
/** A kind of speed that a volume can be asked to have. */
export type SpeedKind = keyof typeof speedKinds;

/** Which speed kind a backend has; undefined when its figures are its own. */
export const speedKindOf = (backend: NonNullable<Spec['backends']>[number] | undefined): SpeedKind | undefined =>
  (Object.keys(speedKinds) as SpeedKind[]).find((kind) => speedKinds[kind].baseIops === backend?.speed?.baseIops);

/** The control members of a shape, as a beginning. */
export const controlOf = (shape: Shape, balancer = ''): NonNullable<Spec['control']> =>
  shape === 'small' ? { shape, quorum: 1, members: 1 } : { shape, quorum: 3, members: 3, mode: 'balanced', balancer };

const zonesOf = (shape: Shape): readonly string[] => (shape === 'small' ? ['a'] : ['a', 'b', 'c']);

/** Least and most size of a volume, and how many a node takes (made up). */
export const blockLimits = { leastSize: '512Mi', mostSize: '11Ti', attachLimit: 25 } as const;

/** A block backend over zones, with its identity and the first class. */
export function withBlock(spec: Spec, kind: SpeedKind, fsType: 'ext4' | 'xfs', reclaimPolicy: 'Delete' | 'Retain', capacity: string): Spec {
  const card = driverCard('block.standin.example')!;
  const zones = [...new Set((spec.groups ?? []).map((one) => one.zone))];
  const block: Spec = {
    ...spec,
    backends: [
      {
        name: 'volumes',
        driver: card.driver,
        zones: zones.map((name) => ({ name, capacity })),
        quotaVolumes: 200,
        ...blockLimits,
        speed: { ...speedKinds[kind] }
      }
    ],
    identities: [
      {
        name: 'volume-keeper',
        driver: card.driver,
        subject: `system:serviceaccount:${card.namespace}:${card.account}`,
        audience: providerAudience,
        rights: [...card.rights]
      }
    ],
    firstClass: {
      name: `${kind}-block`,
      provisioner: card.driver,
      parameters: { 'csi.storage.k8s.io/fstype': fsType },
      reclaimPolicy,
      volumeBindingMode: 'WaitForFirstConsumer',
      allowVolumeExpansion: true
    }
  };
  return withFiles(block, hasFiles(spec));
}

const filesDriver = 'files.standin.example';

/** Whether a layout has a shared file system. */
export const hasFiles = (spec: Spec): boolean => (spec.backends ?? []).some((one) => one.driver === filesDriver);

/** A shared file system with a mount target in every zone, or none; the rest stays as it is. */
export function withFiles(spec: Spec, wanted: boolean): Spec {
  const card = driverCard(filesDriver)!;
  const others = (spec.backends ?? []).filter((one) => one.driver !== filesDriver);
  const identities = (spec.identities ?? []).filter((one) => one.driver !== filesDriver);
  if (!wanted) return { ...spec, backends: others, identities };
  const zones = [...new Set((spec.groups ?? []).map((one) => one.zone))];
  const files = {
    name: 'shared-files',
    driver: filesDriver,
    zones: [],
    quotaVolumes: 1_000,
    fileSystem: 'fs-shared',
    mountTargets: zones.map((zone) => ({ zone })),
    letIn: [{ port: filePort, from: spec.nodeRange }]
  };
  const identity = {
    name: 'files-keeper',
    driver: filesDriver,
    subject: `system:serviceaccount:${card.namespace}:${card.account}`,
    audience: providerAudience,
    rights: [...card.rights]
  };
  return { ...spec, backends: [...others, files], identities: [...identities, identity] };
}

/** A ground document to begin a layout with. */
export function startingGround(name: string, shape: Shape): Ground {
  const spec: Spec = {
    version: '1.32',
    clusterDomain: ordinaryDomain,
    issuer: `https://issuer.${name}.example`,
    podRange: '10.80.0.0/16',
    serviceRange: '10.180.0.0/20',
    nodeRange: '172.30.0.0/24',
    control: controlOf(shape, '172.30.0.5'),
    groups: zonesOf(shape).map((zone) => ({
      name: `worker-${zone}`,
      zone,
      count: shape === 'small' ? 3 : 2,
      cpu: '5',
      memory: '18Gi',
      disks: [{ size: '120Gi', holds: 'system' }],
      speed: { iops: 14_400, mbps: 720 }
    })),
    registries: [{ name: 'shelf', host: 'shelf.standin.example', reachable: true, bytesPerSecond: 60_000_000 }],
    pulls: 'any'
  };
  return {
    apiVersion: 'standin.example/v1',
    kind: 'Ground',
    metadata: { name },
    spec: withBlock(spec, 'steady', 'ext4', 'Delete', '1000Gi')
  };
}

import { bytesOf, differences, isQuantity, quantityOf, same } from '../../shared';
import { clusterVersion } from '../provider/drivers';
import { gateOpen } from '../provider/feature-gates';
import { classOf, conditionOf, type ApiObject, type Claim, type Facts, type KindMap } from '../../model';

/** A change that the cluster API refuses: the field, what it was and would be, and the way round. */
export interface Fault {
  readonly code: 'immutable-field' | 'claim-cannot-grow';
  readonly field: string;
  readonly before: unknown;
  readonly after: unknown;
  readonly remedy: string;
}

type Fixed = Readonly<
  Record<
    string,
    {
      fields: readonly string[];
      remedy: string;
      /** They can change until then. */
      once?(before: ApiObject, facts: Facts): boolean;
    }
  >
>;
type Told = { readonly conditions?: Parameters<typeof conditionOf>[0]; readonly momentMs?: number; readonly pieces?: readonly unknown[] };
const told = (one: ApiObject): Told => (one as { status?: Told }).status ?? {};

/** Whether what was asked for is there. */
const isMade = (one: ApiObject): boolean => conditionOf(told(one).conditions, 'Ready')?.status === 'True';
/** Whether its operator has made the set that a resource comes to. */
const hasSet = ({ metadata }: ApiObject, facts: Facts): boolean =>
  facts.get('StatefulSet', metadata.namespace ?? '', metadata.name) !== undefined;
/** Whether a plan has anything that it copied. */
const hasCopied = (one: ApiObject, facts: Facts): boolean =>
  (told(one).pieces?.length ?? 0) > 0 ||
  facts.list('BackupRun', one.metadata.namespace).some(({ spec }) => spec.plan === one.metadata.name);

/** Fields that can't change once the object stands. Sources: the cluster API's reference of each kind. */
const fixed: Fixed = {
  StorageClass: {
    fields: ['provisioner', 'parameters', 'reclaimPolicy', 'volumeBindingMode'],
    remedy: 'Send a class with another name, or take this one away first: claims that are bound keep their volumes.'
  },
  Deployment: { fields: ['spec.selector'], remedy: 'Send it under another name, or take it away first.' },
  DaemonSet: { fields: ['spec.selector'], remedy: 'Send it under another name, or take it away first.' },
  CSIDriver: { fields: ['spec.attachRequired', 'spec.fsGroupPolicy'], remedy: 'Take the object away and send it anew.' },
  VolumeAttributesClass: {
    fields: ['driverName', 'parameters'],
    remedy: 'Send a class with another name, and name that in the claims.'
  },
  CSIStorageCapacity: { fields: ['nodeTopology', 'storageClassName'], remedy: 'Take the object away and send it anew.' },
  PersistentVolume: {
    fields: ['spec.csi', 'spec.local', 'spec.hostPath', 'spec.nfs', 'spec.volumeMode', 'spec.nodeAffinity'],
    remedy: 'Make a volume with another name.'
  },
  VolumeSnapshot: { fields: ['spec.source'], remedy: 'Take another snapshot, under another name.' },
  Job: {
    fields: ['spec.template', 'spec.completions', 'spec.completionMode'],
    remedy: 'Send it under another name, or take it away first.'
  },
  VolumeSnapshotContent: { fields: ['spec.source', 'spec.driver'], remedy: 'Take it away and send it anew.' },
  EndpointSlice: { fields: ['addressType'], remedy: 'Take it away and send it anew.' },
  PriorityClass: {
    fields: ['value', 'preemptionPolicy'],
    remedy: 'Send a class with another name, and name that; pods keep what they were made with.'
  },
  // From here on made up, as these kinds are: what nobody carries out once something is made isn't taken.
  MemoryCluster: {
    fields: ['spec.volume'],
    remedy: 'Claims keep what they were made with: grow each of them, or make another cluster beside it and move what this one holds.',
    once: hasSet
  },
  MemoryDatabase: {
    fields: ['spec'],
    remedy: 'Make a database of another name, and move what this one holds; or take it away with its content and send it anew.',
    once: isMade
  },
  DocumentSet: {
    fields: ['spec.volume', 'spec.tls'],
    remedy:
      'Claims and certificates stay as the set was made: grow each claim, or make another set beside it and move what this one holds.',
    once: hasSet
  },
  Topic: {
    fields: ['spec'],
    remedy: 'Make a topic of another name and move what it holds; or drop this one, with its messages, and send it anew.',
    once: isMade
  },
  // How far one has followed is a position of the one that it followed, and what copies build on is of the workload that was named.
  Mirror: {
    fields: ['spec.from', 'spec.workload'],
    remedy: 'Take it away and send it anew: it begins with all of what it follows then.',
    once: (one) => told(one).momentMs !== undefined
  },
  BackupPlan: {
    fields: ['spec.workload'],
    remedy: 'Send a plan of another name: the copies of this one are of the workload that it names.',
    once: hasCopied
  },
  RoleBinding: { fields: ['roleRef'], remedy: 'Take it away and send it anew.' },
  ClusterRoleBinding: { fields: ['roleRef'], remedy: 'Take it away and send it anew.' }
};

/** An address that was handed out stays, but for a service that becomes a name elsewhere. Source: ServiceSpec v1 core, clusterIP. */
function serviceFaults(before: KindMap['Service'], after: KindMap['Service']): Fault[] {
  const [old, next] = [before.spec.clusterIP, after.spec.clusterIP];
  if (!old || old === next || after.spec.type === 'ExternalName') return [];
  return [
    { code: 'immutable-field', field: 'spec.clusterIP', before: old, after: next, remedy: 'Take the service away and send it anew.' }
  ];
}

/** What is marked immutable stays so; a secret keeps its type. Source: "Immutable Secrets", "Immutable ConfigMaps". */
function dataFaults(before: KindMap['Secret'] | KindMap['ConfigMap'], after: typeof before): Fault[] {
  const remedy = 'It is marked immutable: send it under another name and change who refers to it.';
  const fields = before.immutable === true ? ['immutable', 'data', 'binaryData'] : [];
  return [...fields, ...(before.kind === 'Secret' ? ['type'] : [])].flatMap((field) =>
    differences(at(before, field), at(after, field), field).map((one) => ({
      code: 'immutable-field' as const,
      ...one,
      remedy: field === 'type' ? "A secret's type stays: take it away and send it anew." : remedy
    }))
  );
}

const settableInSets = new Set([
  'replicas',
  'ordinals',
  'template',
  'updateStrategy',
  'persistentVolumeClaimRetentionPolicy',
  'minReadySeconds',
  'revisionHistoryLimit'
]);

const at = (object: unknown, path: string): unknown =>
  path.split('.').reduce<unknown>((value, key) => (value as Record<string, unknown> | undefined)?.[key], object);

/** `2Gi` and `2048Mi` are the same. Source: "Quantity" of the API's reference. */
const sameSize = ({ field, before, after }: { field: string; before: unknown; after: unknown }): boolean =>
  /\.storage$/.test(field) &&
  [before, after].every((one) => (typeof one === 'string' || typeof one === 'number') && isQuantity(String(one))) &&
  bytesOf(before as string) === bytesOf(after as string);

function setFaults(before: KindMap['StatefulSet'], after: KindMap['StatefulSet']): Fault[] {
  const keys = new Set([...Object.keys(before.spec), ...Object.keys(after.spec)]);
  return [...keys]
    .filter((key) => !settableInSets.has(key))
    .flatMap((key) => differences(before.spec[key], after.spec[key], `spec.${key}`))
    .filter((one) => !sameSize(one))
    .map((one) => ({
      code: 'immutable-field' as const,
      ...one,
      remedy: one.field.startsWith('spec.volumeClaimTemplates')
        ? 'Grow every claim by itself, take the set away but keep its members, then send the set with the new template.'
        : 'Take the set away but keep its members, then send it anew.'
    }));
}

/** From this minor version on a growth that failed can be taken back. Source: "Recovering from Failure when Expanding Volumes". */
const takesGrowthBack = 32;
const mayTakeBack = (facts: Facts): boolean => Number(clusterVersion(facts).split('.')[1]) >= takesGrowthBack;

const bare = ({ volumeAttributesClassName: _, ...spec }: Omit<Claim['spec'], 'resources'>) => spec;
/** Another class of attributes can be named, and one where none was; taking it out again can't be. From memory. */
const mayModify = (before: Claim, after: Claim): boolean =>
  Boolean(after.spec.volumeAttributesClassName) || !before.spec.volumeAttributesClassName;

function claimFaults(before: Claim, after: Claim, facts: Facts): Fault[] {
  const { resources: asked, ...kept } = after.spec;
  const { resources: had, ...stood } = before.spec;
  const [old, rest] = gateOpen(facts, 'VolumeAttributesClass') && mayModify(before, after) ? [bare(stood), bare(kept)] : [stood, kept];
  const faults: Fault[] = differences(old, rest, 'spec').map((one) => ({
    code: 'immutable-field',
    ...one,
    remedy: 'A claim is fixed once it is made, but for growing. Make a new claim and move the data.'
  }));
  const [oldBytes, newBytes] = [bytesOf(had.requests.storage), bytesOf(asked.requests.storage)];
  const size = { field: 'spec.resources.requests.storage', before: had.requests.storage, after: asked.requests.storage };
  const hasBytes = bytesOf(before.status?.capacity?.storage ?? '0');
  const takesBack = mayTakeBack(facts) && hasBytes > 0 && newBytes > hasBytes;
  if (newBytes < oldBytes && !takesBack)
    faults.push({
      code: 'claim-cannot-grow',
      ...size,
      remedy: `A claim never shrinks: ask for ${quantityOf(oldBytes)} or more${
        mayTakeBack(facts) && hasBytes > 0 && hasBytes < oldBytes
          ? `, or, to take a growth back, for more than the ${quantityOf(hasBytes)} it has`
          : ''
      }.`
    });
  if (newBytes > oldBytes) {
    const one = classOf(facts, before.spec);
    if (before.status?.phase !== 'Bound')
      faults.push({ code: 'claim-cannot-grow', ...size, remedy: 'Wait until the claim is bound; only then can it grow.' });
    else if (one?.allowVolumeExpansion !== true)
      faults.push({
        code: 'claim-cannot-grow',
        ...size,
        remedy: `Its class ${one?.metadata.name ?? '(none)'} doesn't grow. Set allowVolumeExpansion: true on the class first, if its driver can.`
      });
  }
  return faults;
}

/** Whether a list holds all that another one holds. */
const holdsAll = (all: readonly unknown[], some: readonly unknown[]): boolean => some.every((one) => all.some((other) => same(one, other)));

/** Of a pod images may change, tolerations come, gates go and a deadline come nearer. Source: "Pods", pod update and replacement. */
function podFaults(before: KindMap['Pod'], after: KindMap['Pod']): Fault[] {
  type Loose = { schedulingGates?: readonly unknown[]; activeDeadlineSeconds?: number };
  const [old, next] = [before.spec as Loose, after.spec as Loose];
  const may = (field: string): boolean => {
    if (/^spec\.(containers|initContainers)\[\d+\]\.image$/.test(field)) return true;
    if (field.startsWith('spec.tolerations')) return holdsAll(after.spec.tolerations ?? [], before.spec.tolerations ?? []);
    if (field.startsWith('spec.schedulingGates')) return holdsAll(old.schedulingGates ?? [], next.schedulingGates ?? []);
    if (field !== 'spec.activeDeadlineSeconds') return false;
    return next.activeDeadlineSeconds !== undefined && next.activeDeadlineSeconds < (old.activeDeadlineSeconds ?? Infinity);
  };
  return differences(before.spec, after.spec, 'spec')
    .filter(({ field }) => !may(field))
    .map((one) => ({ code: 'immutable-field', ...one, remedy: 'Take the pod away and send it anew.' }));
}

/** What of a change the cluster API would refuse. */
export function immutableFaults(before: ApiObject, after: ApiObject, facts: Facts): Fault[] {
  if (before.kind === 'StatefulSet' && after.kind === 'StatefulSet') return setFaults(before, after);
  if (before.kind === 'PersistentVolumeClaim' && after.kind === 'PersistentVolumeClaim') return claimFaults(before, after, facts);
  if (before.kind === 'Pod' && after.kind === 'Pod') return podFaults(before, after);
  if (before.kind === 'Secret' || before.kind === 'ConfigMap') return dataFaults(before, after as typeof before);
  if (before.kind === 'Service' && after.kind === 'Service') return serviceFaults(before, after);
  const rule = fixed[before.kind];
  if (rule?.once?.(before, facts) === false) return [];
  return (rule?.fields ?? []).flatMap((field) => {
    const [old, next] = [at(before, field), at(after, field)];
    if (same(old, next)) return [];
    return differences(old, next, field).map((one) => ({ code: 'immutable-field' as const, ...one, remedy: rule!.remedy }));
  });
}

import { bytesOf, differences, quantityOf, same } from '../../shared';
import { classOf, type ApiObject, type Claim, type Facts, type KindMap } from '../../model';

/** A change that the cluster API refuses: the field, what it was and would be, and the way round. */
export interface Fault {
  readonly code: 'immutable-field' | 'claim-cannot-grow';
  readonly field: string;
  readonly before: unknown;
  readonly after: unknown;
  readonly remedy: string;
}

type Fixed = Readonly<Record<string, { fields: readonly string[]; remedy: string }>>;

/** Fields that can't change once the object stands. Sources: the cluster API's reference of each kind. */
const fixed: Fixed = {
  StorageClass: {
    fields: ['provisioner', 'parameters', 'reclaimPolicy', 'volumeBindingMode'],
    remedy: 'Send a class with another name, or take this one away first: claims that are bound keep their volumes.'
  },
  Deployment: { fields: ['spec.selector'], remedy: 'Send it under another name, or take it away first.' },
  DaemonSet: { fields: ['spec.selector'], remedy: 'Send it under another name, or take it away first.' },
  CSIDriver: { fields: ['spec.attachRequired', 'spec.fsGroupPolicy'], remedy: 'Take the object away and send it anew.' },
  PersistentVolume: { fields: ['spec.csi', 'spec.volumeMode', 'spec.nodeAffinity'], remedy: 'Make a volume with another name.' }
};

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

function setFaults(before: KindMap['StatefulSet'], after: KindMap['StatefulSet']): Fault[] {
  const keys = new Set([...Object.keys(before.spec), ...Object.keys(after.spec)]);
  return [...keys]
    .filter((key) => !settableInSets.has(key))
    .flatMap((key) => differences(before.spec[key], after.spec[key], `spec.${key}`))
    .map((one) => ({
      code: 'immutable-field' as const,
      ...one,
      remedy: one.field.startsWith('spec.volumeClaimTemplates')
        ? 'Grow every claim by itself, take the set away but keep its members, then send the set with the new template.'
        : 'Take the set away but keep its members, then send it anew.'
    }));
}

function claimFaults(before: Claim, after: Claim, facts: Facts): Fault[] {
  const { resources: asked, ...rest } = after.spec;
  const { resources: had, ...old } = before.spec;
  const faults: Fault[] = differences(old, rest, 'spec').map((one) => ({
    code: 'immutable-field',
    ...one,
    remedy: 'A claim is fixed once it is made, but for growing. Make a new claim and move the data.'
  }));
  const [oldBytes, newBytes] = [bytesOf(had.requests.storage), bytesOf(asked.requests.storage)];
  const size = { field: 'spec.resources.requests.storage', before: had.requests.storage, after: asked.requests.storage };
  if (newBytes < oldBytes)
    faults.push({ code: 'claim-cannot-grow', ...size, remedy: `A claim never shrinks: ask for ${quantityOf(oldBytes)} or more.` });
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

/** What of a change the cluster API would refuse. */
export function immutableFaults(before: ApiObject, after: ApiObject, facts: Facts): Fault[] {
  if (before.kind === 'StatefulSet' && after.kind === 'StatefulSet') return setFaults(before, after);
  if (before.kind === 'PersistentVolumeClaim' && after.kind === 'PersistentVolumeClaim') return claimFaults(before, after, facts);
  if (before.kind === 'Pod' && after.kind === 'Pod') {
    return differences(before.spec, after.spec, 'spec')
      .filter(({ field }) => !/^spec\.containers\[\d+\]\.image$/.test(field))
      .map((one) => ({ code: 'immutable-field', ...one, remedy: 'Take the pod away and send it anew.' }));
  }
  if ((before.kind === 'Secret' || before.kind === 'ConfigMap') && before.immutable === true) {
    return differences(before.data, (after as typeof before).data, 'data').map((one) => ({
      code: 'immutable-field',
      ...one,
      remedy: 'It is marked immutable: send it under another name and change who refers to it.'
    }));
  }
  const rule = fixed[before.kind];
  return (rule?.fields ?? []).flatMap((field) => {
    const [old, next] = [at(before, field), at(after, field)];
    if (same(old, next)) return [];
    return differences(old, next, field).map((one) => ({ code: 'immutable-field' as const, ...one, remedy: rule!.remedy }));
  });
}

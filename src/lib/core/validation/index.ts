import { backupPlan, backupReturn } from './backups';
import { publishedRow, type ApiObject, type Kind } from '../model';
import { At, type FieldFault } from './at';
import { metadata, selector } from './metadata';
import { binding, configMap, hooks, limitRange, node, priorityClass, quota, rights, secret } from './plain';
import { podSpec } from './pods';
import { publishedTypes } from './published';
import { endpointSlice, networkPolicy, service } from './services';
import {
  attributesClass,
  claimSpec,
  csiDriver,
  snapshot,
  snapshotClass,
  snapshotContent,
  storageCapacity,
  storageClass,
  volume
} from './storage';
import { budget, cronJob, daemonSet, deployment, job, statefulSet } from './workloads';

export { nodePorts } from './services';
export { enforceLabel, levelOf, securityFaults, securityLevels } from './security';
export { versionFaults } from './versions';
export type { FieldFault, FieldMend, FieldPath } from './at';

const rules: { readonly [K in Kind]?: (at: At) => void } = {
  Pod: (at) => podSpec(at.of('spec')),
  StatefulSet: statefulSet,
  Deployment: deployment,
  DaemonSet: daemonSet,
  Job: job,
  CronJob: cronJob,
  PodDisruptionBudget: budget,
  Service: service,
  NetworkPolicy: (at) => networkPolicy(at, selector),
  PersistentVolumeClaim: (at) => claimSpec(at.of('spec')),
  PersistentVolume: volume,
  StorageClass: storageClass,
  CSIDriver: csiDriver,
  CSIStorageCapacity: storageCapacity,
  VolumeAttributesClass: attributesClass,
  VolumeSnapshot: snapshot,
  VolumeSnapshotClass: snapshotClass,
  VolumeSnapshotContent: snapshotContent,
  EndpointSlice: endpointSlice,
  ConfigMap: configMap,
  Secret: secret,
  Node: node,
  ResourceQuota: quota,
  LimitRange: limitRange,
  PriorityClass: priorityClass,
  Role: (at) => rights(at, false),
  ClusterRole: (at) => rights(at, true),
  RoleBinding: (at) => binding(at, false),
  ClusterRoleBinding: (at) => binding(at, true),
  ValidatingWebhookConfiguration: hooks,
  MutatingWebhookConfiguration: hooks,
  BackupPlan: backupPlan,
  BackupReturn: backupReturn
};

/** Kinds whose fields hold schemas of their own. */
const open: readonly Kind[] = ['CustomResourceDefinition'];

/**
 * What the cluster API refuses of an object by itself, kind by kind, beyond what the schemas say: forms of texts, bounds of numbers, fields
 * that exclude or need each other. Sources: the API's reference of each kind and the concepts' pages named beside each rule. What the
 * object would meet in a cluster (names that stand, changes that are refused) is looked at when it is sent.
 * @returns all faults, each with its field; none for an object that is taken
 */
export function validate(object: ApiObject): FieldFault[] {
  const found: FieldFault[] = [];
  const at = new At(object, [], found);
  metadata(at.of('metadata'));
  const row = open.includes(object.kind) ? undefined : publishedRow(object.kind);
  if (row) for (const [field, one] of at.entries) if (field !== 'status') publishedTypes(one, row?.[field] ?? '*');
  const typed = found.length;
  rules[object.kind]?.(at);
  if (!typed) return found;
  // A value of the wrong type is said to be that, and nothing else.
  const wrong = found.filter((one) => one.code === 'wrong-type').map((one) => one.field.join(' '));
  return found.filter((one) => one.code === 'wrong-type' || !wrong.includes(one.field.join(' ')));
}

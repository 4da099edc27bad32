import type { z } from 'zod';
import type { NameRule } from './names';
import * as plain from './plain-kinds';
import * as pods from './pod-kinds';
import * as policy from './policy-kinds';
import * as snapshot from './snapshot-kinds';
import * as operated from './operator-kinds';
import * as backup from './backup-kinds';
import * as card from './card-kinds';
import * as link from './link-kind';
import * as mirror from './mirror-kind';
import * as outage from './outage-kind';
import * as standin from './standin-kinds';
import * as storage from './storage-kinds';
import * as workload from './workload-kinds';

/** Every kind that Root Barn knows, with the type of its objects. */
export interface KindMap {
  Namespace: plain.Namespace;
  Node: pods.Node;
  ServiceAccount: plain.ServiceAccount;
  ConfigMap: plain.ConfigMap;
  Secret: plain.Secret;
  Service: pods.Service;
  EndpointSlice: pods.EndpointSlice;
  Event: plain.ClusterEvent;
  Pod: pods.Pod;
  StatefulSet: workload.StatefulSet;
  ControllerRevision: workload.ControllerRevision;
  Deployment: workload.Deployment;
  DaemonSet: workload.DaemonSet;
  Job: workload.Job;
  CronJob: workload.CronJob;
  StorageClass: storage.StorageClass;
  VolumeAttributesClass: storage.AttributesClass;
  CSIDriver: storage.CSIDriver;
  CSIStorageCapacity: storage.StorageCapacity;
  CSINode: storage.CSINode;
  PersistentVolume: storage.Volume;
  PersistentVolumeClaim: storage.Claim;
  VolumeAttachment: storage.Attachment;
  VolumeSnapshotClass: snapshot.SnapshotClass;
  VolumeSnapshot: snapshot.Snapshot;
  VolumeSnapshotContent: snapshot.SnapshotContent;
  PodDisruptionBudget: policy.DisruptionBudget;
  Role: policy.Role;
  ClusterRole: policy.ClusterRole;
  RoleBinding: policy.RoleBinding;
  ClusterRoleBinding: policy.ClusterRoleBinding;
  ValidatingWebhookConfiguration: policy.ValidatingHook;
  MutatingWebhookConfiguration: policy.MutatingHook;
  NetworkPolicy: policy.NetworkPolicy;
  ResourceQuota: policy.ResourceQuota;
  LimitRange: policy.LimitRange;
  PriorityClass: policy.PriorityClass;
  ReplicaSet: policy.ReplicaSet;
  Issuer: policy.Issuer;
  Certificate: policy.Certificate;
  Ground: standin.Ground;
  Backend: standin.Backend;
  Identity: standin.Identity;
  Registry: standin.Registry;
  Disk: standin.Disk;
  Pool: standin.Pool;
  Asset: standin.Asset;
  Held: standin.Held;
  Restoring: standin.Restoring;
  Process: standin.Process;
  Ask: standin.AskObject;
  Link: link.Link;
  Outage: outage.Outage;
  LoginProvider: standin.LoginProvider;
  Emptying: standin.Emptying;
  CheckSettings: standin.CheckSettings;
  EngineCard: card.EngineCardObject;
  DriverCard: card.DriverCardObject;
  Tunnel: standin.Tunnel;
  Topic: standin.Topic;
  Account: standin.Account;
  MemoryCluster: operated.MemoryCluster;
  MemoryDatabase: operated.MemoryDatabase;
  DocumentSet: operated.DocumentSet;
  OperatorOrder: operated.OperatorOrder;
  CustomResourceDefinition: operated.Definition;
  Rest: standin.Rest;
  BackupPlan: backup.BackupPlan;
  BackupRun: backup.BackupRun;
  BackupReturn: backup.BackupReturn;
  Mirror: mirror.Mirror;
}
/** Every kind that is known here, as manifests spell it. */
export type Kind = keyof KindMap;
/** An object of any known kind. */
export type ApiObject = KindMap[Kind];

/** What is known of a kind beside its schema. */
export interface KindEntry {
  readonly kind: Kind;
  readonly apiVersion: string;
  readonly namespaced: boolean;
  readonly nameRule: NameRule;
  /** Place in the order of sending: what others rest on comes first. */
  readonly order: number;
  /** Made by the cluster alone; a person doesn't send it. */
  readonly derived: boolean;
  readonly schema: z.ZodType;
}

type Flags = { cluster?: boolean; derived?: boolean; rule?: NameRule };

const entry = (kind: Kind, apiVersion: string, schema: z.ZodType, flags: Flags = {}): Omit<KindEntry, 'order'> => ({
  kind,
  apiVersion,
  schema,
  namespaced: !flags.cluster,
  derived: flags.derived ?? false,
  nameRule: flags.rule ?? 'subdomain'
});

const storageApi = 'storage.k8s.io/v1';
const rbacApi = 'rbac.authorization.k8s.io/v1';
const hookApi = 'admissionregistration.k8s.io/v1';
const { snapshotApi } = snapshot;
const api = standin.standinApi;

/** All kinds in the order of sending. */
export const kindEntries: readonly KindEntry[] = [
  entry('Ground', api, standin.groundSchema, { cluster: true }),
  entry('Registry', api, standin.registrySchema, { cluster: true }),
  entry('Backend', api, standin.backendSchema, { cluster: true }),
  entry('Identity', api, standin.identitySchema, { cluster: true }),
  entry('Node', 'v1', pods.nodeSchema, { cluster: true }),
  entry('Disk', api, standin.diskSchema, { cluster: true }),
  entry('Link', api, link.linkSchema, { cluster: true }),
  entry('Outage', api, outage.outageSchema, { cluster: true }),
  entry('LoginProvider', api, standin.loginProviderSchema, { cluster: true }),
  entry('Emptying', api, standin.emptyingSchema, { cluster: true }),
  entry('CheckSettings', api, standin.checkSettingsSchema, { cluster: true }),
  entry('EngineCard', api, card.engineCardSchema, { cluster: true }),
  entry('DriverCard', api, card.driverCardSchema, { cluster: true }),
  entry('Namespace', 'v1', plain.namespaceSchema, { cluster: true, rule: 'label' }),
  entry('ResourceQuota', 'v1', policy.resourceQuotaSchema),
  entry('LimitRange', 'v1', policy.limitRangeSchema),
  entry('PriorityClass', 'scheduling.k8s.io/v1', policy.priorityClassSchema, { cluster: true }),
  entry('NetworkPolicy', 'networking.k8s.io/v1', policy.networkPolicySchema),
  entry('CSIDriver', storageApi, storage.csiDriverSchema, { cluster: true }),
  entry('StorageClass', storageApi, storage.storageClassSchema, { cluster: true }),
  entry('VolumeAttributesClass', storageApi, storage.attributesClassSchema, { cluster: true }),
  entry('CSIStorageCapacity', storageApi, storage.capacitySchema),
  entry('VolumeSnapshotClass', snapshotApi, snapshot.snapshotClassSchema, { cluster: true }),
  entry('CustomResourceDefinition', 'apiextensions.k8s.io/v1', operated.definitionSchema, { cluster: true }),
  entry('ServiceAccount', 'v1', plain.serviceAccountSchema),
  entry('Role', rbacApi, policy.roleSchema, { rule: 'path' }),
  entry('ClusterRole', rbacApi, policy.clusterRoleSchema, { cluster: true, rule: 'path' }),
  entry('RoleBinding', rbacApi, policy.roleBindingSchema, { rule: 'path' }),
  entry('ClusterRoleBinding', rbacApi, policy.clusterRoleBindingSchema, { cluster: true, rule: 'path' }),
  entry('ConfigMap', 'v1', plain.configMapSchema),
  entry('Secret', 'v1', plain.secretSchema),
  entry('PersistentVolume', 'v1', storage.volumeSchema, { cluster: true }),
  entry('PersistentVolumeClaim', 'v1', storage.claimSchema),
  entry('VolumeSnapshotContent', snapshotApi, snapshot.snapshotContentSchema, { cluster: true }),
  entry('VolumeSnapshot', snapshotApi, snapshot.snapshotSchema),
  entry('Service', 'v1', pods.serviceSchema, { rule: 'service' }),
  entry('EndpointSlice', 'discovery.k8s.io/v1', pods.endpointSliceSchema),
  entry('Tunnel', api, standin.tunnelSchema),
  entry('DaemonSet', 'apps/v1', workload.daemonSetSchema),
  entry('Deployment', 'apps/v1', workload.deploymentSchema),
  entry('ValidatingWebhookConfiguration', hookApi, policy.validatingHookSchema, { cluster: true }),
  entry('MutatingWebhookConfiguration', hookApi, policy.mutatingHookSchema, { cluster: true }),
  entry('Issuer', standin.enginesApi, policy.issuerSchema),
  entry('Certificate', standin.enginesApi, policy.certificateSchema),
  entry('Pool', standin.enginesApi, standin.poolSchema, { cluster: true }),
  entry('Job', 'batch/v1', workload.jobSchema),
  entry('CronJob', 'batch/v1', workload.cronJobSchema),
  entry('PodDisruptionBudget', 'policy/v1', policy.disruptionBudgetSchema),
  entry('StatefulSet', 'apps/v1', workload.statefulSetSchema),
  entry('MemoryCluster', standin.enginesApi, operated.memoryClusterSchema),
  entry('MemoryDatabase', standin.enginesApi, operated.memoryDatabaseSchema),
  entry('DocumentSet', standin.enginesApi, operated.documentSetSchema),
  entry('OperatorOrder', standin.enginesApi, operated.operatorOrderSchema),
  entry('Topic', standin.enginesApi, standin.topicSchema),
  entry('Account', standin.enginesApi, standin.accountSchema),
  entry('Rest', api, standin.restSchema),
  entry('BackupPlan', api, backup.backupPlanSchema),
  entry('BackupRun', api, backup.backupRunSchema),
  entry('BackupReturn', api, backup.backupReturnSchema),
  entry('Mirror', api, mirror.mirrorSchema),
  entry('Pod', 'v1', pods.podSchema),
  entry('ControllerRevision', 'apps/v1', workload.controllerRevisionSchema, { derived: true }),
  entry('ReplicaSet', 'apps/v1', policy.replicaSetSchema, { derived: true }),
  entry('CSINode', storageApi, storage.csiNodeSchema, { cluster: true, derived: true }),
  entry('VolumeAttachment', storageApi, storage.attachmentSchema, { cluster: true, derived: true }),
  entry('Event', 'v1', plain.eventSchema, { derived: true }),
  entry('Asset', api, standin.assetSchema, { cluster: true, derived: true }),
  entry('Held', api, standin.heldSchema, { cluster: true, derived: true }),
  entry('Restoring', api, standin.restoringSchema, { derived: true }),
  entry('Process', api, standin.processSchema, { derived: true }),
  entry('Ask', api, standin.askSchema, { derived: true })
].map((one, order) => ({ ...one, order }));

const byKind = new Map<string, KindEntry>(kindEntries.map((one) => [one.kind, one]));

/** The entry of a kind; undefined for a kind that isn't known. */
export const kindEntry = (kind: string): KindEntry | undefined => byKind.get(kind);

/** The entry of a kind that is known to exist. */
export const entryOf = (kind: Kind): KindEntry => byKind.get(kind)!;

/** Names one object in one cluster. `namespace` is '' for kinds that belong to the cluster. */
export interface Ref {
  readonly kind: Kind;
  readonly namespace: string;
  readonly name: string;
}

/** The reference of an object. */
export const refOf = (object: ApiObject): Ref => ({
  kind: object.kind,
  namespace: object.metadata.namespace ?? '',
  name: object.metadata.name
});

/** `Kind namespace/name` in one text: the key of an object in a store, and its writing in sentences. */
export const keyOf = ({ kind, namespace, name }: Ref): string => `${kind} ${namespace ? `${namespace}/` : ''}${name}`;

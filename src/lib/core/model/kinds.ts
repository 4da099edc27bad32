import type { z } from 'zod';
import type { NameRule } from './names';
import * as plain from './plain-kinds';
import * as pods from './pod-kinds';
import * as snapshot from './snapshot-kinds';
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
  Deployment: workload.Deployment;
  DaemonSet: workload.DaemonSet;
  Job: workload.Job;
  StorageClass: storage.StorageClass;
  CSIDriver: storage.CSIDriver;
  CSINode: storage.CSINode;
  PersistentVolume: storage.Volume;
  PersistentVolumeClaim: storage.Claim;
  VolumeAttachment: storage.Attachment;
  VolumeSnapshotClass: snapshot.SnapshotClass;
  VolumeSnapshot: snapshot.Snapshot;
  VolumeSnapshotContent: snapshot.SnapshotContent;
  Ground: standin.Ground;
  Backend: standin.Backend;
  Identity: standin.Identity;
  Registry: standin.Registry;
  Disk: standin.Disk;
  Pool: standin.Pool;
  Asset: standin.Asset;
}
export type Kind = keyof KindMap;
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

const entry = (kind: Kind, apiVersion: string, schema: z.ZodType, order: number, flags: Flags = {}): KindEntry => ({
  kind,
  apiVersion,
  schema,
  order,
  namespaced: !flags.cluster,
  derived: flags.derived ?? false,
  nameRule: flags.rule ?? 'subdomain'
});

const storageApi = 'storage.k8s.io/v1';
const { snapshotApi } = snapshot;
const api = standin.standinApi;

/** All kinds in the order of sending. */
export const kindEntries: readonly KindEntry[] = [
  entry('Ground', api, standin.groundSchema, 0, { cluster: true }),
  entry('Registry', api, standin.registrySchema, 1, { cluster: true }),
  entry('Backend', api, standin.backendSchema, 2, { cluster: true }),
  entry('Identity', api, standin.identitySchema, 3, { cluster: true }),
  entry('Node', 'v1', pods.nodeSchema, 4, { cluster: true }),
  entry('Disk', api, standin.diskSchema, 5, { cluster: true }),
  entry('Namespace', 'v1', plain.namespaceSchema, 6, { cluster: true, rule: 'label' }),
  entry('CSIDriver', storageApi, storage.csiDriverSchema, 7, { cluster: true }),
  entry('StorageClass', storageApi, storage.storageClassSchema, 8, { cluster: true }),
  entry('VolumeSnapshotClass', snapshotApi, snapshot.snapshotClassSchema, 9, { cluster: true }),
  entry('ServiceAccount', 'v1', plain.serviceAccountSchema, 10),
  entry('ConfigMap', 'v1', plain.configMapSchema, 11),
  entry('Secret', 'v1', plain.secretSchema, 12),
  entry('PersistentVolume', 'v1', storage.volumeSchema, 13, { cluster: true }),
  entry('PersistentVolumeClaim', 'v1', storage.claimSchema, 14),
  entry('VolumeSnapshot', snapshotApi, snapshot.snapshotSchema, 15),
  entry('Service', 'v1', pods.serviceSchema, 16, { rule: 'service' }),
  entry('DaemonSet', 'apps/v1', workload.daemonSetSchema, 17),
  entry('Deployment', 'apps/v1', workload.deploymentSchema, 18),
  entry('Pool', standin.enginesApi, standin.poolSchema, 19, { cluster: true }),
  entry('Job', 'batch/v1', workload.jobSchema, 20),
  entry('StatefulSet', 'apps/v1', workload.statefulSetSchema, 21),
  entry('Pod', 'v1', pods.podSchema, 22),
  entry('CSINode', storageApi, storage.csiNodeSchema, 23, { cluster: true, derived: true }),
  entry('VolumeAttachment', storageApi, storage.attachmentSchema, 24, { cluster: true, derived: true }),
  entry('VolumeSnapshotContent', snapshotApi, snapshot.snapshotContentSchema, 25, { cluster: true, derived: true }),
  entry('EndpointSlice', 'discovery.k8s.io/v1', pods.endpointSliceSchema, 26, { derived: true }),
  entry('Event', 'v1', plain.eventSchema, 27, { derived: true }),
  entry('Asset', api, standin.assetSchema, 28, { cluster: true, derived: true })
];

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

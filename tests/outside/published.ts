/* The cluster API's published schemas, in the reference package kubernetes-models 5.1.0. */
import { ControllerRevision, DaemonSet, Deployment, ReplicaSet, StatefulSet } from 'kubernetes-models/apps/v1';
import { ValidatingWebhookConfiguration } from 'kubernetes-models/admissionregistration.k8s.io/v1';
import { CustomResourceDefinition } from 'kubernetes-models/apiextensions.k8s.io/v1';
import { CronJob, Job } from 'kubernetes-models/batch/v1';
import { PodDisruptionBudget } from 'kubernetes-models/policy/v1';
import { NetworkPolicy } from 'kubernetes-models/networking.k8s.io/v1';
import { ClusterRole, ClusterRoleBinding, Role, RoleBinding } from 'kubernetes-models/rbac.authorization.k8s.io/v1';
import { EndpointSlice } from 'kubernetes-models/discovery.k8s.io/v1';
import { PriorityClass } from 'kubernetes-models/scheduling.k8s.io/v1';
import { CSIDriver, CSINode, StorageClass, VolumeAttachment } from 'kubernetes-models/storage.k8s.io/v1';
import {
  ConfigMap,
  Event,
  LimitRange,
  Namespace,
  Node,
  PersistentVolume,
  PersistentVolumeClaim,
  Pod,
  ResourceQuota,
  Secret,
  Service,
  ServiceAccount
} from 'kubernetes-models/v1';
import type { ApiObject, Kind } from '$core/model';

/** The package's classes by kind; kinds of our own and of snapshots aren't in it. */
export const models: { readonly [K in Kind]?: new (object: never) => { validate(): void } } = {
  ClusterRole,
  ClusterRoleBinding,
  ConfigMap,
  ControllerRevision,
  ReplicaSet,
  CustomResourceDefinition,
  CronJob,
  CSIDriver,
  CSINode,
  DaemonSet,
  Deployment,
  EndpointSlice,
  Event,
  Job,
  LimitRange,
  Namespace,
  NetworkPolicy,
  Node,
  PersistentVolume,
  PersistentVolumeClaim,
  Pod,
  PodDisruptionBudget,
  PriorityClass,
  ResourceQuota,
  Role,
  RoleBinding,
  Secret,
  Service,
  ServiceAccount,
  StatefulSet,
  StorageClass,
  ValidatingWebhookConfiguration,
  VolumeAttachment
};
/** Throws where the published schema of its kind doesn't take an object. */
export const validate = (object: ApiObject): void => {
  const Model = models[object.kind];
  if (!Model) throw new Error(`no published schema for ${object.kind}`);
  new Model(object as never).validate();
};

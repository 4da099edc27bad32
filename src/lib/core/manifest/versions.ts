/**
 * API versions that clusters no longer serve, with the first cluster version without them.
 * Source: the cluster API's "Deprecated API Migration Guide" (from memory; it is not at hand here).
 */
export const unservedVersions: Readonly<Record<string, string>> = {
  'apps/v1beta1 StatefulSet': '1.16',
  'apps/v1beta2 StatefulSet': '1.16',
  'apps/v1beta1 Deployment': '1.16',
  'apps/v1beta2 Deployment': '1.16',
  'extensions/v1beta1 Deployment': '1.16',
  'apps/v1beta2 DaemonSet': '1.16',
  'extensions/v1beta1 DaemonSet': '1.16',
  'apps/v1beta2 ReplicaSet': '1.16',
  'extensions/v1beta1 NetworkPolicy': '1.16',
  'storage.k8s.io/v1beta1 StorageClass': '1.22',
  'storage.k8s.io/v1beta1 CSIDriver': '1.22',
  'storage.k8s.io/v1beta1 CSINode': '1.22',
  'storage.k8s.io/v1beta1 VolumeAttachment': '1.22',
  'rbac.authorization.k8s.io/v1beta1 Role': '1.22',
  'rbac.authorization.k8s.io/v1beta1 RoleBinding': '1.22',
  'rbac.authorization.k8s.io/v1beta1 ClusterRole': '1.22',
  'rbac.authorization.k8s.io/v1beta1 ClusterRoleBinding': '1.22',
  'admissionregistration.k8s.io/v1beta1 ValidatingWebhookConfiguration': '1.22',
  'admissionregistration.k8s.io/v1beta1 MutatingWebhookConfiguration': '1.22',
  'policy/v1beta1 PodDisruptionBudget': '1.25',
  'discovery.k8s.io/v1beta1 EndpointSlice': '1.25',
  'snapshot.storage.k8s.io/v1beta1 VolumeSnapshot': '1.24',
  'snapshot.storage.k8s.io/v1beta1 VolumeSnapshotClass': '1.24'
};

import type { ApiObject, Kind } from './kinds';
import type { PodSpec } from './pod-kinds';

type Path = readonly (string | number)[];

/** A name that leads from one object to another. */
export interface Pointer {
  readonly path: Path;
  readonly kind: Kind;
  readonly namespace: string;
  readonly name: string;
  /** It does without what it points to. */
  readonly optional?: boolean;
}

type Add = (path: Path, kind: Kind, name: unknown, namespace?: string, optional?: boolean) => void;

function podPointers(spec: PodSpec, path: Path, add: Add): void {
  add([...path, 'serviceAccountName'], 'ServiceAccount', spec.serviceAccountName === 'default' ? undefined : spec.serviceAccountName);
  ((spec.imagePullSecrets as { name?: string }[] | undefined) ?? []).forEach((one, i) =>
    add([...path, 'imagePullSecrets', i, 'name'], 'Secret', one.name, undefined, true)
  );
  (spec.volumes ?? []).forEach((one, i) => {
    const at = [...path, 'volumes', i];
    add([...at, 'persistentVolumeClaim', 'claimName'], 'PersistentVolumeClaim', one.persistentVolumeClaim?.claimName);
    add([...at, 'configMap', 'name'], 'ConfigMap', one.configMap?.name, undefined, one.configMap?.optional);
    add([...at, 'secret', 'secretName'], 'Secret', one.secret?.secretName, undefined, one.secret?.optional);
  });
  for (const list of ['containers', 'initContainers'] as const) {
    (spec[list] ?? []).forEach((container, i) => {
      const at = [...path, list, i];
      (container.env ?? []).forEach((one, k) => {
        const { configMapKeyRef: map, secretKeyRef: secret } = one.valueFrom ?? {};
        add([...at, 'env', k, 'valueFrom', 'configMapKeyRef', 'name'], 'ConfigMap', map?.name, undefined, map?.optional);
        add([...at, 'env', k, 'valueFrom', 'secretKeyRef', 'name'], 'Secret', secret?.name, undefined, secret?.optional);
      });
      (container.envFrom ?? []).forEach((one, k) => {
        add([...at, 'envFrom', k, 'configMapRef', 'name'], 'ConfigMap', one.configMapRef?.name, undefined, one.configMapRef?.optional);
        add([...at, 'envFrom', k, 'secretRef', 'name'], 'Secret', one.secretRef?.name, undefined, one.secretRef?.optional);
      });
    });
  }
}

/** Every name in an object that leads to another object. */
export function pointersOf(object: ApiObject): Pointer[] {
  const found: Pointer[] = [];
  const own = object.metadata.namespace ?? '';
  const wide = new Set<Kind>([
    'StorageClass',
    'PersistentVolume',
    'CSIDriver',
    'VolumeAttributesClass',
    'VolumeSnapshotClass',
    'ClusterRole',
    'Backend',
    'Pool',
    'Node'
  ]);
  const add: Add = (path, kind, name, namespace = own, optional = false) => {
    if (typeof name !== 'string' || name === '') return;
    found.push({ path, kind, name, namespace: wide.has(kind) ? '' : namespace, ...(optional ? { optional } : {}) });
  };
  switch (object.kind) {
    case 'Pod':
      podPointers(object.spec, ['spec'], add);
      break;
    case 'StatefulSet':
      add(['spec', 'serviceName'], 'Service', object.spec.serviceName);
      (object.spec.volumeClaimTemplates ?? []).forEach((one, i) =>
        add(['spec', 'volumeClaimTemplates', i, 'spec', 'storageClassName'], 'StorageClass', one.spec.storageClassName)
      );
      podPointers(object.spec.template.spec, ['spec', 'template', 'spec'], add);
      break;
    case 'Deployment':
    case 'DaemonSet':
    case 'Job':
      podPointers(object.spec.template.spec, ['spec', 'template', 'spec'], add);
      break;
    case 'CronJob':
      podPointers(object.spec.jobTemplate.spec.template.spec, ['spec', 'jobTemplate', 'spec', 'template', 'spec'], add);
      break;
    case 'PersistentVolumeClaim':
      add(['spec', 'storageClassName'], 'StorageClass', object.spec.storageClassName);
      add(['spec', 'volumeName'], 'PersistentVolume', object.spec.volumeName);
      add(['spec', 'volumeAttributesClassName'], 'VolumeAttributesClass', object.spec.volumeAttributesClassName);
      if (object.spec.dataSource) add(['spec', 'dataSource', 'name'], object.spec.dataSource.kind as Kind, object.spec.dataSource.name);
      break;
    case 'PersistentVolume':
      add(['spec', 'storageClassName'], 'StorageClass', object.spec.storageClassName, '', true);
      add(
        ['spec', 'claimRef', 'name'],
        'PersistentVolumeClaim',
        object.spec.claimRef?.name,
        object.spec.claimRef?.namespace ?? 'default',
        true
      );
      add(['spec', 'csi', 'driver'], 'CSIDriver', object.spec.csi?.driver);
      break;
    case 'StorageClass':
      add(['provisioner'], 'CSIDriver', object.provisioner);
      break;
    case 'VolumeAttributesClass':
      add(['driverName'], 'CSIDriver', object.driverName);
      break;
    case 'CSIStorageCapacity':
      add(['storageClassName'], 'StorageClass', object.storageClassName);
      break;
    case 'VolumeSnapshot':
      add(['spec', 'source', 'persistentVolumeClaimName'], 'PersistentVolumeClaim', object.spec.source.persistentVolumeClaimName);
      add(['spec', 'volumeSnapshotClassName'], 'VolumeSnapshotClass', object.spec.volumeSnapshotClassName);
      break;
    case 'RoleBinding':
    case 'ClusterRoleBinding':
      (object.subjects ?? []).forEach((one, i) => {
        if (one.kind === 'ServiceAccount') add(['subjects', i, 'name'], 'ServiceAccount', one.name, one.namespace ?? own);
      });
      add(['roleRef', 'name'], object.roleRef.kind as Kind, object.roleRef.name);
      break;
    case 'ValidatingWebhookConfiguration':
    case 'MutatingWebhookConfiguration':
      (object.webhooks ?? []).forEach((one, i) => {
        const { service } = one.clientConfig;
        add(['webhooks', i, 'clientConfig', 'service', 'name'], 'Service', service?.name, service?.namespace);
      });
      break;
    case 'Issuer':
      add(['spec', 'authority'], 'Secret', object.spec.authority);
      break;
    case 'Certificate':
      add(['spec', 'issuer', 'name'], 'Issuer', object.spec.issuer.name, object.spec.issuer.namespace ?? own);
      add(['spec', 'set'], 'StatefulSet', object.spec.set, own, true);
      break;
    case 'Backend':
      add(['spec', 'pool'], 'Pool', object.spec.pool);
      break;
    default:
  }
  return found;
}

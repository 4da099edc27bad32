import { asManifest } from '../manifest';
import { selectorMatches, type ApiObject, type BackupRun, type Facts } from '../model';

/** Fields that name something that stays what it is: parts of a pod, secrets, configuration, images, classes, kinds of workload. */
const kept = new Set([
  'name',
  'key',
  'port',
  'targetPort',
  'clusterIP',
  'secretRef',
  'secretKeyRef',
  'configMap',
  'configMapRef',
  'configMapKeyRef',
  'image',
  'storageClassName',
  'serviceAccountName',
  'path',
  'mountPath',
  'standin.example/blueprint'
]);

/**
 * A workload of the same make under another name: its set, the services that lead to its members, its budget, the certificates that name
 * them, with every place that names them. Configuration and other secrets are shared. Undefined where no set of that name stands.
 */
export function besideObjects(facts: Facts, namespace: string, name: string, to: string): ApiObject[] | undefined {
  const set = facts.get('StatefulSet', namespace, name);
  if (!set) return undefined;
  const labels = set.spec.template.metadata?.labels ?? {};
  const services = facts
    .list('Service', namespace)
    .filter(
      ({ spec }) =>
        spec.selector && Object.keys(spec.selector).length && Object.entries(spec.selector).every(([key, value]) => labels[key] === value)
    );
  const budgets = facts.list('PodDisruptionBudget', namespace).filter((one) => selectorMatches(one.spec.selector, labels));
  const used = new Set((set.spec.template.spec.volumes ?? []).flatMap((one) => one.secret?.secretName ?? []));
  const certificates = facts.list('Certificate', namespace).filter((one) => used.has(one.spec.secret));
  const objects: ApiObject[] = [...certificates, set, ...services, ...budgets];
  const named = (own: string): string => (own === name || own.startsWith(`${name}-`) ? `${to}${own.slice(name.length)}` : `${to}-${own}`);
  const names = new Map(objects.map((one) => [one.metadata.name, named(one.metadata.name)]));
  names.set(name, to);
  // A certificate's secret is its own: members of another name need one with theirs.
  const secrets = new Map(certificates.map((one) => [one.spec.secret, named(one.spec.secret)]));
  const replaced = (text: string): string =>
    text.replace(/[A-Za-z0-9]([A-Za-z0-9-]*[A-Za-z0-9])?/g, (word) => {
      const ordinal = /^(.+)-(\d+)$/.exec(word);
      return names.get(word) ?? (ordinal && ordinal[1] === name ? `${to}-${ordinal[2]}` : word);
    });
  const walk = (value: unknown, key = ''): unknown => {
    if (key === 'secretName' || key === 'secret') return typeof value === 'string' ? (secrets.get(value) ?? value) : walk(value);
    if (kept.has(key)) return value;
    if (typeof value === 'string') return replaced(value);
    if (Array.isArray(value)) return value.map((one) => walk(one, key));
    if (typeof value !== 'object' || value === null) return value;
    return Object.fromEntries(Object.entries(value).map(([field, one]) => [field, walk(one, field)]));
  };
  return objects.map((one) => {
    const manifest = asManifest(one);
    const made = { ...manifest, ...(walk({ spec: (manifest as { spec?: unknown }).spec }) as object) } as ApiObject;
    const { annotations: _, ...metadata } = manifest.metadata;
    // Its cluster's own address is out of the manifest already; a node's port belongs to one service only.
    if (made.kind === 'Service') for (const port of made.spec.ports ?? []) delete port.nodePort;
    return {
      ...made,
      metadata: { ...metadata, name: names.get(one.metadata.name)!, labels: walk(metadata.labels ?? {}) as Record<string, string> }
    } as ApiObject;
  });
}

/** Claims of a workload under another name, each made from the snapshot that a run took of its like. */
export function claimsFromSnapshots(facts: Facts, run: BackupRun, name: string, to: string): ApiObject[] {
  const namespace = run.metadata.namespace ?? '';
  return (run.status?.snapshots ?? []).flatMap((snapshot): ApiObject[] => {
    const from = facts.get('VolumeSnapshot', namespace, snapshot)?.spec.source.persistentVolumeClaimName;
    const claim = from === undefined ? undefined : facts.get('PersistentVolumeClaim', namespace, from);
    if (!claim || from === undefined) return [];
    const { accessModes, resources, storageClassName, volumeMode } = claim.spec;
    return [
      {
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        metadata: { name: from.replace(new RegExp(`-${name}-(\\d+)$`), `-${to}-$1`), namespace },
        spec: {
          accessModes,
          resources,
          ...(storageClassName === undefined ? {} : { storageClassName }),
          ...(volumeMode === undefined ? {} : { volumeMode }),
          dataSource: { apiGroup: 'snapshot.storage.k8s.io', kind: 'VolumeSnapshot', name: snapshot }
        }
      } as ApiObject
    ];
  });
}

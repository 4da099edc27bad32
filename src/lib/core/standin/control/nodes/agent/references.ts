import type { Container, Facts, KindMap, Pod } from '../../../../model';

/** A config map or secret that a pod names. */
export interface Reference {
  readonly kind: 'ConfigMap' | 'Secret';
  readonly name: string;
  readonly key?: string;
  /** Where in the pod it is named. */
  readonly field: string;
  /** Whether it is mounted (needed before the image) or only read at the start. */
  readonly mounted: boolean;
  /** The init container that reads it at its start. */
  readonly init?: string;
}

interface Mountable {
  readonly name?: string;
  readonly optional?: boolean;
  /** Keys that are mounted; all where it is left out. */
  readonly items?: readonly { readonly key: string }[];
}
interface Projection {
  readonly configMap?: Mountable;
  readonly secret?: Mountable;
}

/** All config maps and secrets that a pod can't do without, and the keys of them that it names. */
export function referencesOf(pod: Pod): Reference[] {
  const found: Reference[] = [];
  const mount = (kind: Reference['kind'], name: string | undefined, { optional, items }: Mountable, field: string, part: string) => {
    if (!name || optional) return;
    found.push({ kind, name, field: `${field}.${part}`, mounted: true });
    (items ?? []).forEach(({ key }, k) => found.push({ kind, name, key, field: `${field}.items[${k}].key`, mounted: true }));
  };
  (pod.spec.volumes ?? []).forEach(({ configMap, secret, projected }, i) => {
    const at = `spec.volumes[${i}]`;
    if (configMap) mount('ConfigMap', configMap.name, configMap as Mountable, `${at}.configMap`, 'name');
    if (secret) mount('Secret', secret.secretName, secret as Mountable, `${at}.secret`, 'secretName');
    ((projected as { sources?: readonly Projection[] } | undefined)?.sources ?? []).forEach((one, k) => {
      const inner = `${at}.projected.sources[${k}]`;
      if (one.configMap) mount('ConfigMap', one.configMap.name, one.configMap, `${inner}.configMap`, 'name');
      if (one.secret) mount('Secret', one.secret.name, one.secret, `${inner}.secret`, 'name');
    });
  });
  const started = (containers: readonly Container[], list: 'containers' | 'initContainers') =>
    containers.forEach(({ name: called, env = [], envFrom = [] }, i) => {
      const at = `spec.${list}[${i}]`;
      const init = list === 'initContainers' ? { init: called } : {};
      env.forEach(({ valueFrom }, k) => {
        for (const [kind, ref] of [
          ['ConfigMap', valueFrom?.configMapKeyRef],
          ['Secret', valueFrom?.secretKeyRef]
        ] as const) {
          if (ref?.name && !ref.optional)
            found.push({ kind, name: ref.name, key: ref.key, field: `${at}.env[${k}].valueFrom`, mounted: false, ...init });
        }
      });
      envFrom.forEach(({ configMapRef, secretRef }, k) => {
        for (const [kind, ref] of [
          ['ConfigMap', configMapRef],
          ['Secret', secretRef]
        ] as const) {
          if (ref?.name && !ref.optional) found.push({ kind, name: ref.name, field: `${at}.envFrom[${k}]`, mounted: false, ...init });
        }
      });
    });
  started(pod.spec.initContainers ?? [], 'initContainers');
  started(pod.spec.containers, 'containers');
  return found;
}

/** A reference that leads nowhere, and what it lacks. */
export type MissingReference = Reference & { readonly lacks: 'object' | 'key' };

/** References of a pod that lead nowhere: the object is missing, or it lacks the key. */
export function missingReferences(facts: Facts, pod: Pod): MissingReference[] {
  const namespace = pod.metadata.namespace ?? '';
  return referencesOf(pod).flatMap((one): MissingReference[] => {
    const object = facts.get(one.kind, namespace, one.name);
    if (!object) return [{ ...one, lacks: 'object' }];
    return one.key !== undefined && object.data?.[one.key] === undefined && !hasBytes(object, one.key) ? [{ ...one, lacks: 'key' }] : [];
  });
}

const hasBytes = (object: KindMap['ConfigMap'] | KindMap['Secret'], key: string): boolean =>
  object.kind === 'ConfigMap' && object.binaryData?.[key] !== undefined;

/** Says what is missing, for events and evidence. */
export const referenceSentence = (namespace: string, { kind, name, key, lacks }: MissingReference): string => {
  const what = kind === 'Secret' ? 'secret' : 'config map';
  return lacks === 'object' ? `the ${what} ${namespace}/${name} doesn't exist` : `the ${what} ${namespace}/${name} has no key ${key}`;
};

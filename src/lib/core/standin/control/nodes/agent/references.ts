import type { Facts, Pod } from '../../../../model';

/** A config map or secret that a pod names. */
export interface Reference {
  readonly kind: 'ConfigMap' | 'Secret';
  readonly name: string;
  readonly key?: string;
  /** Where in the pod it is named. */
  readonly field: string;
  /** Whether it is mounted (needed before the image) or only read at the start. */
  readonly mounted: boolean;
}

/** All config maps and secrets that a pod can't do without. */
export function referencesOf(pod: Pod): Reference[] {
  const found: Reference[] = [];
  (pod.spec.volumes ?? []).forEach(({ configMap, secret }, i) => {
    const at = `spec.volumes[${i}]`;
    if (configMap?.name && !configMap.optional)
      found.push({ kind: 'ConfigMap', name: configMap.name, field: `${at}.configMap.name`, mounted: true });
    if (secret?.secretName && !secret.optional)
      found.push({ kind: 'Secret', name: secret.secretName, field: `${at}.secret.secretName`, mounted: true });
  });
  pod.spec.containers.forEach(({ env = [], envFrom = [] }, i) => {
    const at = `spec.containers[${i}]`;
    env.forEach(({ valueFrom }, k) => {
      for (const [kind, ref] of [
        ['ConfigMap', valueFrom?.configMapKeyRef],
        ['Secret', valueFrom?.secretKeyRef]
      ] as const) {
        if (ref?.name && !ref.optional)
          found.push({ kind, name: ref.name, key: ref.key, field: `${at}.env[${k}].valueFrom`, mounted: false });
      }
    });
    envFrom.forEach(({ configMapRef, secretRef }, k) => {
      for (const [kind, ref] of [
        ['ConfigMap', configMapRef],
        ['Secret', secretRef]
      ] as const) {
        if (ref?.name && !ref.optional) found.push({ kind, name: ref.name, field: `${at}.envFrom[${k}]`, mounted: false });
      }
    });
  });
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
    return one.key !== undefined && object.data?.[one.key] === undefined ? [{ ...one, lacks: 'key' }] : [];
  });
}

/** Says what is missing, for events and evidence. */
export const referenceSentence = (namespace: string, { kind, name, key, lacks }: MissingReference): string => {
  const what = kind === 'Secret' ? 'secret' : 'config map';
  return lacks === 'object' ? `the ${what} ${namespace}/${name} doesn't exist` : `the ${what} ${namespace}/${name} has no key ${key}`;
};

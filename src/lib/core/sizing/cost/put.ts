import { asManifest } from '../../manifest';
import { memberClaim, ordinalsOf, type Facts } from '../../model';
import { workloadNamed } from '../../proofs';
import { listed } from '../../shared';
import type { Put } from '../calc';

/**
 * The sets of a workload with their claims in another class. Claims that stand keep their class: what is in the manifests counts for members
 * that are made anew.
 * @param from the class that is left
 */
export function putClass(facts: Facts, of: { readonly namespace: string; readonly name: string }, from: string, to: string): Put | string {
  const workload = workloadNamed(facts, of.namespace, of.name);
  if (!workload) return 'there is no such workload';
  if (!facts.get('StorageClass', '', to)) return `there is no class ${to}`;
  const sets = workload.sets.filter((one) => one.spec.volumeClaimTemplates?.some(({ spec }) => spec.storageClassName === from));
  if (!sets.length) return `no set of ${of.name} has claims that name ${from}`;
  if (sets.some((one) => one.metadata.ownerReferences?.length)) return `an operator keeps ${of.name}: ask for the class in its resource`;
  const objects = sets.map((set) =>
    asManifest({
      ...set,
      spec: {
        ...set.spec,
        volumeClaimTemplates: set.spec.volumeClaimTemplates!.map((one) =>
          one.spec.storageClassName === from ? { ...one, spec: { ...one.spec, storageClassName: to } } : one
        )
      }
    })
  );
  const ofSets = new Set(
    sets.flatMap((set) =>
      set.spec.volumeClaimTemplates!.flatMap((one) => ordinalsOf(set).map((ordinal) => memberClaim(one.metadata.name, set, ordinal)))
    )
  );
  const claims = facts
    .list('PersistentVolumeClaim', of.namespace)
    .filter(({ metadata, spec }) => spec.storageClassName === from && ofSets.has(metadata.name))
    .map((one) => one.metadata.name);
  return {
    objects,
    title: `${of.name} in class ${to}`,
    not: claims.length ? `the class of ${listed(claims)}, which stay in ${from} until they are made anew` : ''
  };
}

import { memberClaim, ordinalsOf, type ApiObject, type Claim, type Facts, type StatefulSet } from '../model';
import { asManifest } from './write';

/** A set with all claims of some of its templates, as they are once they have grown to sizes. */
export function grownSet(facts: Facts, set: StatefulSet, sizes: ReadonlyMap<string, string>): ApiObject[] {
  const grown = <T extends Claim['spec']>(spec: T, storage: string): T => ({
    ...spec,
    resources: { ...spec.resources, requests: { ...spec.resources.requests, storage } }
  });
  const claims = [...sizes].flatMap(([template, size]) =>
    ordinalsOf(set).flatMap((ordinal) => {
      const claim = facts.get('PersistentVolumeClaim', set.metadata.namespace ?? '', memberClaim(template, set, ordinal));
      return claim ? [asManifest({ ...claim, spec: grown(claim.spec, size) })] : [];
    })
  );
  const templates = (set.spec.volumeClaimTemplates ?? []).map((one) => {
    const size = sizes.get(one.metadata.name);
    return size === undefined ? one : { ...one, spec: grown(one.spec, size) };
  });
  return [...claims, asManifest({ ...set, spec: { ...set.spec, volumeClaimTemplates: templates } })];
}

import type { Facts } from '../../model';
import { clusterVersion, compareVersions } from './drivers';

/** Gates of the cluster API that a ground can open. */
export type FeatureGate = 'MaxUnavailableStatefulSet' | 'VolumeAttributesClass';

/** From which version of the cluster API a gate can be opened, and from which it is open by itself. From memory. */
const gates: Readonly<Record<FeatureGate, { readonly from: string; readonly open?: string }>> = {
  // Source of the gate: RollingUpdateStatefulSetStrategy v1 apps, maxUnavailable.
  MaxUnavailableStatefulSet: { from: '1.24' },
  // Source of the gate: PersistentVolumeClaimSpec v1 core, volumeAttributesClassName.
  VolumeAttributesClass: { from: '1.31', open: '1.34' }
};

/** Whether a cluster has a gate open: by its version, or because its ground says so. */
export function gateOpen(facts: Facts, gate: FeatureGate): boolean {
  const version = clusterVersion(facts);
  const { from, open } = gates[gate];
  if (open !== undefined && compareVersions(version, open) >= 0) return true;
  const told = facts.list('Ground')[0]?.spec.featureGates?.includes(gate) ?? false;
  // A cluster that holds objects of a kind serves it, whatever else is known of it.
  return (
    (told && compareVersions(version, from) >= 0) || (gate === 'VolumeAttributesClass' && facts.list('VolumeAttributesClass').length > 0)
  );
}

/** How a gate is opened, as a sentence for whoever meets it shut. */
export const gateRemedy = (gate: FeatureGate): string => {
  const { from, open } = gates[gate];
  return `A Ground with featureGates: [${gate}] opens it from ${from} on${open === undefined ? '' : `; from ${open} on it is open`}.`;
};

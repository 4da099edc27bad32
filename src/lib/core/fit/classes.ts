import { isEncrypted, driverTraits } from '../standin';
import type { Facts, StorageClass } from '../model';

/** What a class does for whoever claims of it, as far as another one may differ in it. */
export interface ClassTraits {
  /** Many nodes may mount a volume at once. */
  readonly many: boolean;
  readonly grows: boolean;
  /** Data stays when the claim goes. */
  readonly keeps: boolean;
  readonly encrypts: boolean;
}

/** What a class does, from its fields and its driver's card; undefined where nothing is known of its driver. */
export function traitsOf(facts: Facts, one: StorageClass): ClassTraits | undefined {
  const traits = driverTraits(facts, one.provisioner);
  if (!traits) return undefined;
  const { modes = [], grows } = traits;
  return {
    many: modes.includes('ReadWriteMany'),
    grows: grows === 'elastic' || (grows !== 'never' && one.allowVolumeExpansion === true),
    keeps: one.reclaimPolicy === 'Retain',
    encrypts: isEncrypted(one)
  };
}

/** What is asked for, in words. */
export const traitWords = ({ many, grows, keeps, encrypts }: ClassTraits): string =>
  [
    many ? 'many nodes at once' : 'one node at a time',
    ...(grows ? ['grows'] : []),
    ...(keeps ? ['kept'] : []),
    ...(encrypts ? ['encrypted'] : [])
  ].join(', ');

/** The field of a class that says otherwise than is needed, and why that won't do; undefined where it does all of it. More than is needed does no harm. */
export function shortfall(needed: ClassTraits, has: ClassTraits, name: string): { field: string; says: string } | undefined {
  if (needed.many && !has.many) return { field: 'provisioner', says: `${name} is for one node at a time` };
  if (needed.grows && !has.grows) return { field: 'allowVolumeExpansion', says: `${name} can't grow` };
  if (needed.keeps && !has.keeps) return { field: 'reclaimPolicy', says: `${name} keeps nothing when a claim goes` };
  if (needed.encrypts && !has.encrypts) return { field: 'parameters.encrypted', says: `${name} doesn't encrypt` };
  return undefined;
}

import type { Facts, StorageClass } from '../model';
import { backend } from './joints/backend';
import { driver } from './joints/driver';
import { rights } from './joints/rights';
import type { JointId, Look } from './types';

/** What stands under a class: can it hand out a small volume now? */
export type SupplyLooks = { readonly [K in Extract<JointId, 'backend' | 'rights' | 'driver'>]: Look };

/** Judges a class by itself, as if somebody claimed 1 GiB of it. */
export function supplyLooks(facts: Facts, one: StorageClass): SupplyLooks {
  const spec = {
    accessModes: ['ReadWriteOnce' as const],
    resources: { requests: { storage: '1Gi' } },
    storageClassName: one.metadata.name
  };
  const place = { name: '(any)', namespace: '', spec, class: one };
  const position = { facts, namespace: '', claims: [place] };
  const must = (look: Look | undefined): Look => look!;
  return {
    backend: must(backend.look(position, place)),
    rights: must(rights.look(position, place)),
    driver: must(driver.look(position, place))
  };
}

import type { Facts, Registry } from '../../model';
import { imageParts } from './images';

/** Whether an image can be pulled, and if not, why. */
export interface Pull {
  readonly registry?: Registry;
  readonly fault?: { readonly field: string; readonly value: string; readonly message: string };
}

/** Ordinary speed of a registry that names none: 50 MB/s. */
export const ordinaryBytesPerSecond = 50_000_000;

/** Looks an image up at the registry its reference names. */
export function pullOf(facts: Facts, image: string): Pull {
  const { host, repository } = imageParts(image);
  const registry = facts.list('Registry').find((one) => one.spec.host === host);
  if (!registry) {
    return {
      fault: {
        field: 'host',
        value: host || '(none)',
        message: host ? `no registry ${host} is known to this place` : 'the reference names no registry'
      }
    };
  }
  if (!registry.spec.reachable) {
    return {
      registry,
      fault: { field: 'spec.reachable', value: 'false', message: `the registry ${host} can't be reached from the nodes` }
    };
  }
  const { images } = registry.spec;
  if (images && !images.some((one) => one === image || one === repository)) {
    return { registry, fault: { field: 'spec.images', value: image, message: `the registry ${host} has no ${image}` } };
  }
  return { registry };
}

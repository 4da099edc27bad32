import { encode } from 'js-base64';
import { uidOf } from '../../../shared';
import { ownerOf, type ApiObject } from '../../../model';
import { partOfLabel } from '../../provider/images';
import type { ClusterAccess } from '../loop';

/** A password of the stand-in's own: it follows from the world. */
const passwordFor = (world: ClusterAccess, what: string): string => uidOf(world.seed, `password|${what}`).replace(/-/g, '');

/** Makes a secret with a user and a password, where there is none of that name. */
export function makeCredentials(
  world: ClusterAccess,
  namespace: string,
  name: string,
  workload: string,
  owners: readonly ApiObject[],
  user = 'keeper'
): void {
  if (world.store.get('Secret', namespace, name)) return;
  world.put({
    apiVersion: 'v1',
    kind: 'Secret',
    metadata: { name, namespace, labels: { [partOfLabel]: workload }, ...(owners.length ? { ownerReferences: owners.map(ownerOf) } : {}) },
    type: 'Opaque',
    data: { user: encode(user), password: encode(passwordFor(world, `${namespace}/${name}`)) }
  });
}

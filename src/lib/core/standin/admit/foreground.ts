import { refOf, type ApiObject } from '../../model';
import type { ClusterAccess } from '../control/loop';

/** Keeps an owner until what it owns has gone (published). Source: the cluster API's "Garbage Collection", foreground cascading deletion. */
export const foregroundFinalizer = 'foregroundDeletion';

/** Asks for the deletion of an object after that of what it owns; one that owns nothing is taken away like any other. */
export function removeForeground(world: ClusterAccess, object: ApiObject): void {
  const { finalizers = [], uid = '' } = object.metadata;
  if (world.store.ownedBy(uid).length && !finalizers.includes(foregroundFinalizer))
    world.put({ ...object, metadata: { ...object.metadata, finalizers: [...finalizers, foregroundFinalizer] } } as ApiObject);
  world.remove(refOf(object));
}

/** Whether an object waits for what it owns to go. */
export const goesLast = ({ metadata }: ApiObject): boolean =>
  metadata.deletionTimestamp !== undefined && (metadata.finalizers ?? []).includes(foregroundFinalizer);

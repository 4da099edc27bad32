import { keyOf, type ApiObject, type Facts, type KindMap, type Ref } from '../../model';
import type { Hands } from '../control/loop';
import { addressAt, prefixSize } from '../provider/addresses';
import type { Action } from '../world';
import { plan, type Refusal } from './plan';

export type { Refusal } from './plan';

function withAddress(world: Hands, service: KindMap['Service']): KindMap['Service'] {
  if (service.spec.clusterIP || service.spec.type === 'ExternalName') return service;
  const range = world.store.list('Ground')[0]?.spec.serviceRange ?? '10.96.0.0/12';
  const counter = world.memory<number>('serviceAddresses');
  const next = (counter.get('next') ?? 10) + 1;
  counter.set('next', next);
  const address = addressAt(range, next % prefixSize(range));
  return { ...service, spec: { ...service.spec, clusterIP: address, clusterIPs: [address] } };
}

/** Whether something stands there to be taken away. */
export function removalRefusal(facts: Facts, ref: Ref): Refusal | undefined {
  const object = facts.get(ref.kind, ref.namespace, ref.name);
  const at = { object: keyOf(ref) };
  if (!object) return { code: 'not-found', message: `${keyOf(ref)} doesn't exist.`, remedy: 'Check kind, namespace and name.', at };
  if (object.metadata.deletionTimestamp)
    return { code: 'not-sendable', message: `${keyOf(ref)} is being deleted already.`, remedy: 'Run the clock until it is gone.', at };
  return undefined;
}

function orphan(world: Hands, owner: ApiObject): void {
  for (const object of world.store.ownedBy(owner.metadata.uid ?? '')) {
    const ownerReferences = object.metadata.ownerReferences?.filter((one) => one.uid !== owner.metadata.uid);
    world.put({
      ...object,
      metadata: { ...object.metadata, ownerReferences: ownerReferences?.length ? ownerReferences : undefined }
    } as ApiObject);
  }
}

/**
 * Carries out a person's action, or refuses it as a whole.
 * @returns the refusals; with any of them nothing was written
 */
export function admit(world: Hands, action: Action): readonly Refusal[] {
  if (action.type === 'remove') {
    const refusal = removalRefusal(world.store, action.ref);
    if (refusal) return [refusal];
    const object = world.store.find(action.ref)!;
    if (action.keepMembers) orphan(world, object);
    world.remove(action.ref);
    return [];
  }
  const verdicts = plan(world.store, action.objects);
  const refusals = verdicts.flatMap((one) => one.refusals);
  if (refusals.length) return refusals;
  for (const { outcome, after } of verdicts) {
    if (outcome === 'untouched' || !after) continue;
    world.put(after.kind === 'Service' ? withAddress(world, after) : after);
  }
  return [];
}

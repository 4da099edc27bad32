import { isReady, keyOf, refOf, type ApiObject, type Facts, type Held, type Pod } from '../../model';
import { isAdmitted, operatorFault, operatorOf } from '../provider/operators';
import { poolPartOf } from '../provider/images';

/** Facts with a quick way to a pool's pods; a store has it. */
type Source = Facts & { by?: (index: 'podsOfPool', key: string) => Iterable<Pod> };

/**
 * What an object's server waits for, when it isn't ready: a custom resource is looked over by its operator before it is taken. Undefined
 * when the object can be taken now. Source: the cluster API's "Dynamic Admission Control"; that sending again works, common practice.
 */
export function serverWait(facts: Facts, object: ApiObject): string | undefined {
  if (object.kind === 'MemoryDatabase') {
    // Where the admission step is set up, a database is taken only once it can be looked over.
    const fault = operatorFault(facts, operatorOf(object.kind)!, object.metadata.namespace ?? '');
    return isAdmitted(facts, object.kind) && fault?.reason === 'OperatorNotReady'
      ? 'the operator of in-memory stores, which checks each database first,'
      : undefined;
  }
  if (object.kind !== 'Pool') return undefined;
  const { by } = facts as Source;
  const pods = by ? [...by.call(facts, 'podsOfPool', 'operator')] : facts.list('Pod').filter((pod) => poolPartOf(pod.spec) === 'operator');
  return pods.some(isReady) ? undefined : 'the operator of pools, which checks each pool first,';
}

/** The object that stands for one that waits to be sent again. */
export const heldFor = (object: ApiObject, waitsFor: string): Held => ({
  apiVersion: 'standin.example/v1',
  kind: 'Held',
  metadata: {
    name: keyOf(refOf(object))
      .toLowerCase()
      .replace(/[^a-z0-9.]+/g, '-')
  },
  spec: { object: object as unknown as Held['spec']['object'], waitsFor }
});

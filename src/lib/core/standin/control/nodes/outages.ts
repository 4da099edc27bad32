import { same } from '../../../shared';
import { claimsOf, type Outage } from '../../../model';
import { isPod, programOf } from '../../provider/outages';
import type { ClusterAccess, Loop } from '../loop';

/** What an outage names that isn't there: nothing follows from it, and somebody ought to know. */
function strange({ store }: ClusterAccess, { spec }: Outage): string[] {
  const nodes = [...(spec.dark ?? []), ...(spec.cut ?? []).flat(), ...(spec.slow ?? []).map((one) => one.node)];
  return [
    ...nodes.filter((name) => !store.get('Node', '', name)).map((name) => `the node ${name}`),
    ...[...(spec.hangs ?? []), ...(spec.apart ?? [])]
      .filter((one) => !store.get('Pod', one.namespace, one.pod))
      .map((one) => `the pod ${one.namespace}/${one.pod}`),
    ...[...(spec.full ?? []), ...(spec.sluggish ?? [])]
      .filter((one) => !store.get('PersistentVolumeClaim', one.namespace, one.claim))
      .map((one) => `the claim ${one.namespace}/${one.claim}`)
  ];
}

/** Claims that are slow without effect: no program that is played out keeps anything there. */
const idle = ({ store }: ClusterAccess, { spec }: Outage): string[] =>
  (spec.sluggish ?? []).flatMap(({ namespace, claim }) => {
    const writes = store.list('Process', namespace).some(({ metadata }) => {
      const pod = store.get('Pod', namespace, metadata.name);
      return pod !== undefined && claimsOf(pod.spec, pod.metadata.name).includes(claim);
    });
    return writes || !store.get('PersistentVolumeClaim', namespace, claim) ? [] : [`${namespace}/${claim}`];
  });

/** Writes down which programs an outage caught: one that is started later doesn't hang. */
export const outages: Loop = {
  id: 'outages',
  watches: { Outage: (now, before) => (now && now.spec !== before?.spec ? [now.metadata.name] : []) },
  reconcile(world, key) {
    const outage = world.store.get('Outage', '', key);
    if (!outage) return;
    const names = [...new Set(strange(world, outage))];
    if (names.length) world.event(outage, 'NothingStruck', `It names ${names.join(', ')}, and there is no such thing.`, 'Warning');
    const slow = idle(world, outage);
    if (slow.length)
      world.event(outage, 'NothingFollows', `Nothing that is played out writes to ${slow.join(', ')}: slow without effect.`, 'Warning');
    const hung = (outage.spec.hangs ?? []).flatMap(({ namespace, pod }) => {
      const known = outage.status?.hung?.find((one) => isPod(one, namespace, pod));
      const program = programOf(world.store, namespace, pod);
      return known ?? (program === undefined ? [] : { namespace, pod, program, sinceMs: world.nowMs });
    });
    if (!same(outage.status?.hung ?? [], hung)) world.put({ ...outage, status: { ...outage.status, hung } });
  }
};

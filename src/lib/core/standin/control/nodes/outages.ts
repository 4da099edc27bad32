import { same } from '../../../shared';
import type { Outage } from '../../../model';
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

/** Writes down which programs an outage caught: one that is started later doesn't hang. */
export const outages: Loop = {
  id: 'outages',
  watches: { Outage: (now, before) => (now && now.spec !== before?.spec ? [now.metadata.name] : []) },
  reconcile(world, key) {
    const outage = world.store.get('Outage', '', key);
    if (!outage) return;
    const names = [...new Set(strange(world, outage))];
    if (names.length) world.event(outage, 'NothingStruck', `It names ${names.join(', ')}, and there is no such thing.`, 'Warning');
    const hung = (outage.spec.hangs ?? []).flatMap(({ namespace, pod }) => {
      const known = outage.status?.hung?.find((one) => isPod(one, namespace, pod));
      const program = programOf(world.store, namespace, pod);
      return known ?? (program === undefined ? [] : { namespace, pod, program, sinceMs: world.nowMs });
    });
    if (!same(outage.status?.hung ?? [], hung)) world.put({ ...outage, status: { ...outage.status, hung } });
  }
};

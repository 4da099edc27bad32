import { amountText, takesRoom, type ApiObject, type Kind } from '../../../model';
import { same } from '../../../shared';
import { countedKinds, usedOf } from '../../admit/limits';
import type { Loop, Watch } from '../loop';

const spaceOf = (object: ApiObject): string[] => [object.metadata.namespace ?? ''];

/** What is made, goes, asks for something else, or takes no room any more is counted anew, where anything is counted. */
const counts: Watch<Kind> = (now, before, store) => {
  const one = (now ?? before)!;
  if (!store.list('ResourceQuota', one.metadata.namespace).length) return [];
  if (!now || !before) return spaceOf(one);
  if ((now as { spec?: unknown }).spec !== (before as { spec?: unknown }).spec) return spaceOf(one);
  return now.kind === 'Pod' && before.kind === 'Pod' && takesRoom(now) !== takesRoom(before) ? spaceOf(one) : [];
};

/** Writes on quotas what is used of them. Source: the cluster API's "Resource Quotas", viewing. */
export const quotas: Loop = {
  id: 'quotas',
  paceMs: 100,
  watches: {
    ...Object.fromEntries(countedKinds.map((kind) => [kind, counts])),
    ResourceQuota: (now, before) => (now && now.spec !== before?.spec ? spaceOf(now) : [])
  },
  reconcile(world, namespace) {
    for (const quota of world.store.list('ResourceQuota', namespace)) {
      const used = Object.fromEntries([...usedOf(world.store, quota)].map(([name, amount]) => [name, amountText(name, amount)]));
      const status = { hard: { ...quota.spec?.hard }, used };
      if (!same(status, quota.status)) world.put({ ...quota, status });
    }
  }
};

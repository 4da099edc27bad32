import { ordinalsOf, type Facts } from '../../model';
import { enginePartOf, workloadOf, workloadOfTemplate } from '../provider/images';
import { storeLayout, type StoreLayout } from './objects/layout';

/** A workload by its name. */
interface Named {
  readonly namespace: string;
  readonly name: string;
}

const podsOf = (facts: Facts, { namespace, name }: Named, part: string) =>
  facts.list('Pod', namespace).filter((pod) => enginePartOf(pod)?.part === part && workloadOf(pod) === name);

/** How many members of a part a workload ought to have: what its sets ask for, else the pods that there are. */
export function wantedOf(facts: Facts, workload: Named, part: string): number {
  const sets = facts
    .list('StatefulSet', workload.namespace)
    .filter((set) => workloadOfTemplate(set) === workload.name && enginePartOf(set.spec.template)?.part === part);
  return sets.length ? sets.flatMap(ordinalsOf).length : podsOf(facts, workload, part).length;
}

/** How an object store spreads what it keeps over the members that it ought to have; with the bytes that each volume takes, what it holds. */
export function storeLayoutOf(facts: Facts, workload: Named, volumeBytes = 0): StoreLayout {
  const [pod] = podsOf(facts, workload, 'member');
  const members = Math.max(1, wantedOf(facts, workload, 'member'));
  const volumes = (pod?.spec.volumes ?? []).filter((one) => one.persistentVolumeClaim).length;
  const parity = Number(facts.get('Process', workload.namespace, pod?.metadata.name ?? '')?.spec.options.parity ?? 1);
  return storeLayout(members, Math.max(1, volumes), volumeBytes, Math.min(parity, Math.floor(members / 2)));
}

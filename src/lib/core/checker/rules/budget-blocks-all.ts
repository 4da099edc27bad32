import { selectorMatches } from '../../model';
import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

/** Members that must stay, of so many. */
const stays = (value: string | number | undefined, of: number): number | undefined =>
  value === undefined ? undefined : typeof value === 'number' ? value : Math.ceil((Number(value.replace('%', '')) / 100) * of);

export default rule({
  id: 'budget-blocks-all',
  level: 'warning',
  title: 'A disruption budget that lets nobody go',
  why: 'A budget that allows none away keeps nodes from ever being emptied: upgrades hang on it until somebody deletes pods by hand.',
  bad: join(
    service(),
    set({ spec: 'replicas: 3' }),
    'apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: store}\nspec: {minAvailable: 3, selector: {matchLabels: {app: store}}}\n'
  ),
  good: join(
    service(),
    set({ spec: 'replicas: 3' }),
    'apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: store}\nspec: {minAvailable: 2, selector: {matchLabels: {app: store}}}\n'
  ),
  check: ({ written, all }) =>
    written('PodDisruptionBudget').flatMap((on) => {
      const { minAvailable, maxUnavailable, selector } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      const sets = [...all('StatefulSet', space), ...all('Deployment', space)].filter((one) =>
        selectorMatches(selector, one.spec.template.metadata?.labels)
      );
      const size = sets.reduce((sum, one) => sum + (one.spec.replicas ?? 1), 0);
      const least = stays(minAvailable, size);
      const most = stays(maxUnavailable, size);
      const path = maxUnavailable === undefined ? ['spec', 'minAvailable'] : ['spec', 'maxUnavailable'];
      if (!(most === 0 || (least !== undefined && size > 0 && least >= size))) return [];
      const says = most === 0 ? 'maxUnavailable is 0' : `${minAvailable} of ${size} must stay`;
      const better = most === 0 ? 1 : Math.max(1, size - 1);
      return [
        hit(
          on,
          path,
          `${says}: no node with one of them can ever be emptied.`,
          `Write ${better}.`,
          change(`Write ${better}`, on, { set: path, value: better })
        )
      ];
    })
});

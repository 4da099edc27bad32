import { claimsOf, type Facts } from '../model';
import { hash32, hex8, stableJson } from '../shared';
import { podsIn, type Workload } from './workload';

/**
 * What evidence of a workload speaks of, in so many letters that differ where any of it does: what its sets and deployments ask for, its pods,
 * their claims, the services beside them. The clock alone doesn't tell: somebody may send something in the very moment of a proof.
 */
export function standingPrint(facts: Facts, workload: Workload): string {
  const { namespace, sets, deployments, daemonSets } = workload;
  const pods = podsIn(facts, workload);
  const names = new Set(pods.flatMap((pod) => claimsOf(pod.spec, pod.metadata.name)));
  return hex8(
    hash32(
      stableJson([
        [...sets, ...deployments, ...daemonSets]
          .map((one) => [one.kind, one.metadata.name, one.metadata.generation ?? 0, one.metadata.uid])
          .sort(),
        pods.map((pod) => [pod.metadata.name, pod.metadata.uid]).sort(),
        facts
          .list('PersistentVolumeClaim', namespace)
          .filter((one) => names.has(one.metadata.name))
          .map(({ metadata, spec, status }) => [
            metadata.name,
            spec.volumeName ?? '',
            status?.phase ?? '',
            String(status?.capacity?.storage ?? '')
          ])
          .sort(),
        facts
          .list('Service', namespace)
          .map((one) => [one.metadata.name, stableJson(one.spec)])
          .sort()
      ])
    )
  );
}

/** How a workload stands: when anything of it changed last (virtual ms), and its print. */
export interface Standing {
  readonly atMs: number;
  readonly stands: string;
}

/** Whether what evidence speaks of has changed since. Evidence of earlier versions has no print, and goes by the clock alone. */
export const isStale = (now: Standing | undefined, then: Pick<Standing, 'atMs'> & { readonly stands?: string }): boolean =>
  !now || now.atMs > then.atMs || (then.stands !== undefined && then.stands !== now.stands);

import { isReady } from '../../model';
import { linkTo } from '../../standin';
import { field, look } from '../evidence';
import { apartFault, leadingCluster, linkRemedy, overMember } from '../over';
import type { JointRule } from '../types';

/** Do the links carry the member to those in other clusters? */
export const link = {
  id: 'link' as const,
  shared: true,
  title: 'Link',
  why: 'Members of one workload in several clusters call each other over links, by names that the links carry. Without a way to whoever leads, a member waits for ever.',
  perClaim: false,
  look(at) {
    const over = overMember(at);
    if (!over) return undefined;
    const { facts, pod } = at;
    const others = over.clusters.filter((one) => one !== over.here);
    const { cluster: first, led } = leadingCluster(facts, over);
    const inOrder = [...new Set([...(first === over.here ? [] : [first]), ...others])];
    const faults = inOrder.flatMap((cluster) => {
      const fault = apartFault(facts, cluster);
      return fault ? [{ cluster, fault }] : [];
    });
    const [worst] = faults;
    const ends = others.flatMap((one) => linkTo(facts, one) ?? []);
    const label = `to ${others.join(', ')}`;
    const objects = ends.map((one) => ({ kind: 'Link' as const, namespace: '', name: one.metadata.name }));
    if (!worst)
      return look('holds', label, `comes through, ${ends.map((one) => `${one.spec.to} in ${one.spec.delayMs} ms`).join(', ')}`, {
        objects
      });
    const follows = !led || worst.cluster === first;
    if (!follows) return look('holds', label, `${worst.fault.says}; whom it follows it reaches`, { objects });
    if (!pod || isReady(pod))
      return look(
        'holds',
        label,
        `${worst.fault.says}; ${pod ? 'it is ready with what it has, and hears of nothing new' : 'there is no member that waits for it'}`,
        {
          objects
        }
      );
    const end = linkTo(facts, worst.cluster);
    return look('broken', `to ${worst.cluster}`, worst.fault.says, {
      objects: end ? [{ kind: 'Link', namespace: '', name: end.metadata.name }] : [],
      evidence: end
        ? [
            field(
              end,
              worst.fault.field ?? 'spec',
              worst.fault.says.startsWith(over.here) ? valueAt(end, worst.fault.field) : worst.fault.says
            )
          ]
        : [],
      remedy: linkRemedy(facts, worst.fault)
    });
  }
} satisfies JointRule;

/** What stands at a path like `spec.carries.names`. */
const valueAt = (object: object, path: string | undefined): unknown =>
  path?.split('.').reduce<unknown>((value, step) => (value as Record<string, unknown> | undefined)?.[step], object);

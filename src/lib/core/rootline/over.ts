import { factsIn, setOf, type Facts, type Link, type Pod, type Process, type StatefulSet } from '../model';
import { linkFault, linkNamesFault, linkTo, overOf, type LinkFault } from '../standin';
import { asManifest } from '../manifest';
import { epochMs } from '../shared';
import type { Position, Remedy } from './types';

/** A member whose workload has members in other clusters, too. */
export interface OverMember {
  readonly set: StatefulSet;
  readonly here: string;
  /** All clusters of the workload, its own among them. */
  readonly clusters: readonly string[];
}

/** Whether a place is that of a member with others in other clusters. */
export function overMember({ facts, pod, set }: Pick<Position, 'facts' | 'pod' | 'set'>): OverMember | undefined {
  const owner = set ?? (pod && setOf(facts, pod));
  const clusters = owner && overOf(owner);
  return clusters && { set: owner, clusters, here: facts.elsewhere?.here ?? '' };
}

/** Programs of a workload in one of its clusters, with the pods that they run in. */
export const membersThere = (there: Facts, namespace: string, workload: string): { pod: Pod; process: Process }[] =>
  there
    .list('Process', namespace)
    .filter((one) => one.spec.workload === workload)
    .flatMap((process) => {
      const pod = there.get('Pod', namespace, process.metadata.name);
      return pod ? [{ pod, process }] : [];
    });

/** The cluster that a member has to come to: where the one leads that the others follow, else the first of them; and whether anybody leads. */
export function leadingCluster(facts: Facts, { set, clusters }: OverMember): { readonly cluster: string; readonly led: boolean } {
  for (const cluster of clusters) {
    const there = factsIn(facts, cluster);
    const members = there ? membersThere(there, set.metadata.namespace ?? '', set.metadata.name) : [];
    if (members.some(({ process }) => process.status?.leader === process.metadata.name)) return { cluster, led: true };
  }
  return { cluster: clusters[0]!, led: false };
}

/** What keeps members of two clusters apart: nothing comes through, or neither finds the other by name. */
export function apartFault(facts: Facts, cluster: string): LinkFault | undefined {
  const here = facts.elsewhere?.here;
  const there = facts.elsewhere?.facts(cluster);
  const through = linkFault(facts, cluster);
  if (through || !there || here === undefined) return through;
  const [mine, theirs] = [linkNamesFault(facts, cluster), linkNamesFault(there, here)];
  return mine && theirs ? mine : undefined;
}

const yearMs = 31_536_000_000;

/** What mends a link, as one of its ends: where it is to be sent, and what. */
export function linkRemedy(facts: Facts, fault: LinkFault): Remedy {
  const here = facts.elsewhere?.here ?? '';
  const there = factsIn(facts, fault.cluster);
  const ends = there?.list('Link') ?? [];
  const found = ends.find((one) => fault.says.includes(one.metadata.name)) ?? ends[0];
  const where = fault.cluster === here ? {} : { in: fault.cluster };
  const alter = (text: string, spec: Partial<Link['spec']>): Remedy =>
    found ? { text, ...where, manifests: [asManifest({ ...found, spec: { ...found.spec, ...spec } })] } : { text, ...where };
  switch (fault.is) {
    case 'names':
      return found?.spec.carries.names
        ? { text: 'End the outage that takes the names away.', ...where }
        : alter(`Let ${fault.cluster}'s end of the link carry names.`, {
            carries: { ...found?.spec.carries, addresses: true, names: true }
          });
    case 'addresses':
      return alter(`Let ${fault.cluster}'s end of the link carry addresses.`, {
        carries: { names: true, ...found?.spec.carries, addresses: true }
      });
    case 'secret':
      return alter(`Let ${fault.cluster}'s end of the link encrypt, as the other does.`, { encrypted: true });
    case 'certificate':
      return alter(`Give ${fault.cluster}'s end of the link a new certificate.`, {
        certificateUntil: new Date(epochMs + facts.nowMs + yearMs).toISOString()
      });
    case 'version': {
      const other = facts.elsewhere?.facts(found?.spec.to ?? '');
      const theirs = other && linkTo(other, fault.cluster)?.spec.version;
      return theirs === undefined
        ? { text: 'Run one version at both ends.' }
        : alter(`Run version ${theirs} at ${fault.cluster}'s end, as at the other.`, { version: theirs });
    }
    case 'half':
      return { text: `Send ${fault.cluster} its end of the link, under the same name as the other end.`, ...where };
    case 'no-link':
    case 'no-cluster':
      return { text: 'Link the two clusters on the sheet of the estate.' };
    case 'ranges':
      return { text: 'Lay one of the clusters out with ranges that no other has; addresses that two give out can not be carried.' };
    case 'cut':
    case 'one-way':
      return { text: 'Take the outage away that cuts the link.', ...where };
  }
}

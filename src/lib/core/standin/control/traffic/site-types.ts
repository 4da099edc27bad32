import { memberNames, type Outage, type Pod, type Process } from '../../../model';
import type { Answer, MemberState } from '../../engines/site';
import type { FarMember } from './over-link';
import { enginePartOf } from '../../provider/images';
import type { ClusterAccess } from '../loop';
import type { Disk, SiteVolumes } from './site-volumes';

/** Something on its way from one member (or client) to another. */
export interface Mail {
  readonly atMs: number;
  readonly nth: number;
  readonly from: string;
  readonly to: string;
  readonly body: unknown;
  /** It waited for a slow volume: what follows from the same to the same doesn't overtake it. */
  readonly late?: true;
}

/** What a program has in mind, and which program. */
export interface Kept<T> {
  readonly process: string;
  readonly data: T;
}

/** What has been looked up of a member (or a client) during one call; nothing of it changes before the call ends, but for `mind`. */
export interface Seen {
  /** Where it stands; undefined: in the cluster that keeps the traffic. */
  place: Place | undefined;
  pod: Pod | undefined;
  process: Process | undefined;
  up: boolean | undefined;
  hangs: boolean | undefined;
  untrusted: string | null | undefined;
  mind: unknown;
  mindRead: boolean;
  reached: Map<string, boolean> | undefined;
  disks: readonly Disk[] | undefined;
}

/** One of the clusters that a workload's members stand in. */
export interface Place {
  readonly world: ClusterAccess;
  readonly outages: readonly Outage[];
  readonly policies: boolean;
  readonly volumes: SiteVolumes;
  readonly processes: readonly Process[];
}

/** Members that ought to be: those of the workload's sets, then whatever else runs for it. */
export function wantedIn(world: ClusterAccess, key: string, pods: readonly Pod[]): readonly string[] {
  const sets = world.store.by<'StatefulSet'>('setsOfWorkload', key).filter((set) => enginePartOf(set.spec.template));
  const members = sets.length === 1 ? memberNames(sets[0]!) : sets.flatMap(memberNames);
  const owned = (pod: Pod) =>
    members.includes(pod.metadata.name) ||
    (pod.metadata.ownerReferences?.some((one) => sets.some((set) => set.metadata.uid === one.uid)) ?? false);
  let others: string[] | undefined;
  for (const pod of pods) if (!owned(pod)) (others ??= []).push(pod.metadata.name);
  return others ? [...members, ...others.sort()] : members;
}

/** A member that has not been looked at yet. */
export const unseen = (): Seen => ({
  place: undefined,
  pod: undefined,
  process: undefined,
  up: undefined,
  hangs: undefined,
  untrusted: undefined,
  mind: undefined,
  mindRead: false,
  reached: undefined,
  disks: undefined
});

/** What an ask gets that nobody has answered in time. */
export const timeoutBody = { is: 'timeout' } as const;

/** What a member says to a client once a slow volume has taken what it wrote. */
export interface LateBody {
  readonly is: 'answer-late';
  readonly answer: Answer;
}

/** Whether a name is that of a client's ask, not of a member. */
export const isClient = (id: string): boolean => id.startsWith('~');

/** What a member that would be primary is called while its workload follows another one. */
export const followsRole = 'first standby';

/** A member as those of another cluster see it. */
export const farMember = ({ world, outages, policies }: Place, pod: Pod): FarMember => ({ store: world.store, outages, policies, pod });

/** What stands of a member whose name another cluster has given, too. */
export const doubled: MemberState = {
  role: 'joining',
  ready: false,
  says: 'a member of another cluster has this name already',
  position: 0
};

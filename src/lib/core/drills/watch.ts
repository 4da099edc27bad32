import { isReady, refOf, type Facts, type Pod } from '../model';
import { podsIn, podsOver, seatsOf, type Workload } from '../proofs';
import { rootLine } from '../rootline';
import { enginePartOf, hangsSince, workloadOf, type World } from '../standin';
import type { Cause, Drill, Stretch } from './types';

/** Members that have to hold before and after a drill: those of the engine's parts. */
export const membersIn = (facts: Facts, workload: Workload): Pod[] => podsIn(facts, workload).filter((pod) => enginePartOf(pod));

/** Whether a member holds: it is ready, and not behind. */
export const holds = (facts: Facts, pod: Pod): boolean => {
  const status = facts.get('Process', pod.metadata.namespace ?? '', pod.metadata.name)?.status;
  return isReady(pod) && !pod.metadata.deletionTimestamp && (status === undefined || status.ready) && !status?.lag;
};

/**
 * Whether all of a workload holds: as many members as there were are ready, none is behind, and nobody hangs. Pods of deployments come again
 * under other names.
 */
export function whole(facts: Facts, workload: Workload, count: number): boolean {
  const members = membersOver(facts, workload);
  return (
    members.length >= count &&
    members.every(({ pod, seat }) => holds(seat.facts, pod) && hangsSince(seat.facts, workload.namespace, pod.metadata.name) === undefined)
  );
}

/** The same members in all clusters that the workload stands in. */
export const membersOver = (facts: Facts, workload: Workload) => podsOver(facts, workload).filter(({ pod }) => enginePartOf(pod));

/** Watches members: their lanes, who else is hurt, and what breaks first. */
export class Watch {
  private readonly lanes = new Map<string, Stretch[]>();
  private readonly others: Map<string, string>;
  readonly hurt = new Set<string>();
  cause: Cause | undefined;
  private lookedMs = 0;

  constructor(
    private readonly world: World,
    private readonly workload: Workload,
    readonly names: readonly string[],
    private readonly fromMs: number
  ) {
    this.others = new Map(
      world.store
        .list('Pod')
        .filter((pod) => enginePartOf(pod) && isReady(pod) && !names.includes(pod.metadata.name))
        .map((pod) => [`${pod.metadata.namespace}/${pod.metadata.name}`, workloadOf(pod)])
    );
  }

  look(toMs: number, struck: boolean): void {
    const { store } = this.world;
    const seats = seatsOf(store, this.workload);
    const names = new Set([...this.lanes.keys(), ...this.names, ...membersOver(store, this.workload).map(({ pod }) => pod.metadata.name)]);
    for (const name of names) {
      const seat = seats.find((one) => one.facts.get('Pod', this.workload.namespace, name)) ?? seats[0]!;
      const pod = seat.facts.get('Pod', this.workload.namespace, name);
      const ready = pod !== undefined && isReady(pod) && hangsSince(seat.facts, this.workload.namespace, name) === undefined;
      const state = ready ? 'ready' : pod?.status?.phase === 'Running' ? 'coming' : 'away';
      // One that came later was away before.
      const lane =
        this.lanes.get(name) ??
        (this.lookedMs > 0 && !this.names.includes(name) ? [{ fromMs: 0, toMs: this.lookedMs, state: 'away' as const }] : []);
      const last = lane.at(-1);
      if (last?.state === state) lane[lane.length - 1] = { ...last, toMs };
      else lane.push({ fromMs: last?.toMs ?? 0, toMs, state });
      this.lanes.set(name, lane);
    }
    this.lookedMs = toMs;
    if (!struck) return;
    for (const [key, workload] of this.others) {
      const [namespace = '', name = ''] = key.split('/');
      const pod = store.get('Pod', namespace, name);
      if (!pod || !isReady(pod)) this.hurt.add(`${namespace}/${workload}`);
    }
    this.cause ??= this.breaks();
  }

  /** The first break of a member that doesn't hold. */
  private breaks(): Cause | undefined {
    const { store } = this.world;
    for (const name of this.names) {
      const its = seatsOf(store, this.workload).find((one) => one.facts.get('Pod', this.workload.namespace, name))?.facts;
      const pod = its?.get('Pod', this.workload.namespace, name);
      if (!its || !pod || isReady(pod)) continue;
      const line = rootLine(its, refOf(pod));
      const joint = line?.joints.find((one) => one.state === 'broken');
      if (!joint) continue;
      return {
        from: 'break',
        subject: refOf(pod),
        says: `${joint.joint}: ${joint.says}`,
        ...(joint.remedy ? { remedy: joint.remedy.text } : {}),
        ...(joint.remedy?.manifests ? { manifests: joint.remedy.manifests } : {})
      };
    }
    return undefined;
  }

  all(): Drill['lanes'] {
    return [...this.lanes].map(([name, stretches]) => ({ name, stretches }));
  }

  get elapsedMs(): number {
    return this.world.nowMs - this.fromMs;
  }
}

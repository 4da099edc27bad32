import {
  conditionOf,
  refOf,
  type ApiObject,
  type ClusterEvent,
  type Container,
  type DriverStep,
  type Facts,
  type Pod,
  type PodSpec,
  type SeenSpan
} from '../model';
import { imageParts } from '../standin';
import { claimedVolumes, mounts } from './likeness';

/** A span in seconds, and how often it was seen. */
export type SeenTimes = SeenSpan;

/** Longer ones aren't one step: something else happened in between (made up). */
const longestSeconds = 1_800;

/** Collects how long something took, key by key. */
class Spans {
  private readonly found = new Map<string, { from: number; to: number; seen: number }>();

  /** Moments in ms of the calendar; what ends before it begins, or took longer than a step does, says nothing. */
  add(key: string, fromMs: number, toMs: number): void {
    const seconds = (toMs - fromMs) / 1_000;
    if (!(seconds >= 0 && seconds <= longestSeconds)) return;
    const one = this.found.get(key);
    if (one) Object.assign(one, { from: Math.min(one.from, seconds), to: Math.max(one.to, seconds), seen: one.seen + 1 });
    else this.found.set(key, { from: seconds, to: seconds, seen: 1 });
  }

  /** Stamps are in full seconds: what seems to take 4 s took less than 5. */
  all(): ReadonlyMap<string, SeenTimes> {
    return new Map(
      [...this.found].map(([key, { from, to, seen }]) => [key, { fromSeconds: Math.floor(from), toSeconds: Math.floor(to) + 1, seen }])
    );
  }
}

/** A cluster's own times, as its export shows them. */
export interface OwnTimes {
  /** From the program's start until it was ready, by image. */
  readonly starts: ReadonlyMap<string, SeenTimes>;
  /** From the order until it was on the node, by image. */
  readonly pulls: ReadonlyMap<string, SeenTimes>;
  /** From the order until the volume was made, by driver. */
  readonly provisioning: ReadonlyMap<string, SeenTimes>;
  /** From the choice of a node until its volumes were attached there, by driver. */
  readonly attaching: ReadonlyMap<string, SeenTimes>;
  /** From the wish until the volume had grown at its backend, by driver. */
  readonly growing: ReadonlyMap<string, SeenTimes>;
  /** From the order until the snapshot was ready, by driver. */
  readonly copying: ReadonlyMap<string, SeenTimes>;
}

/** What drivers' steps are called in sentences. */
export const driverStepWords = {
  provisioning: 'volumes of',
  attaching: 'attaching for',
  growing: 'growing for',
  copying: 'snapshots of'
} as const satisfies Record<DriverStep, string>;

/** The first of some events; one that counts several is of several things, and its stamps span them. */
const alone = (one: ClusterEvent): boolean => (one.count ?? 1) === 1;
const once = (events: readonly ClusterEvent[]): ClusterEvent | undefined => events.find(alone);
/** Reasons that tell that a volume has grown at its backend, the most exact one first (from memory). */
const grownReasons = ['FileSystemResizeRequired', 'VolumeResizeSuccessful', 'FileSystemResizeSuccessful'] as const;

const momentMs = (stamp: unknown): number => (typeof stamp === 'string' ? Date.parse(stamp) : NaN);

/** Events about this very object, not about one that bore its name before. */
const eventsOf = (facts: Facts, object: ApiObject, reason: string): ClusterEvent[] =>
  facts
    .eventsOf(refOf(object))
    .filter(
      ({ reason: said, involvedObject: { uid } }) => said === reason && (!uid || !object.metadata.uid || uid === object.metadata.uid)
    );

/** The container that keeps what the claims are for, else the first one. */
function mainContainer(spec: PodSpec): Container {
  const claimed = new Set(claimedVolumes(spec));
  return spec.containers.find((one) => mounts(one, claimed)) ?? spec.containers[0]!;
}

/** How long a pod's program took until it was ready; undefined where a later start or a later loss of readiness hides it. */
function startOf(pod: Pod): readonly [number, number] | undefined {
  const ready = conditionOf(pod.status?.conditions, 'Ready');
  const states = pod.status?.containerStatuses ?? [];
  if (ready?.status !== 'True' || !states.length || states.some((one) => (one.restartCount ?? 0) > 0)) return undefined;
  const began = states.map((one) => momentMs((one.state as { running?: { startedAt?: string } } | undefined)?.running?.startedAt));
  return [Math.min(...began), momentMs(ready.lastTransitionTime)];
}

/**
 * How long the steps of members took in a cluster, read from an export's conditions and events. A pod that was ready, lost it and is ready
 * again within half an hour of its start is taken for slow: an export can't tell.
 */
export function ownTimes(facts: Facts): OwnTimes {
  const [starts, pulls, provisioning, attaching, growing, copying] = Array.from({ length: 6 }, () => new Spans()) as [
    Spans,
    Spans,
    Spans,
    Spans,
    Spans,
    Spans
  ];
  for (const pod of facts.list('Pod')) {
    const start = startOf(pod);
    // A pod is as slow as its slowest container; helpers beside the program that keeps its data are many, and say little.
    if (start) starts.add(imageParts(mainContainer(pod.spec).image).repository, ...start);
    for (const { message = '', firstTimestamp } of eventsOf(facts, pod, 'Pulled').filter(alone)) {
      const image = /^Successfully pulled image "([^"]+)"/.exec(message)?.[1];
      const order = eventsOf(facts, pod, 'Pulling').find((one) => alone(one) && one.message?.includes(`"${image}"`));
      if (image && order) pulls.add(imageParts(image).repository, momentMs(order.firstTimestamp), momentMs(firstTimestamp));
    }
    const placedMs = momentMs(conditionOf(pod.status?.conditions, 'PodScheduled')?.lastTransitionTime);
    for (const { message = '', firstTimestamp } of eventsOf(facts, pod, 'SuccessfulAttachVolume')) {
      const volume = /volume "([^"]+)"/.exec(message)?.[1];
      const driver = volume === undefined ? undefined : facts.get('PersistentVolume', '', volume)?.spec.csi?.driver;
      if (driver) attaching.add(driver, placedMs, momentMs(firstTimestamp));
    }
  }
  for (const claim of facts.list('PersistentVolumeClaim')) {
    const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
    const driver = volume?.spec.csi?.driver;
    if (!driver) continue;
    const [order] = eventsOf(facts, claim, 'Provisioning');
    const [done] = eventsOf(facts, claim, 'ProvisioningSucceeded');
    if (order && done) provisioning.add(driver, momentMs(order.firstTimestamp), momentMs(done.lastTimestamp));
    const wish = once(eventsOf(facts, claim, 'Resizing'));
    const grown = grownReasons.map((reason) => once(eventsOf(facts, claim, reason))).find((one) => one !== undefined);
    if (wish && grown) growing.add(driver, momentMs(wish.firstTimestamp), momentMs(grown.firstTimestamp));
  }
  for (const snapshot of facts.list('VolumeSnapshot')) {
    const content = facts.get('VolumeSnapshotContent', '', snapshot.status?.boundVolumeSnapshotContentName ?? '');
    const [order, done] = [once(eventsOf(facts, snapshot, 'CreatingSnapshot')), once(eventsOf(facts, snapshot, 'SnapshotReady'))];
    if (content && order && done) copying.add(content.spec.driver, momentMs(order.firstTimestamp), momentMs(done.firstTimestamp));
  }
  return {
    starts: starts.all(),
    pulls: pulls.all(),
    provisioning: provisioning.all(),
    attaching: attaching.all(),
    growing: growing.all(),
    copying: copying.all()
  };
}

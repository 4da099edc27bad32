import { momentOf } from '../shared';
import { refOf, type ApiObject, type ClusterEvent, type Condition, type Facts, type Ref } from '../model';

/** One thing that the cluster itself says of an object: an event, a condition, an error in a status. */
export interface Said {
  readonly object: Ref;
  /** `event`, or the field that it stands in. */
  readonly from: string;
  readonly reason: string;
  readonly message: string;
  readonly count: number;
  /** When it was said last (virtual ms); undefined where it doesn't tell. */
  readonly atMs?: number;
  readonly firstMs?: number;
  readonly warning: boolean;
  /** The component that said it; '' where it doesn't tell. */
  readonly by: string;
}

/** A time of the cluster as virtual ms; undefined for what is no time. */
export function timeOf(text: unknown): number | undefined {
  if (typeof text !== 'string') return undefined;
  const at = Date.parse(text);
  return Number.isNaN(at) ? undefined : momentOf(text);
}

interface NewerEvent {
  readonly eventTime?: string | null;
  readonly series?: { readonly count?: number; readonly lastObservedTime?: string } | null;
  readonly reportingComponent?: string;
  readonly reportingController?: string;
}

/** When an event was last seen: both shapes, the older with `count` and `lastTimestamp`, the newer with `eventTime` and `series`. */
export function eventMs(event: ClusterEvent): number | undefined {
  const { eventTime, series } = event as NewerEvent;
  const last = [series?.lastObservedTime, event.lastTimestamp, eventTime, event.firstTimestamp, event.metadata.creationTimestamp];
  return last.map(timeOf).find((one) => one !== undefined);
}

function saidOf(event: ClusterEvent, object: Ref): Said {
  const { eventTime, series, reportingComponent, reportingController } = event as NewerEvent;
  const atMs = eventMs(event);
  const firstMs = timeOf(event.firstTimestamp) ?? timeOf(eventTime) ?? atMs;
  return {
    object,
    from: 'event',
    reason: event.reason ?? '',
    message: event.message ?? '',
    count: series?.count ?? event.count ?? 1,
    ...(atMs === undefined ? {} : { atMs }),
    ...(firstMs === undefined ? {} : { firstMs }),
    warning: event.type === 'Warning',
    by: event.source?.component || reportingComponent || reportingController || ''
  };
}

/** Events about an object in its present life, oldest first. Events about nodes carry the node's name as uid, so that theirs isn't compared. */
export function eventsAbout(facts: Facts, object: ApiObject | Ref): Said[] {
  const ref = 'metadata' in object ? refOf(object) : object;
  const uid = 'metadata' in object && ref.kind !== 'Node' ? object.metadata.uid : undefined;
  return facts
    .eventsOf(ref)
    .filter(({ involvedObject }) => !uid || !involvedObject.uid || involvedObject.uid === uid)
    .map((event) => saidOf(event, ref))
    .sort((a, b) => (a.atMs ?? 0) - (b.atMs ?? 0));
}

/** The latest event with one of the reasons; undefined where there is none. */
export const latestOf = (said: readonly Said[], reasons: readonly string[]): Said | undefined =>
  said.filter((one) => reasons.includes(one.reason)).at(-1);

/** A condition as something said. */
export function saidIn(object: ApiObject, condition: Condition): Said {
  const atMs = timeOf(condition.lastTransitionTime);
  return {
    object: refOf(object),
    from: `status.conditions[${condition.type}]`,
    reason: condition.reason ?? '',
    // A condition without words says its status at least.
    message: condition.message ?? (condition.reason ? '' : `${condition.type} ${condition.status}`),
    count: 1,
    ...(atMs === undefined ? {} : { atMs, firstMs: atMs }),
    warning: condition.status !== 'True',
    by: ''
  };
}

/** An error that stands in an object's status. */
export function saidError(object: ApiObject, from: string, error: { message?: string | undefined; time?: string | undefined }): Said {
  const atMs = timeOf(error.time);
  return {
    object: refOf(object),
    from,
    reason: '',
    message: error.message ?? '',
    count: 1,
    ...(atMs === undefined ? {} : { atMs, firstMs: atMs }),
    warning: true,
    by: ''
  };
}

import { epochMs, same, type Difference, differences } from '../shared';
import { scopeIn } from '../exports';
import {
  conditionOf,
  isReady,
  kindEntries,
  keyOf,
  nodeReady,
  refOf,
  type ApiObject,
  type Facts,
  type Kind,
  type Ref,
  type Scope
} from '../model';

/** How an object says it is, in a word or two; undefined for kinds that have no state. */
export function stateOf(object: ApiObject): string | undefined {
  switch (object.kind) {
    case 'Pod':
      if (object.metadata.deletionTimestamp) return 'Terminating';
      return object.status?.phase === 'Running'
        ? isReady(object)
          ? 'ready'
          : (waitingOf(object) ?? 'not ready')
        : (waitingOf(object) ?? object.status?.phase ?? 'Pending');
    case 'PersistentVolumeClaim':
    case 'PersistentVolume':
      return object.metadata.deletionTimestamp ? 'Terminating' : (object.status?.phase ?? 'Pending');
    case 'Node':
      return nodeReady(object) ? (object.spec?.unschedulable ? 'closed' : 'ready') : 'not ready';
    case 'StatefulSet':
    case 'Deployment':
      return `${object.status?.readyReplicas ?? 0} of ${object.spec.replicas ?? 1} ready`;
    case 'DaemonSet':
      return `${object.status?.numberReady ?? 0} of ${object.status?.desiredNumberScheduled ?? 0} ready`;
    case 'Job':
      return conditionOf(object.status?.conditions, 'Complete')?.status === 'True' ? 'complete' : object.status?.failed ? 'failed' : 'runs';
    case 'VolumeSnapshot':
      return object.status?.readyToUse ? 'ready' : (object.status?.error?.message ?? 'not ready');
    case 'VolumeAttachment':
      return object.status?.attached ? 'attached' : (object.status?.attachError?.message ?? 'not attached');
    case 'Namespace':
      return object.status?.phase ?? 'Active';
    default:
      return undefined;
  }
}

const waitingOf = (object: ApiObject & { kind: 'Pod' }): string | undefined =>
  object.status?.containerStatuses?.map((one) => one.state?.waiting?.reason).find((one) => one !== undefined && one !== 'PodInitializing');

const settled = /^(ready|Bound|Available|attached|complete|Succeeded|Active|runs)$/;
const isWaiting = (object: ApiObject, state: string): boolean => {
  if (object.kind === 'StatefulSet' || object.kind === 'Deployment' || object.kind === 'DaemonSet') {
    const [have, want] = state.split(' of ').map((one) => Number.parseInt(one, 10));
    return have! < want!;
  }
  return object.kind !== 'PersistentVolume' && object.kind !== 'Namespace' && !settled.test(state);
};

/** Since when an object has been as it is (ms of the calendar), as far as it tells. */
export function sinceOf(object: ApiObject): number | undefined {
  const at = (text: string | null | undefined) => (text ? Date.parse(text) : undefined);
  if (object.metadata.deletionTimestamp) return at(object.metadata.deletionTimestamp);
  if (object.kind === 'Pod') {
    const ready = conditionOf(object.status?.conditions, 'Ready') ?? conditionOf(object.status?.conditions, 'PodScheduled');
    return at(ready?.lastTransitionTime) ?? at(object.metadata.creationTimestamp);
  }
  if (object.kind === 'Node') return at(conditionOf(object.status?.conditions, 'Ready')?.lastTransitionTime);
  if (object.kind === 'Deployment')
    return at(conditionOf(object.status?.conditions, 'Available')?.lastTransitionTime) ?? at(object.metadata.creationTimestamp);
  return at(object.metadata.creationTimestamp);
}

/** What became of one object between two dumps. Times are virtual ms. */
export interface ChangedLine {
  readonly ref: Ref;
  readonly before?: string;
  readonly after?: string;
  /** Fields of the spec that were changed by somebody. */
  readonly fields?: readonly Difference[];
  readonly sinceMs?: number;
}

/** Two dumps of one cluster beside each other. */
export interface DumpComparison {
  readonly came: readonly ChangedLine[];
  readonly went: readonly ChangedLine[];
  /** Kinds (and namespaces) that only one of the two holds: what came or went of them can't be told. */
  readonly notCompared: readonly {
    readonly kind: string;
    readonly namespace: string;
    readonly in: 'earlier' | 'later';
    readonly count: number;
  }[];
  readonly changed: readonly ChangedLine[];
  /** What waits in the later dump, with since when; the longest first. */
  readonly waiting: readonly (ChangedLine & { readonly also: boolean })[];
}

const quiet = new Set<Kind>(['Event', 'EndpointSlice', 'ReplicaSet', 'CSINode']);

const everything = (facts: Facts): Map<string, ApiObject> =>
  new Map(
    kindEntries
      .filter((one) => !quiet.has(one.kind))
      .flatMap((one) => (facts.list(one.kind) as ApiObject[]).map((object) => [keyOf(refOf(object)), object] as const))
  );

/** What the cluster sets by itself in a spec, and what therefore is no change of anybody's. */
const own = /^spec\.(nodeName|volumeName|clusterIPs?|claimRef|podCIDRs?|providerID|taints)/;

/** Compares two dumps: what came, what went, what changed its state or its spec, and what waits. */
export function compareDumps(before: Facts, after: Facts): DumpComparison {
  const [old, now] = [everything(before), everything(after)];
  const line = (object: ApiObject): ChangedLine => {
    const [state, since] = [stateOf(object), sinceOf(object)];
    return { ref: refOf(object), ...(state ? { after: state } : {}), ...(since === undefined ? {} : { sinceMs: since - epochMs }) };
  };
  const changed: ChangedLine[] = [];
  const waiting: (ChangedLine & { also: boolean })[] = [];
  for (const [key, object] of now) {
    const was = old.get(key);
    const state = stateOf(object);
    const replaced = was !== undefined && was.metadata.uid !== object.metadata.uid && was.metadata.uid !== undefined;
    if (was) {
      const then = stateOf(was);
      const specs = [was, object].map((one) => (one as { spec?: unknown }).spec) as [unknown, unknown];
      const fields = same(...specs)
        ? []
        : differences(specs[0], specs[1], 'spec')
            .filter((one) => !own.test(one.field))
            .slice(0, 20);
      if (then !== state || fields.length || replaced)
        changed.push({
          ...line(object),
          ...(then
            ? { before: replaced ? `${then}, another object of that name` : then }
            : replaced
              ? { before: 'another object of that name' }
              : {}),
          ...(fields.length ? { fields } : {})
        });
    }
    if (state !== undefined && isWaiting(object, state)) {
      const then = was && stateOf(was);
      waiting.push({ ...line(object), also: then !== undefined && isWaiting(was!, then) });
    }
  }
  const came = [...now].filter(([key]) => !old.has(key)).map(([, object]) => object);
  const went = [...old].filter(([key]) => !now.has(key)).map(([, object]) => object);
  const [inBefore, inAfter] = [scopeIn(before), scopeIn(after)];
  const holds = (scope: Scope) => (one: ApiObject) => scope.of(one.kind, one.metadata.namespace ?? '') === 'contained';
  return {
    came: came.filter(holds(inBefore)).map(line),
    went: went.filter(holds(inAfter)).map((object) => ({ ref: refOf(object), ...(stateOf(object) ? { before: stateOf(object)! } : {}) })),
    notCompared: [...inOneOnly(went, holds(inAfter), 'earlier'), ...inOneOnly(came, holds(inBefore), 'later')],
    changed,
    waiting: waiting.sort((a, b) => (a.sinceMs ?? Infinity) - (b.sinceMs ?? Infinity))
  };
}

/** Objects of kinds that the other dump doesn't hold, counted. */
function inOneOnly(
  objects: readonly ApiObject[],
  held: (one: ApiObject) => boolean,
  where: 'earlier' | 'later'
): DumpComparison['notCompared'][number][] {
  const counts = new Map<string, { kind: string; namespace: string; in: 'earlier' | 'later'; count: number }>();
  for (const one of objects.filter((two) => !held(two))) {
    const namespace = one.metadata.namespace ?? '';
    const known = counts.get(`${one.kind} ${namespace}`) ?? { kind: one.kind, namespace, in: where, count: 0 };
    known.count += 1;
    counts.set(`${one.kind} ${namespace}`, known);
  }
  return [...counts.values()];
}

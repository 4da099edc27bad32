import { stampOf } from '../../../../shared';
import { conditionOf, isSidecar, type Condition, type ContainerStatus, type Pod } from '../../../../model';
import type { ClusterAccess } from '../../loop';
import { disruption } from '../sending-away';

/** Where a pod's node has got to with it. Plain data: part of snapshots. */
export interface AgentState {
  readonly uid: string;
  readonly stage: 'volumes' | 'init' | 'image' | 'start' | 'warm' | 'work' | 'run' | 'stop';
  readonly dueMs?: number;
  readonly retryMs?: number;
  readonly failures: number;
  readonly restarts: number;
  /** What a running piece of work is about (an image, say). */
  readonly about?: string;
  /** How many of its init containers are done, or run on beside the others. */
  readonly nth?: number;
  /** When a probe that fails ends it (virtual ms). */
  readonly killMs?: number;
  /** Its node went dark while it was here. */
  readonly dark?: boolean;
}

/** What node agents remember of their pods, by `namespace/name`. */
export const statesOf = (world: ClusterAccess) => world.memory<AgentState>('agent');

/** Pods that wait for a config map or secret, or for a registry; looked at again when one changes. */
export const waitingForRefs = (world: ClusterAccess) => world.memory<boolean>('waitingForRefs');
/** Pods that wait for a volume to be mounted, by `namespace/name`. */
export const waitingForMount = (world: ClusterAccess) => world.memory<boolean>('waitingForMount');
/** Pods that wait for an image, by `namespace/name`. */
export const waitingForPull = (world: ClusterAccess) => world.memory<boolean>('waitingForPull');

/** Everything a stage has to know of one call. */
export interface Turn {
  readonly world: ClusterAccess;
  readonly pod: Pod;
  readonly key: string;
  readonly state: AgentState;
}

/** Remembers a new state; the timing of the one before doesn't carry over. */
export function step(turn: Turn, next: Partial<AgentState> & Pick<AgentState, 'stage'>): AgentState {
  const { uid, failures, restarts, nth } = turn.state;
  const state: AgentState = { uid, failures, restarts, ...(nth === undefined ? {} : { nth }), ...next };
  statesOf(turn.world).set(turn.key, state);
  return state;
}

/** Whether a span of work is still under way; begins it on the first call. Calls back when it is over. */
export function working(turn: Turn, stage: AgentState['stage'], spanMs: () => number, about?: string): boolean {
  const { world, key, state } = turn;
  const mine = state.stage === stage && state.dueMs !== undefined && state.about === about;
  const dueMs = mine ? state.dueMs! : world.nowMs + spanMs();
  if (!mine) step(turn, { stage, dueMs, ...(about === undefined ? {} : { about }) });
  if (dueMs <= world.nowMs) return false;
  world.after(dueMs - world.nowMs, key);
  return true;
}

const notReady = 'Not every container is ready yet.';

/** The four conditions of a placed pod; a transition time moves only when its status does. */
function podConditions(pod: Pod, ready: boolean, message: string | undefined, stamp: string, left: readonly string[]): Condition[] {
  const truth = ready ? 'True' : 'False';
  const why = ready ? undefined : { reason: 'ContainersNotReady', message: message ?? notReady };
  const old = pod.status?.conditions;
  const made = (type: string, status: string, more?: { reason: string; message: string }): Condition => {
    const before = conditionOf(old, type);
    return {
      type,
      status,
      ...more,
      lastTransitionTime: before?.status === status && before.lastTransitionTime ? before.lastTransitionTime : stamp
    };
  };
  const prepared = left.length
    ? made('Initialized', 'False', { reason: 'ContainersNotInitialized', message: `Still to be done: ${left.join(', ')}.` })
    : made('Initialized', 'True');
  const kept = old?.filter((one) => one.type === disruption) ?? [];
  return [...kept, made('PodScheduled', 'True'), prepared, made('ContainersReady', truth, why), made('Ready', truth, why)];
}

type State = NonNullable<ContainerStatus['state']>;

const initializing: State = { waiting: { reason: 'PodInitializing' } };

/** How init containers stand when so many of them are done; the next one as told. */
function initStatuses(pod: Pod, done: number, next: State | undefined): ContainerStatus[] {
  return (pod.spec.initContainers ?? []).map((one, i) => {
    const runsOn = isSidecar(one) && i < done;
    const ended: State = { terminated: { exitCode: 0, reason: 'Completed' } };
    const state = i < done ? (runsOn ? { running: {} } : ended) : i === done && next ? next : initializing;
    return { name: one.name, image: one.image, imageID: '', ready: i < done, restartCount: 0, started: state.running !== undefined, state };
  });
}

/** Writes the same state to all containers of a pod, with phase and conditions that go with it. While init containers are at work it is the state of the one whose turn it is. */
export function setContainers(turn: Turn, given: State, more: { phase?: string; ready?: boolean; podIP?: string } = {}): Pod {
  const { world } = turn;
  const pod = world.store.get('Pod', turn.pod.metadata.namespace ?? '', turn.pod.metadata.name)!;
  const stamp = stampOf(world.nowMs);
  const ready = more.ready ?? false;
  const inits = pod.spec.initContainers ?? [];
  // What a stage has written down of itself just now counts, not how the turn began.
  const { stage, nth = 0 } = statesOf(world).get(turn.key) ?? turn.state;
  const early = inits.length > 0 && (stage === 'init' || stage === 'volumes') && given.terminated === undefined;
  const state = early ? initializing : given;
  const initContainerStatuses = initStatuses(pod, early ? nth : inits.length, given);
  const containerStatuses: ContainerStatus[] = pod.spec.containers.map(({ name, image }) => ({
    name,
    image,
    imageID: '',
    ready,
    restartCount: turn.state.restarts,
    started: state.running !== undefined,
    state
  }));
  const left = early ? inits.slice(nth).map((one) => one.name) : [];
  const conditions = podConditions(pod, ready, given.waiting?.message, stamp, left);
  const node = world.store.get('Node', '', pod.spec.nodeName ?? '');
  const hostIP = node?.status?.addresses?.find((one) => one.type === 'InternalIP')?.address;
  return world.put({
    ...pod,
    status: {
      ...pod.status,
      phase: more.phase ?? pod.status?.phase ?? 'Pending',
      startTime: pod.status?.startTime ?? stamp,
      ...(hostIP ? { hostIP } : {}),
      ...(more.podIP ? { podIP: more.podIP, podIPs: [{ ip: more.podIP }] } : {}),
      conditions,
      ...(inits.length ? { initContainerStatuses } : {}),
      containerStatuses
    }
  });
}

/** Shows a reason for waiting on the pod, once, with an event. */
export function showWait(turn: Turn, reason: string, message: string, eventReason: string): void {
  setContainers(turn, { waiting: { reason, message } });
  turn.world.event(turn.pod, eventReason, message, 'Warning');
}

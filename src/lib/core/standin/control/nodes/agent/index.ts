import { nodeReady, refOf, takesRoom, type Pod } from '../../../../model';
import { same } from '../../../../shared';
import type { Store } from '../../../store';
import { stopWriting } from '../../../engines/little-store';
import { closeProcess } from '../../../engines/processes';
import { isDark, isUnheard } from '../../../provider/outages';
import { diskLabel } from '../../../provider/pool';
import { idOf, splitKey, type Loop } from '../../loop';
import { hasPathsMark } from './host-paths';
import { hookFault, hooksMs } from './hooks';
import { imageStage, initStage, mountStage, runStage, startStage, warmStage, workStage } from './stages';
import {
  setContainers,
  statesOf,
  step,
  waitingForMount,
  waitingForPull,
  waitingForRefs,
  working,
  type AgentState,
  type Turn
} from './state';

const stages = { volumes: mountStage, init: initStage, image: imageStage, start: startStage, warm: warmStage, work: workStage } as const;

/** Ends a pod: its containers get time to stop, then the pod is gone. */
function stop(turn: Turn): void {
  const { world, pod, key } = turn;
  const subject = `Pod ${key}`;
  const running = pod.status?.phase === 'Running';
  if (turn.state.stage !== 'stop') {
    world.endAll(subject);
    world.begin(subject, 'stopping');
    world.event(pod, 'Killing', 'The pod is being taken away.');
    const failed = running ? hookFault(pod, 'preStop') : undefined;
    if (failed) world.event(pod, 'FailedPreStopHook', failed, 'Warning');
    stopWriting(world, pod);
    if (running) setContainers(turn, pod.status?.containerStatuses?.[0]?.state ?? {}, { ready: false });
  }
  const graceMs = (pod.spec.terminationGracePeriodSeconds ?? 30) * 1_000;
  // The time that preStop handlers take is part of the grace. Source: "Container Lifecycle Hooks".
  const spanMs = () =>
    running ? Math.min(graceMs, hooksMs(pod, 'preStop') + world.duration('stopping', `${key}#${pod.metadata.uid}`)) : 200;
  if (working(turn, 'stop', spanMs)) return;
  world.endAll(subject);
  closeProcess(world, pod);
  if (pod.metadata.finalizers?.length) {
    // Its containers have ended; the pod stays until whoever set the finalizer takes it off.
    if (takesRoom(pod)) setContainers(turn, { terminated: { exitCode: 0, reason: 'Completed' } }, { phase: 'Succeeded' });
    return;
  }
  statesOf(world).delete(key);
  world.drop(refOf(pod));
}

/** A node without power does nothing; when it is back, what ran on it starts again, and what was under way begins anew. */
function inTheDark(turn: Turn): boolean {
  const { world, pod, state } = turn;
  const dark = isDark(world.store, pod.spec.nodeName ?? '');
  if (dark && !state.dark) {
    closeProcess(world, pod);
    stopWriting(world, pod);
    step(turn, { stage: state.stage, dark: true });
  }
  if (dark || !state.dark) return dark;
  if (pod.metadata.deletionTimestamp) {
    step(turn, { stage: 'volumes', nth: 0 });
    return false;
  }
  const restarts = state.restarts + (state.stage === 'run' ? 1 : 0);
  const fresh = step({ ...turn, state: { ...state, restarts } }, { stage: 'volumes', nth: 0 });
  setContainers({ ...turn, state: fresh }, { waiting: { reason: 'ContainerCreating' } }, { phase: 'Pending' });
  return false;
}

const podsWithClaims = (store: Store, node: string): string[] =>
  store
    .podsOn(node)
    .filter((pod) => pod.spec.volumes?.length)
    .map(idOf);

function podsOfVolume(store: Store, volume: string | undefined): Pod[] {
  const claim = store.get('PersistentVolume', '', volume ?? '')?.spec.claimRef;
  return claim ? store.podsOfClaim(claim.namespace ?? '', claim.name ?? '') : [];
}

/** The part of a node that runs pods: mounts, pulls, starts, watches and ends them. One file per stage's work. */
export const agent: Loop = {
  id: 'node-agent',
  watches: {
    Pod: (now, before) =>
      now &&
      (now.spec.nodeName || now.metadata.deletionTimestamp) &&
      (now.spec !== before?.spec ||
        now.metadata.deletionTimestamp !== before?.metadata.deletionTimestamp ||
        (now.metadata.deletionTimestamp && now.metadata.finalizers !== before?.metadata.finalizers))
        ? [idOf(now)]
        : now
          ? []
          : [idOf(before!)],
    VolumeAttachment: (now, before, store) =>
      now?.status?.attached && !before?.status?.attached
        ? podsOfVolume(store, now.spec.source.persistentVolumeName)
            .filter((pod) => pod.spec.nodeName === now.spec.nodeName)
            .map(idOf)
        : [],
    // Pods of a daemon set stand on their nodes before their claim is bound.
    PersistentVolumeClaim: (now, before, store) =>
      now?.status?.phase === 'Bound' && before?.status?.phase !== 'Bound'
        ? store
            .podsOfClaim(now.metadata.namespace ?? '', now.metadata.name)
            .filter((pod) => pod.spec.nodeName)
            .map(idOf)
        : [],
    CSINode: (now, before, store) => (now && !same(now.spec, before?.spec) ? podsWithClaims(store, now.metadata.name) : []),
    Node: (now, before, store) => [
      ...(now && before && nodeReady(now) && !nodeReady(before) ? store.podsOn(now.metadata.name).map(idOf) : []),
      ...(now && now.metadata.annotations?.[hasPathsMark] !== before?.metadata.annotations?.[hasPathsMark] ? ['(mounts)'] : [])
    ],
    Process: (now, before) => (!now || (now.status?.ready ?? false) !== (before?.status?.ready ?? false) ? [idOf((now ?? before)!)] : []),
    Outage: (now, before, store) =>
      [now, before].flatMap((one) => [
        ...[...(one?.spec.dark ?? []), ...(one?.spec.cut ?? []).flat()].flatMap((node) => store.podsOn(node).map(idOf)),
        ...(one?.spec.hangs ?? []).map(({ namespace, pod }) => `${namespace}/${pod}`),
        ...(one?.spec.full ?? []).flatMap(({ namespace, claim }) => store.podsOfClaim(namespace, claim).map(idOf))
      ]),
    Disk: (now, before, store) =>
      now?.spec.dead && !before?.spec.dead
        ? store.podsOn(now.spec.node).flatMap((pod) => (pod.metadata.labels?.[diskLabel] === now.metadata.name ? [idOf(pod)] : []))
        : [],
    ConfigMap: () => ['(references)'],
    Secret: (now, before) =>
      [now, before].some((one) => one?.type === 'kubernetes.io/dockerconfigjson') ? ['(references)', '(pulls)'] : ['(references)'],
    ServiceAccount: () => ['(pulls)'],
    Registry: () => ['(pulls)'],
    Backend: () => ['(mounts)'],
    Pool: () => ['(mounts)'],
    Asset: (now, before, store) =>
      now?.status?.fill && (now.status.fill.bytesPerDay === 0 || now.spec !== before?.spec)
        ? store
            .by<'PersistentVolume'>('volumesOfHandle', now.metadata.name)
            .flatMap((one) => podsOfVolume(store, one.metadata.name))
            .map(idOf)
        : []
  },
  reconcile(world, key) {
    if (key.startsWith('(')) {
      const waiting = key === '(pulls)' ? waitingForPull(world) : key === '(mounts)' ? waitingForMount(world) : waitingForRefs(world);
      for (const id of waiting.keys()) world.after(1, id);
      return;
    }
    const [namespace, name] = splitKey(key);
    const pod = world.store.get('Pod', namespace, name);
    const known = statesOf(world).get(key);
    if (!pod) {
      statesOf(world).delete(key);
      waitingForPull(world).delete(key);
      waitingForRefs(world).delete(key);
      waitingForMount(world).delete(key);
      world.endAll(`Pod ${key}`);
      return;
    }
    const met: AgentState =
      known && known.uid === pod.metadata.uid ? known : { uid: pod.metadata.uid ?? '', stage: 'volumes', failures: 0, restarts: 0 };
    if (inTheDark({ world, pod, key, state: met })) return;
    const state = statesOf(world).get(key) ?? met;
    const turn: Turn = { world, pod: world.store.get('Pod', namespace, name)!, key, state };
    // A node that is cut off goes on with what it has, and hears of nothing new.
    if (isUnheard(world.store, pod.spec.nodeName ?? '')) return;
    if (pod.metadata.deletionTimestamp) {
      stop(turn);
      return;
    }
    const node = world.store.get('Node', '', pod.spec.nodeName ?? '');
    if (!node || !nodeReady(node) || state.stage === 'stop') return;
    if (state.stage === 'run') {
      if (takesRoom(pod)) runStage(turn);
      return;
    }
    world.end(`Pod ${key}`, 'placing');
    if (!known) step(turn, { stage: 'volumes' });
    stages[state.stage](turn);
  }
};

import { addressAt, draw, prefixSize, rangeFault, stampOf } from '../../../../shared';
import { claimsOf, isReady, isSidecar, type Container } from '../../../../model';
import { backoffMs, backoffs } from '../../../clock/steps';
import { damage, openStore, stopWriting } from '../../../engines/little-store';
import { otherWriter } from '../../../engines/left-behind';
import { assetsOf, closeProcess, openProcess, processOf, programReady } from '../../../engines/processes';
import { hasEngine } from '../../../engines/registry';
import { pullsSeen, startsSeen } from '../../../provider/cards';
import { enginePartOf, imageCard, type ImageCard } from '../../../provider/images';
import { diskLabel } from '../../../provider/pool';
import { pluginOn } from '../../../provider/driver';
import { ordinaryBytesPerSecond, pullOf } from '../../../provider/registry';
import { attachmentName } from '../../storage/attaching';
import { hostPathsThere } from './paths-there';
import { hookFault, hooksMs } from './hooks';
import { fullMount, mountFault } from './mounts';
import { hangingSeen, killBy, probeFault, seenReadyMs, type Kill } from './probes';
import { missingReferences, referenceSentence } from './references';
import { deadDisk, fullSentence, rootFault, startFault, starved } from './start-faults';
import { workOf, worksMark } from './work';
import { setContainers, showWait, statesOf, step, waitingForMount, waitingForPull, waitingForRefs, working, type Turn } from './state';

export const subjectOf = (turn: Turn): string => `Pod ${turn.key}`;

/** Whether every claim of the pod is attached to its node (where its driver attaches) and its driver's node plugin is there. */
function volumesReachable({ world, pod }: Turn): boolean {
  const node = pod.spec.nodeName ?? '';
  return claimsOf(pod.spec, pod.metadata.name).every((name) => {
    const claim = world.store.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    const volume = world.store.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
    const driver = volume?.spec.csi?.driver;
    if (!volume || !driver || claim?.status?.phase !== 'Bound' || !pluginOn(world.store, driver, node)) return false;
    if (world.store.get('CSIDriver', '', driver)?.spec.attachRequired === false) return true;
    return world.store.get('VolumeAttachment', '', attachmentName(volume.metadata.name, node))?.status?.attached === true;
  });
}

/** Config maps and secrets that are mounted. Gives whether all are there. */
function referencesThere(turn: Turn, mounted: boolean, container?: string): boolean {
  const { world, pod, key } = turn;
  const missing = missingReferences(world.store, pod).find((one) => one.mounted === mounted && one.init === container);
  if (!missing) {
    waitingForRefs(world).delete(key);
    return true;
  }
  waitingForRefs(world).set(key, true);
  const sentence = `${referenceSentence(pod.metadata.namespace ?? '', missing)} (named in ${missing.field}). Send it.`;
  if (mounted) showWait(turn, 'ContainerCreating', sentence, 'FailedMount');
  else showWait(turn, 'CreateContainerConfigError', sentence, 'Failed');
  return false;
}

/** How long a mount that nobody answers is waited for, before the node gives up and tries again (common practice, no source). */
const mountTimeoutMs = 60_000;

/** A volume that can't be mounted: after the time that it takes to find out, the pod says so, and the node tries again. */
function mountFails(turn: Turn): boolean {
  const { world, pod, key, state } = turn;
  const fault = mountFault(world.store, pod);
  if (!fault) {
    waitingForMount(world).delete(key);
    if (state.about === 'timeout' || state.retryMs !== undefined) step(turn, { stage: 'volumes', failures: 0 });
    return false;
  }
  waitingForMount(world).set(key, true);
  if (state.retryMs !== undefined && state.retryMs > world.nowMs) {
    world.after(state.retryMs - world.nowMs, key, true);
    return true;
  }
  const slow = fault.cause === 'target' || fault.cause === 'port';
  if (slow && working({ ...turn, state: { ...state, stage: 'volumes' } }, 'volumes', () => mountTimeoutMs, 'timeout')) {
    if (!pod.status?.containerStatuses) setContainers(turn, { waiting: { reason: 'ContainerCreating' } });
    return true;
  }
  const waitMs = backoffMs(backoffs.mount, state.failures);
  step(turn, { stage: 'volumes', failures: state.failures + 1, retryMs: world.nowMs + waitMs });
  world.end(subjectOf(turn), 'mounting');
  showWait(turn, 'ContainerCreating', `${fault.message} (claim ${fault.claim}).`, 'FailedMount');
  world.after(waitMs, key, true);
  return true;
}

/** Volumes: attached ones are mounted, configuration must be there. */
export function mountStage(turn: Turn): void {
  const { world, pod, key } = turn;
  const hasClaims = claimsOf(pod.spec, pod.metadata.name).length > 0;
  if (hasClaims && !volumesReachable(turn)) {
    if (!pod.status?.containerStatuses) setContainers(turn, { waiting: { reason: 'ContainerCreating' } });
    return;
  }
  if (!referencesThere(turn, true) || !hostPathsThere(turn)) return;
  if (hasClaims) {
    world.begin(subjectOf(turn), 'mounting');
    if (mountFails({ ...turn, state: statesOf(world).get(key) ?? turn.state })) return;
    const fresh = { ...turn, state: statesOf(world).get(key) ?? turn.state };
    if (working(fresh, 'volumes', () => world.duration('mounting', `${turn.key}#${pod.metadata.uid}`))) return;
    world.end(subjectOf(turn), 'mounting');
  }
  initStage({ ...turn, state: step(turn, { stage: 'init', nth: 0 }) });
}

const imagesOn = (turn: Turn): Set<string> =>
  new Set((turn.world.store.get('Node', '', turn.pod.spec.nodeName ?? '')?.status?.images ?? []).flatMap((one) => one.names ?? []));

function keepImage({ world, pod }: Turn, image: string, sizeBytes: number): void {
  const node = world.store.get('Node', '', pod.spec.nodeName ?? '');
  if (!node) return;
  const images = [...(node.status?.images ?? []), { names: [image], sizeBytes }];
  world.put({ ...node, status: { ...node.status, images } });
}

function pullFails(turn: Turn, image: string, message: string): void {
  const { world, key, state } = turn;
  const waitMs = backoffMs(backoffs.pull, state.failures);
  const reason = state.failures === 0 ? 'ErrImagePull' : 'ImagePullBackOff';
  const sentence = `${image} can't be pulled: ${message}.`;
  waitingForPull(world).set(key, true);
  step(turn, { stage: state.stage, failures: state.failures + 1, retryMs: world.nowMs + waitMs });
  setContainers(turn, { waiting: { reason, message: sentence } });
  world.event(turn.pod, 'Failed', sentence, 'Warning');
  world.end(subjectOf(turn), 'pulling');
  world.after(waitMs, key, true);
}

/** Whether images are on the node: they are pulled one after the other, at the registry's speed; a registry out of reach means back-off. */
export function imagesThere(turn: Turn, containers: readonly Container[]): boolean {
  const { world, pod, key, state } = turn;
  if (state.retryMs !== undefined && state.retryMs > world.nowMs) {
    world.after(state.retryMs - world.nowMs, key);
    return false;
  }
  const there = imagesOn(turn);
  const missing = containers.find((one) => !there.has(one.image));
  if (!missing) {
    // Another pod of the node may have pulled it in the meantime.
    world.end(subjectOf(turn), 'pulling');
    waitingForPull(world).delete(key);
    return true;
  }
  const { image } = missing;
  if (containers.some((one) => one.image === image && one.imagePullPolicy === 'Never')) {
    waitingForPull(world).set(key, true);
    showWait(turn, 'ErrImageNeverPull', `${image} is not on the node, and the pod says that it is never pulled.`, 'ErrImageNeverPull');
    return false;
  }
  const { registry, fault } = pullOf(world.store, image, { namespace: pod.metadata.namespace ?? '', spec: pod.spec });
  if (fault || !registry) {
    pullFails(turn, image, fault?.message ?? 'no registry');
    return false;
  }
  const { sizeBytes } = imageCard(image);
  const wireMs = (sizeBytes / (registry.spec.bytesPerSecond ?? ordinaryBytesPerSecond)) * 1_000;
  const seen = pullsSeen(world.store, image);
  const spanMs = () =>
    seen
      ? world.duration('pulling', `${key}|${image}`, seen.drawMs)
      : wireMs * (0.9 + 0.3 * draw(world.seed, `wire|${key}|${image}`)) + world.duration('pulling', `${key}|${image}`);
  if (state.about !== image) {
    world.begin(subjectOf(turn), 'pulling', seen?.normalMs);
    world.event(pod, 'Pulling', `Pulls ${image}.`);
  }
  if (working(turn, state.stage, spanMs, image)) return false;
  world.end(subjectOf(turn), 'pulling');
  world.event(pod, 'Pulled', `${image} is on the node.`);
  keepImage(turn, image, sizeBytes);
  return imagesThere({ ...turn, state: step(turn, { stage: state.stage, failures: 0 }) }, containers);
}

/** Images of the containers; then they start. */
export function imageStage(turn: Turn): void {
  if (!imagesThere(turn, turn.pod.spec.containers)) return;
  startStage({ ...turn, state: step(turn, { stage: 'start', failures: 0 }) });
}

/** How long an ordinary init container is at work, in ms; made up. */
const initMs = [500, 3_000] as const;

/**
 * Init containers: one after the other, each to its end before the next one starts; a sidecar runs on, and the next one starts once it runs.
 * Source: the cluster API's "Init Containers" and "Sidecar Containers".
 */
export function initStage(turn: Turn): void {
  const { world, pod, key, state } = turn;
  const inits = pod.spec.initContainers ?? [];
  const nth = state.nth ?? 0;
  const one = inits[nth];
  if (!one) return imageStage({ ...turn, state: step(turn, { stage: 'image' }) });
  const runs = `run ${one.name}`;
  if (state.about !== runs) {
    if (!imagesThere(turn, [one])) return;
    if (!referencesThere(turn, false, one.name)) return;
    const hungry = starved([one]);
    if (hungry) {
      const waitMs = backoffMs(backoffs.crash, state.failures);
      step(turn, { stage: 'init', failures: state.failures + 1, retryMs: world.nowMs + waitMs });
      showWait(turn, 'CrashLoopBackOff', hungry, 'BackOff');
      return world.after(waitMs, key, true);
    }
  }
  const fresh = { ...turn, state: statesOf(world).get(key) ?? state };
  const begins = fresh.state.about !== runs;
  const span = () => (isSidecar(one) ? initMs[0] : world.duration('starting', `${key}#${pod.metadata.uid}|${one.name}`, initMs));
  if (working(fresh, 'init', span, runs)) {
    if (begins) {
      setContainers(fresh, { running: { startedAt: stampOf(world.nowMs) } });
      world.event(pod, 'Started', `Started ${one.name}.`);
    }
    return;
  }
  const next = step(fresh, { stage: 'init', nth: nth + 1, failures: 0 });
  initStage({ ...turn, pod: world.store.get('Pod', pod.metadata.namespace ?? '', pod.metadata.name) ?? pod, state: next });
}

/** Where pods of a node without a usable share get their addresses; made up. */
const spareRange = '10.62.0.0/24';

function addressFor({ world, pod }: Turn): string {
  const name = pod.spec.nodeName ?? '';
  const share = world.store.get('Node', '', name)?.spec?.podCIDR;
  // A real node's share may be of another kind (IPv6); pods get addresses all the same.
  const range = share === undefined || rangeFault(share) ? spareRange : share;
  const counters = world.memory<number>('podAddresses');
  const used = new Set(world.store.podsOn(name).map((one) => one.status?.podIP));
  const room = prefixSize(range) - 4;
  let next = counters.get(name) ?? 0;
  for (let tries = 0; tries < room; tries += 1) {
    const address = addressAt(range, 2 + (next % room));
    next += 1;
    if (used.has(address)) continue;
    counters.set(name, next);
    return address;
  }
  return '';
}

/** A program that ended: it is started again after ever longer waits. */
export function crashes(turn: Turn, message: string): void {
  const { world, key, state } = turn;
  const waitMs = backoffMs(backoffs.crash, state.failures);
  const next = step(turn, { stage: 'start', failures: state.failures + 1, restarts: state.restarts + 1, retryMs: world.nowMs + waitMs });
  setContainers({ ...turn, state: next }, { waiting: { reason: 'CrashLoopBackOff', message } }, { phase: 'Running' });
  world.event(turn.pod, 'BackOff', message, 'Warning');
  world.end(subjectOf(turn), 'starting');
  stopWriting(world, turn.pod);
  closeProcess(world, turn.pod);
  world.after(waitMs, key, true);
}

/** A probe has failed for too long: its container is ended, and started again. */
function endedByProbe(turn: Turn, kill: Kill): void {
  const { world, pod } = turn;
  world.event(pod, 'Unhealthy', kill.says, 'Warning');
  world.event(pod, 'Killing', `${kill.container} failed its ${kill.probe} probe and is started again.`);
  crashes(turn, kill.says);
}

/** A running member: it ends when its volume has filled up or its program has; else it is as ready as its program says. */
export function runStage(turn: Turn): void {
  const { world, pod, state } = turn;
  const full = fullMount(world.store, pod);
  if (state.killMs !== undefined) {
    const kill = state.killMs <= world.nowMs ? killBy(pod, 0) : undefined;
    if (kill) return endedByProbe(turn, kill);
    world.after(state.killMs - world.nowMs, turn.key);
  }
  if (full) return crashes(turn, fullSentence(full.claim));
  const dead = deadDisk(world.store, pod);
  if (dead) return crashes(turn, dead);
  if (pod.status?.phase !== 'Running' || probeFault(pod)) return;
  if (hasEngine(enginePartOf(pod)?.engine ?? '') && !processOf(world.store, pod)) return crashes(turn, 'The program ended.');
  const hung = hangingSeen(world.store, pod);
  if (hung?.kill && hung.kill.afterMs <= world.nowMs) return endedByProbe(turn, hung.kill);
  for (const atMs of [hung?.kill?.afterMs, hung?.unreadyMs])
    if (atMs !== undefined && atMs > world.nowMs) world.after(atMs - world.nowMs, turn.key);
  const ready = programReady(world.store, pod) && !(hung?.unreadyMs !== undefined && hung.unreadyMs <= world.nowMs);
  if (ready) world.end(subjectOf(turn), 'joining');
  if (ready !== isReady(pod)) setContainers(turn, pod.status.containerStatuses?.[0]?.state ?? {}, { phase: 'Running', ready });
}

/** Start: everything read from the environment must be there; then the containers run. */
export function startStage(turn: Turn): void {
  const { world, pod, key, state } = turn;
  if (state.retryMs !== undefined && state.retryMs > world.nowMs) {
    world.after(state.retryMs - world.nowMs, key);
    return;
  }
  if (!referencesThere(turn, false)) return;
  const root = rootFault(pod);
  if (root !== undefined) {
    showWait(turn, 'CreateContainerConfigError', `${root} would run as user 0, and the pod says that it may not (runAsNonRoot).`, 'Failed');
    return;
  }
  const fault = startFault(world.store, pod);
  if (fault) {
    crashes(turn, fault);
    return;
  }
  // A container doesn't count as running before its postStart handler is done. Source: "Container Lifecycle Hooks".
  const hookMs = hooksMs(pod, 'postStart');
  if (hookMs && working(turn, 'start', () => hookMs, 'postStart')) return;
  const failed = hookFault(pod, 'postStart');
  if (failed) {
    world.event(pod, 'FailedPostStartHook', failed, 'Warning');
    crashes(turn, failed);
    return;
  }
  const podIP = pod.status?.podIP ?? addressFor(turn);
  const running = setContainers(turn, { running: { startedAt: stampOf(world.nowMs) } }, { phase: 'Running', podIP });
  world.event(running, 'Started', `Started ${pod.spec.containers.map((one) => one.name).join(', ')}.`);
  warmStage({ ...turn, pod: running, state: step(turn, { stage: 'warm', failures: 0 }) });
}

/** The slowest of a pod's images decides; the first member of a set founds what others join. */
function warmth({ world, pod }: Turn): Pick<ImageCard, 'drawMs' | 'normalMs'> {
  const seen = startsSeen(world.store, pod.spec);
  if (seen) return seen;
  const cards = pod.spec.containers.map((one) => imageCard(one.image));
  const card = cards.reduce((slow, one) => (one.normalMs[1] > slow.normalMs[1] ? one : slow));
  const owner = pod.metadata.ownerReferences?.[0]?.uid;
  const founds = card.first && owner !== undefined && !world.store.ownedBy(owner).some((one) => one.kind === 'Pod' && isReady(one));
  return founds ? card.first! : card;
}

/** Between running and ready: the program warms up, opens its store, and answers its readiness probe. */
export function warmStage(turn: Turn): void {
  const { world, pod, key } = turn;
  const { drawMs, normalMs } = warmth(turn);
  const upMs = world.duration('starting', `${key}#${pod.metadata.uid}`, drawMs);
  const seenMs = seenReadyMs(pod, upMs);
  const kill = killBy(pod, upMs);
  if (turn.state.dueMs === undefined) {
    const more = seenMs - upMs;
    world.begin(subjectOf(turn), 'starting', [normalMs[0], normalMs[1] + more]);
  }
  if (working(turn, 'warm', () => Math.min(seenMs, kill?.afterMs ?? Infinity))) return;
  if (kill && kill.afterMs <= seenMs) return endedByProbe(turn, kill);
  const fault = probeFault(pod);
  step(turn, { stage: 'run', ...(kill ? { killMs: world.nowMs + kill.afterMs - seenMs } : {}) });
  if (kill) world.after(kill.afterMs - seenMs, key);
  if (fault) {
    world.event(pod, 'Unhealthy', `The readiness probe of ${fault.container} asks at port ${fault.port}, where nobody listens.`, 'Warning');
    return;
  }
  world.end(subjectOf(turn), 'starting');
  if (workOf(pod)) {
    workStage({ ...turn, state: step(turn, { stage: 'work' }) });
    return;
  }
  warnOfOthers(turn);
  openStore(world, pod);
  openProcess(world, pod);
  const ready = programReady(world.store, pod);
  if (!ready) world.begin(subjectOf(turn), 'joining');
  setContainers(turn, pod.status?.containerStatuses?.[0]?.state ?? {}, { phase: 'Running', ready });
}

/** Two programs that write into the same volume spoil it. */
function warnOfOthers({ world, pod }: Turn): void {
  for (const asset of assetsOf(world.store, pod)) {
    const other = otherWriter(world, asset, pod);
    if (!other) continue;
    world.event(
      pod,
      'StoreDamaged',
      `${other.pod} was taken away by force and still writes into the same volume on ${other.node}: two programs write at once.`,
      'Warning'
    );
    damage(world, asset);
  }
}

/** A job's work: it takes its time, then the pod has succeeded, or failed where the disk that it prepares is worn. */
export function workStage(turn: Turn): void {
  const { world, pod, key } = turn;
  const work = workOf(pod);
  if (turn.state.dueMs === undefined) world.begin(subjectOf(turn), 'working', work?.spanMs);
  if (working(turn, 'work', () => world.duration('working', `${key}#${pod.metadata.uid}`, work?.spanMs))) return;
  world.end(subjectOf(turn), 'working');
  const disk = world.store.get('Disk', '', pod.metadata.labels?.[diskLabel] ?? '');
  const failed = disk?.spec.worn === true || disk?.spec.dead === true || disk?.spec.holds !== undefined;
  const why = disk?.spec.dead ? 'it answers nobody' : disk?.spec.worn ? 'write errors' : `it carries a ${disk?.spec.holds}`;
  if (failed && pod.spec.restartPolicy === 'OnFailure') return crashes(turn, `The disk ${disk.metadata.name} can't be prepared: ${why}.`);
  step(turn, { stage: 'run' });
  const state = { terminated: { exitCode: failed ? 1 : 0, reason: failed ? 'Error' : 'Completed' } };
  const ended = setContainers(turn, state, { phase: failed ? 'Failed' : 'Succeeded' });
  if (failed) world.event(ended, 'Failed', `The disk ${disk.metadata.name} can't be prepared: ${why}.`, 'Warning');
  else if (work?.supposed)
    world.event(
      ended,
      'Completed',
      `What its program does isn't known here: it is supposed to have ended well. ${worksMark} says how long it works.`
    );
}

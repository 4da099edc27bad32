import { same, suffix } from '../../../shared';
import { isReady, readySinceMs, refOf, type Deployment, type Pod, type PodTemplate } from '../../../model';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';
import { conditionsOf, mayBeAway } from './progress';
import { shareOf } from './share';
import { makePod, ownersOfKind, revisionOf } from './pods';

const hashLabel = 'pod-template-hash';
/** A deployment makes or takes away so many pods at a time, so that a large one holds nothing else up. */
const mostAtOnce = 40;

function podsOf(world: ClusterAccess, deployment: Deployment): Pod[] {
  return world.store.ownedBy(deployment.metadata.uid ?? '').filter((one): one is Pod => one.kind === 'Pod');
}

/** What a rollout may have more where a deployment doesn't say. Source: "Deployments", max surge. */
const usualSurge = '25%';

/** Templates by their marks, so that a deployment that is paused can make pods of the one that stands. */
const templatesOf = (world: ClusterAccess) => world.memory<PodTemplate>('deploymentTemplates');

function make(world: ClusterAccess, deployment: Deployment, wanted: number, template = deployment.spec.template): void {
  const count = Math.min(wanted, mostAtOnce);
  const hash = revisionOf(template);
  const made = world.memory<number>('deploymentPods');
  const id = idOf(deployment);
  if (count > 0) templatesOf(world).set(`${id} ${hash}`, template);
  for (let i = 0; i < count; i += 1) {
    const nth = (made.get(id) ?? 0) + 1;
    made.set(id, nth);
    const name = `${deployment.metadata.name}-${hash}-${suffix(world.seed, `${id}#${nth}`)}`;
    if (!makePod(world, { owner: deployment, name, template, labels: { [hashLabel]: hash } })) return;
  }
  if (count < wanted) world.after(1, id);
}

function leave(world: ClusterAccess, deployment: Deployment, pods: readonly Pod[]): void {
  for (const pod of pods.slice(0, mostAtOnce)) world.remove(refOf(pod));
  if (pods.length > mostAtOnce) world.after(1, idOf(deployment));
}

/** Whether a pod is ready and has been for minReadySeconds; where it is only a matter of time, the deployment is looked at again then. */
function available(world: ClusterAccess, deployment: Deployment, pod: Pod): boolean {
  const since = readySinceMs(pod);
  if (since === undefined) return false;
  const left = since + (deployment.spec.minReadySeconds ?? 0) * 1_000 - world.nowMs;
  if (left > 0) world.after(left, idOf(deployment));
  return left <= 0;
}

/** A deployment that is paused keeps the template that its pods have, and is scaled all the same. Source: "Deployments", pausing. */
function hold(world: ClusterAccess, deployment: Deployment, living: readonly Pod[]): void {
  const wanted = deployment.spec.replicas ?? 1;
  const mark = living[0]?.metadata.labels?.[hashLabel];
  const template = mark === undefined ? undefined : templatesOf(world).get(`${idOf(deployment)} ${mark}`);
  if (living.length > wanted) leave(world, deployment, living.slice(wanted));
  else if (living.length < wanted) make(world, deployment, wanted - living.length, template);
}

function roll(world: ClusterAccess, deployment: Deployment): void {
  const wanted = deployment.spec.replicas ?? 1;
  const hash = revisionOf(deployment.spec.template);
  const all = podsOf(world, deployment);
  const living = all.filter((pod) => !pod.metadata.deletionTimestamp);
  if (deployment.spec.paused) return hold(world, deployment, living);
  const fresh = living.filter((pod) => pod.metadata.labels?.[hashLabel] === hash);
  const old = living.filter((pod) => pod.metadata.labels?.[hashLabel] !== hash);
  const { type, rollingUpdate } = deployment.spec.strategy ?? {};
  if (fresh.length > wanted) leave(world, deployment, fresh.slice(wanted));
  if (type === 'Recreate') {
    // Pods of the same template that are going hold nobody up: only those of the old one have to be gone.
    if (old.length) leave(world, deployment, old);
    else if (all.every((pod) => pod.metadata.labels?.[hashLabel] === hash)) make(world, deployment, wanted - fresh.length);
    return;
  }
  const surge = shareOf(rollingUpdate?.maxSurge ?? usualSurge, wanted, Math.ceil);
  const unavailable = mayBeAway(deployment);
  make(world, deployment, Math.min(wanted - fresh.length, wanted + surge - living.length));
  if (!old.length) return;
  const up = (pod: Pod) => available(world, deployment, pod);
  const mayGo = Math.max(0, living.filter(up).length - (wanted - Math.min(unavailable, wanted)));
  leave(world, deployment, [...old.filter((pod) => !up(pod)), ...old.filter(up).slice(0, mayGo)]);
}

/** Deployments. The stand-in lets them own their pods directly, without the replica sets in between (see docs/model.md). */
export const deployments: Loop = {
  id: 'deployments',
  watches: {
    Deployment: itself,
    Pod: ownersOfKind('Deployment'),
    ServiceAccount: (now, _before, store) =>
      now ? store.list('Deployment', now.metadata.namespace).map((one) => `${one.metadata.namespace}/${one.metadata.name}`) : []
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const deployment = world.store.get('Deployment', namespace, name);
    if (!deployment || deployment.metadata.deletionTimestamp) return;
    roll(world, deployment);
    const pods = podsOf(world, deployment).filter((pod) => !pod.metadata.deletionTimestamp);
    const hash = revisionOf(deployment.spec.template);
    const up = pods.filter((pod) => available(world, deployment, pod)).length;
    const figures = {
      observedGeneration: deployment.metadata.generation ?? 1,
      replicas: pods.length,
      updatedReplicas: pods.filter((pod) => pod.metadata.labels?.[hashLabel] === hash).length,
      readyReplicas: pods.filter(isReady).length,
      availableReplicas: up,
      unavailableReplicas: Math.max(0, Math.max(deployment.spec.replicas ?? 1, pods.length) - up)
    };
    const status: Deployment['status'] = { ...figures, conditions: conditionsOf(world, deployment, figures) };
    if (!same(status, deployment.status)) world.put({ ...deployment, status });
  }
};

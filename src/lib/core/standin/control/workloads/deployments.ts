import { same, suffix } from '../../../shared';
import { isReady, refOf, type Deployment, type Pod } from '../../../model';
import { itself, splitKey, type ClusterAccess, type Loop } from '../loop';
import { makePod, ownersOfKind, revisionOf } from './pods';

const hashLabel = 'pod-template-hash';
/** A deployment makes or takes away so many pods at a time, so that a large one holds nothing else up. */
const mostAtOnce = 40;

function podsOf(world: ClusterAccess, deployment: Deployment): Pod[] {
  return world.store.ownedBy(deployment.metadata.uid ?? '').filter((one): one is Pod => one.kind === 'Pod');
}

/** Share or number of a rollout setting. Source: the cluster API's "Deployments", max surge and max unavailable (25 % by default). */
function amount(setting: string | number | undefined, replicas: number, round: (n: number) => number): number {
  if (typeof setting === 'number') return setting;
  return round((replicas * Number((setting ?? '25%').replace('%', ''))) / 100);
}

function make(world: ClusterAccess, deployment: Deployment, wanted: number): void {
  const count = Math.min(wanted, mostAtOnce);
  const hash = revisionOf(deployment.spec.template);
  const made = world.memory<number>('deploymentPods');
  const id = `${deployment.metadata.namespace}/${deployment.metadata.name}`;
  for (let i = 0; i < count; i += 1) {
    const nth = (made.get(id) ?? 0) + 1;
    made.set(id, nth);
    const name = `${deployment.metadata.name}-${hash}-${suffix(world.seed, `${id}#${nth}`)}`;
    if (!makePod(world, { owner: deployment, name, template: deployment.spec.template, labels: { [hashLabel]: hash } })) return;
  }
  if (count < wanted) world.after(1, id);
}

function roll(world: ClusterAccess, deployment: Deployment): void {
  const wanted = deployment.spec.replicas ?? 1;
  const hash = revisionOf(deployment.spec.template);
  const all = podsOf(world, deployment);
  const living = all.filter((pod) => !pod.metadata.deletionTimestamp);
  const fresh = living.filter((pod) => pod.metadata.labels?.[hashLabel] === hash);
  const old = living.filter((pod) => pod.metadata.labels?.[hashLabel] !== hash);
  const { type, rollingUpdate } = deployment.spec.strategy ?? {};
  const leave = (pods: Pod[]) => {
    for (const pod of pods.slice(0, mostAtOnce)) world.remove(refOf(pod));
    if (pods.length > mostAtOnce) world.after(1, `${deployment.metadata.namespace}/${deployment.metadata.name}`);
  };
  if (fresh.length > wanted) leave(fresh.slice(wanted));
  if (type === 'Recreate') {
    if (old.length) leave(old);
    else if (all.length === fresh.length) make(world, deployment, wanted - fresh.length);
    return;
  }
  const surge = amount(rollingUpdate?.maxSurge, wanted, Math.ceil);
  const unavailable = amount(rollingUpdate?.maxUnavailable, wanted, Math.floor);
  make(world, deployment, Math.min(wanted - fresh.length, wanted + surge - living.length));
  if (!old.length) return;
  const readyNow = living.filter(isReady).length;
  const mayGo = Math.max(0, readyNow - (wanted - Math.min(unavailable, wanted)));
  const unready = old.filter((pod) => !isReady(pod));
  leave([...unready, ...old.filter(isReady).slice(0, mayGo)]);
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
    const ready = pods.filter(isReady).length;
    const status: Deployment['status'] = {
      observedGeneration: deployment.metadata.generation ?? 1,
      replicas: pods.length,
      updatedReplicas: pods.filter((pod) => pod.metadata.labels?.[hashLabel] === hash).length,
      readyReplicas: ready,
      availableReplicas: ready,
      unavailableReplicas: Math.max(0, (deployment.spec.replicas ?? 1) - ready)
    };
    if (!same(status, deployment.status)) world.put({ ...deployment, status });
  }
};

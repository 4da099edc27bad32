import { same } from '../../../shared';
import {
  isReady,
  ownerOf,
  podsMadeBy,
  refOf,
  selectorMatches,
  templateHashLabel,
  type Deployment,
  type Pod,
  type ReplicaSet
} from '../../../model';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';
import { conditionsOf, mayBeAway } from './progress';
import { isAvailable, livingOf } from './replica-sets';
import { shareOf } from './share';
import { controllerId, deploymentOf, revisionOf } from './pods';

/** What a rollout may have more where a deployment doesn't say. Source: "Deployments", max surge. */
const usualSurge = '25%';
/** How many old replica sets are kept where a deployment doesn't say. Source: DeploymentSpec v1 apps, revisionHistoryLimit. */
const usualHistory = 10;
/** Tells which revision a replica set is. Source: the cluster API's "Deployments", checking rollout history. */
const revisionMark = 'deployment.kubernetes.io/revision';

const revisionIn = (set: ReplicaSet): number => Number(set.metadata.annotations?.[revisionMark] ?? 0);
const sizeOf = (set: ReplicaSet): number => set.spec.replicas ?? 1;

/** A deployment's replica sets, the oldest revision first. */
function setsOf(world: ClusterAccess, deployment: Deployment): ReplicaSet[] {
  return world.store
    .ownedBy(deployment.metadata.uid ?? '')
    .filter((one): one is ReplicaSet => one.kind === 'ReplicaSet' && !one.metadata.deletionTimestamp)
    .sort((a, b) => revisionIn(a) - revisionIn(b));
}

/** A replica set's template as the deployment wrote it: without the hash that tells its pods. */
function written({ spec: { template } }: ReplicaSet): ReplicaSet['spec']['template'] {
  const { [templateHashLabel]: _, ...labels } = template?.metadata?.labels ?? {};
  return template && { ...template, metadata: { ...template.metadata, labels } };
}

/** Whether a replica set is of the template that its deployment has now. */
export function isNewestSet(set: ReplicaSet, deployment: Deployment): boolean {
  const { template } = deployment.spec;
  return (
    set.metadata.labels?.[templateHashLabel] === revisionOf(template) ||
    same(written(set), { ...template, metadata: { labels: {}, ...template.metadata } })
  );
}

function scale(world: ClusterAccess, deployment: Deployment, set: ReplicaSet, replicas: number): void {
  const now = world.store.get('ReplicaSet', set.metadata.namespace ?? '', set.metadata.name);
  if (!now || sizeOf(now) === replicas) return;
  const generation = (now.metadata.generation ?? 1) + 1;
  world.put({ ...now, metadata: { ...now.metadata, generation }, spec: { ...now.spec, replicas } });
  world.event(deployment, 'ScalingReplicaSet', `${set.metadata.name} goes from ${sizeOf(now)} to ${replicas}.`);
}

/** The replica set of the template as it is now; an old one that has it again is the newest from then on (a way back). */
function newestSet(world: ClusterAccess, deployment: Deployment, sets: readonly ReplicaSet[]): ReplicaSet {
  const last = sets.length ? revisionIn(sets.at(-1)!) : 0;
  const known = sets.find((one) => isNewestSet(one, deployment));
  const { minReadySeconds } = deployment.spec;
  if (known) {
    const mark = known === sets.at(-1) ? revisionIn(known) : last + 1;
    if (mark === revisionIn(known) && known.spec.minReadySeconds === minReadySeconds) return known;
    const annotations = { ...known.metadata.annotations, [revisionMark]: String(mark) };
    const { minReadySeconds: _, ...spec } = known.spec;
    return world.put({
      ...known,
      metadata: { ...known.metadata, annotations },
      spec: { ...spec, ...(minReadySeconds === undefined ? {} : { minReadySeconds }) }
    });
  }
  const { name, namespace } = deployment.metadata;
  const { template, selector } = deployment.spec;
  const hash = revisionOf(template);
  const labels = { ...template.metadata?.labels, [templateHashLabel]: hash };
  return world.put({
    apiVersion: 'apps/v1',
    kind: 'ReplicaSet',
    metadata: {
      name: `${name}-${hash}`,
      ...(namespace === undefined ? {} : { namespace }),
      labels,
      annotations: { [revisionMark]: String(last + 1) },
      generation: 1,
      ownerReferences: [ownerOf(deployment)]
    },
    spec: {
      replicas: 0,
      ...(minReadySeconds === undefined ? {} : { minReadySeconds }),
      selector: { ...selector, matchLabels: { ...selector.matchLabels, [templateHashLabel]: hash } },
      template: { ...template, metadata: { ...template.metadata, labels } }
    }
  });
}

/** Takes in replica sets that nobody owns and whose pods the deployment chooses: those of one that was taken away without them. */
function takeIn(world: ClusterAccess, deployment: Deployment): void {
  for (const set of world.store.list('ReplicaSet', deployment.metadata.namespace))
    if (!set.metadata.ownerReferences?.length && selectorMatches(deployment.spec.selector, set.spec.template?.metadata?.labels))
      world.put({ ...set, metadata: { ...set.metadata, ownerReferences: [ownerOf(deployment)] } });
}

/** A deployment that is paused keeps the template that its pods have, and is scaled all the same. Source: "Deployments", pausing. */
function hold(world: ClusterAccess, deployment: Deployment, sets: readonly ReplicaSet[]): void {
  const active = [...sets].reverse().find((one) => sizeOf(one) > 0) ?? sets.at(-1);
  if (!active) return;
  const others = sets.reduce((sum, one) => sum + (one === active ? 0 : sizeOf(one)), 0);
  scale(world, deployment, active, Math.max(0, (deployment.spec.replicas ?? 1) - others));
}

function recreate(world: ClusterAccess, deployment: Deployment, old: readonly ReplicaSet[], fresh: () => ReplicaSet): void {
  for (const set of old) scale(world, deployment, set, 0);
  // Pods of the same template that are going hold nobody up: only those of the old one have to be gone.
  const gone = old.every(
    (set) => !world.store.ownedBy(set.metadata.uid ?? '').some((one) => one.kind === 'Pod' && one.status?.phase !== 'Failed')
  );
  if (gone) scale(world, deployment, fresh(), deployment.spec.replicas ?? 1);
}

/** How many pods there may be more, and how many may be away, while a template is rolled out. Source: "Deployments", rolling update. */
export function deploymentRoll(deployment: Deployment): { readonly more: number; readonly away: number } {
  const wanted = deployment.spec.replicas ?? 1;
  const more = shareOf(deployment.spec.strategy?.rollingUpdate?.maxSurge ?? usualSurge, wanted, Math.ceil);
  return { more, away: Math.min(mayBeAway(deployment), wanted) };
}

/** Old and new side by side, within what may be more and what may be away. Source: "Deployments", rolling update. */
function roll(world: ClusterAccess, deployment: Deployment, old: readonly ReplicaSet[], fresh: ReplicaSet): void {
  const wanted = deployment.spec.replicas ?? 1;
  const { minReadySeconds } = deployment.spec;
  const { more: surge, away: mayLack } = deploymentRoll(deployment);
  const least = wanted - mayLack;
  const standing = old.reduce((sum, one) => sum + sizeOf(one), 0);
  const size = sizeOf(fresh) > wanted ? wanted : Math.max(sizeOf(fresh), Math.min(wanted, wanted + surge - standing));
  scale(world, deployment, fresh, size);
  if (!standing) return;
  const again = (ms: number) => world.after(ms, idOf(deployment));
  const upOf = (set: ReplicaSet, most: number) =>
    Math.min(most, livingOf(world, set).filter((pod) => isAvailable(world, pod, minReadySeconds, again)).length);
  const freshUp = upOf(fresh, size);
  let room = standing + size - least - (size - freshUp);
  const left = old.map((set) => {
    const away = Math.max(0, Math.min(room, sizeOf(set) - upOf(set, sizeOf(set))));
    room -= away;
    return sizeOf(set) - away;
  });
  let mayGo = old.reduce((sum, set, i) => sum + upOf(set, left[i]!), freshUp) - least;
  old.forEach((set, i) => {
    const away = Math.max(0, Math.min(mayGo, left[i]!));
    mayGo -= away;
    scale(world, deployment, set, left[i]! - away);
  });
}

/** Lets go of old replica sets that nobody can go back to. */
function forget(world: ClusterAccess, deployment: Deployment, old: readonly ReplicaSet[]): void {
  const empty = old.filter((one) => sizeOf(one) === 0 && !(one.status?.replicas ?? 0));
  for (const one of empty.slice(0, Math.max(0, empty.length - (deployment.spec.revisionHistoryLimit ?? usualHistory))))
    world.remove(refOf(one));
}

/** Deployments: they own replica sets, one for each template, and those own the pods. Source: the cluster API's "Deployments". */
export const deployments: Loop = {
  id: 'deployments',
  watches: {
    Deployment: itself,
    ReplicaSet: (now, before) => {
      const id = controllerId(now ?? before, 'Deployment');
      return id ? [id] : [];
    },
    Pod: deploymentOf
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const deployment = world.store.get('Deployment', namespace, name);
    if (!deployment || deployment.metadata.deletionTimestamp) return;
    if (!deployment.status) takeIn(world, deployment);
    const sets = setsOf(world, deployment);
    const old = sets.filter((one) => !isNewestSet(one, deployment));
    const fresh = () => newestSet(world, deployment, sets);
    if (deployment.spec.paused) hold(world, deployment, sets);
    else if (deployment.spec.strategy?.type === 'Recreate') recreate(world, deployment, old, fresh);
    else roll(world, deployment, old, fresh());
    forget(world, deployment, old);
    const of = (pods: readonly Pod[]) => pods.filter((pod) => !pod.metadata.deletionTimestamp);
    const pods = of(podsMadeBy(world.store, deployment));
    const newest = setsOf(world, deployment).find((one) => isNewestSet(one, deployment));
    const up = pods.filter((pod) => isAvailable(world, pod, deployment.spec.minReadySeconds, (ms) => world.after(ms, key))).length;
    const figures = {
      observedGeneration: deployment.metadata.generation ?? 1,
      replicas: pods.length,
      updatedReplicas: newest ? livingOf(world, newest).length : 0,
      readyReplicas: pods.filter(isReady).length,
      availableReplicas: up,
      unavailableReplicas: Math.max(0, Math.max(deployment.spec.replicas ?? 1, pods.length) - up)
    };
    const status: Deployment['status'] = { ...figures, conditions: conditionsOf(world, deployment, figures) };
    if (!same(status, deployment.status)) world.put({ ...deployment, status });
  }
};

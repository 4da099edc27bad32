import { momentOf, plural, stampOf } from '../../../shared';
import { conditionOf, type Condition, type Deployment } from '../../../model';
import { idOf, withCondition, type ClusterAccess } from '../loop';
import { shareOf } from './share';

/** How long a rollout may go without progress where a deployment doesn't say, in s. Source: DeploymentSpec v1 apps, progressDeadlineSeconds. */
const usualDeadline = 600;

type Wish = Parameters<typeof withCondition>[1];

interface Figures {
  readonly replicas: number;
  readonly updatedReplicas: number;
  readonly availableReplicas: number;
}

/** How many pods a deployment may be without, where it doesn't say. Source: "Deployments", max unavailable. */
const usualAway = '25%';

/** How many pods a deployment may be without while it is rolled out. */
export function mayBeAway({ spec }: Deployment): number {
  const { type, rollingUpdate } = spec.strategy ?? {};
  return type === 'Recreate' ? 0 : shareOf(rollingUpdate?.maxUnavailable ?? usualAway, spec.replicas ?? 1, Math.floor);
}

function availability(deployment: Deployment, { availableReplicas }: Figures): Wish {
  const wanted = deployment.spec.replicas ?? 1;
  const most = mayBeAway(deployment);
  return availableReplicas >= wanted - most
    ? { type: 'Available', status: 'True', reason: 'MinimumReplicasAvailable', message: 'As many pods as are needed are available.' }
    : {
        type: 'Available',
        status: 'False',
        reason: 'MinimumReplicasUnavailable',
        message: `${availableReplicas} of ${plural(wanted, 'pod')} ${availableReplicas === 1 ? 'is' : 'are'} available.`
      };
}

/** Conditions of a deployment: whether enough pods are available, and whether its rollout gets on. Source: "Deployments", status. */
export function conditionsOf(world: ClusterAccess, deployment: Deployment, figures: Figures): Condition[] {
  const stamp = stampOf(world.nowMs);
  const old = deployment.status?.conditions;
  const next = withCondition(old, availability(deployment, figures), stamp);
  const before = conditionOf(old, 'Progressing') as (Condition & { lastUpdateTime?: string }) | undefined;
  const put = (one: Wish, moved: boolean) => {
    const list = withCondition(next, one, stamp);
    const lastUpdateTime = moved ? stamp : (before?.lastUpdateTime ?? stamp);
    return list.map((each) => (each.type === 'Progressing' ? { ...each, lastUpdateTime } : each));
  };
  if (deployment.spec.paused)
    return put({ type: 'Progressing', status: 'Unknown', reason: 'DeploymentPaused', message: 'The rollout is paused.' }, false);
  const wanted = deployment.spec.replicas ?? 1;
  if (figures.updatedReplicas === wanted && figures.replicas === wanted && figures.availableReplicas === wanted)
    return put(
      {
        type: 'Progressing',
        status: 'True',
        reason: 'NewReplicaSetAvailable',
        message: 'All pods are of the newest template and available.'
      },
      false
    );
  const { updatedReplicas = 0, availableReplicas = 0, replicas = 0 } = deployment.status ?? {};
  const moved =
    before === undefined ||
    before.reason === 'NewReplicaSetAvailable' ||
    before.reason === 'DeploymentPaused' ||
    figures.updatedReplicas > updatedReplicas ||
    figures.availableReplicas > availableReplicas ||
    figures.replicas - figures.updatedReplicas < replicas - updatedReplicas;
  const deadline = (deployment.spec.progressDeadlineSeconds ?? usualDeadline) * 1_000;
  const since = moved ? world.nowMs : momentOf(before.lastUpdateTime ?? stamp);
  const left = since + deadline - world.nowMs;
  if (left > 0) world.after(left, idOf(deployment), true);
  return left > 0
    ? put({ type: 'Progressing', status: 'True', reason: 'ReplicaSetUpdated', message: 'The rollout gets on.' }, moved)
    : put(
        {
          type: 'Progressing',
          status: 'False',
          reason: 'ProgressDeadlineExceeded',
          message: `Nothing has got on for ${deadline / 1_000} s.`
        },
        moved
      );
}

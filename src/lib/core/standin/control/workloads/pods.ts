import { hash32, stableJson } from '../../../shared';
import { isReady, makerOf, ownerOf, type ApiObject, type Facts, type Kind, type Pod, type PodSpec, type PodTemplate } from '../../../model';
import { podShut, withLimits } from '../../admit/limits';
import { idOf, type ClusterAccess } from '../loop';

const revisions = new WeakMap<object, string>();

/** A short mark of a template; pods of an older template carry another. */
export function revisionOf(template: PodTemplate): string {
  let mark = revisions.get(template);
  if (!mark) {
    mark = hash32(stableJson(template)).toString(36).padStart(7, '0');
    revisions.set(template, mark);
  }
  return mark;
}

/** What a pod is made of. */
export interface Making {
  readonly owner: ApiObject;
  readonly name: string;
  readonly template: PodTemplate;
  readonly labels: Readonly<Record<string, string>>;
  readonly spec?: Partial<PodSpec>;
}

/** How long an owner waits before it tries again to make a pod that wasn't let in, in ms; made up. */
export const againMs = 30_000;

/** A pod as it is made of a template: with what admission fills in. Nothing is written. */
export function podToBe(facts: Facts, { owner, name, template, labels, spec }: Making): Pod {
  return withLimits(
    {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: {
        name,
        namespace: owner.metadata.namespace ?? '',
        labels: { ...template.metadata?.labels, ...labels },
        ...(template.metadata?.annotations ? { annotations: template.metadata.annotations } : {}),
        ownerReferences: [ownerOf(owner)]
      },
      spec: {
        restartPolicy: 'Always',
        terminationGracePeriodSeconds: 30,
        ...template.spec,
        serviceAccountName: accountOf(template.spec),
        ...spec
      },
      status: { phase: 'Pending' }
    },
    facts
  );
}

/** The service account of a pod. */
export const accountOf = ({ serviceAccountName }: PodSpec): string => serviceAccountName ?? 'default';

/**
 * Makes a pod of a template. Refused, as by the cluster API's admission, when its service account doesn't exist, or its namespace doesn't
 * let it in: then the owner gets a FailedCreate event, and tries again by itself.
 * @returns whether the pod was made
 */
export function makePod(world: ClusterAccess, making: Making): boolean {
  const { owner, name, template } = making;
  const namespace = owner.metadata.namespace ?? '';
  const refused = (why: string, remedy: string) => {
    world.event(owner, 'FailedCreate', `${name} can't be made: ${why}. ${remedy}`, 'Warning');
    world.after(againMs, idOf(owner), true);
    return false;
  };
  const account = accountOf(template.spec);
  if (!world.store.get('ServiceAccount', namespace, account))
    return refused(`the service account ${namespace}/${account} doesn't exist`, 'Send it.');
  const pod = podToBe(world.store, making);
  const shut = podShut(world.store, pod);
  if (shut) return refused(shut.message, shut.remedy);
  world.put(pod);
  world.begin(`Pod ${namespace}/${name}`, 'placing');
  world.event(owner, 'SuccessfulCreate', `Made pod ${name}.`);
  return true;
}

/** The id of the controller of a kind that owns an object, for watches. */
export function controllerId(object: ApiObject | undefined, kind: Kind): string | undefined {
  const owner = object?.metadata.ownerReferences?.find((one) => one.controller);
  return owner?.kind === kind ? `${object!.metadata.namespace}/${owner.name}` : undefined;
}

/** Whether a change of a pod matters to the controller that counts it: made, gone, ready or not, being deleted, owned. */
const counts = (now: Pod | undefined, before: Pod | undefined): boolean =>
  !now ||
  !before ||
  isReady(now) !== isReady(before) ||
  now.metadata.deletionTimestamp !== before.metadata.deletionTimestamp ||
  now.metadata.ownerReferences !== before.metadata.ownerReferences;

/** Key of the controller of a pod that changed in a way that counts. */
export const ownersOfKind =
  (kind: Kind) =>
  (now: Pod | undefined, before: Pod | undefined): string[] => {
    if (!counts(now, before)) return [];
    const id = controllerId(now ?? before, kind);
    return id ? [id] : [];
  };

/** Key of the deployment behind a pod that changed in a way that counts. */
export function deploymentOf(now: Pod | undefined, before: Pod | undefined): string[] {
  if (!counts(now, before)) return [];
  const pod = (now ?? before)!;
  const maker = makerOf(pod);
  return maker?.kind === 'Deployment' ? [`${pod.metadata.namespace}/${maker.name}`] : [];
}

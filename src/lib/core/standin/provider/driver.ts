import { isReady, refOf, type Facts, type Identity, type Pod, type Ref, type Right } from '../../model';
import { allows, rulesFor, type Want } from './accounts';
import { driverCard } from './drivers';
import { driverPartOf, type DriverPart } from './images';

/** Facts with a quick way to a driver's pods; a store has it, other facts fall back to all pods. */
type Source = Facts & { by?: (index: 'podsOfDriver', key: string) => Iterable<Pod> };

/** Pods of a driver's part. */
export function driverPods(facts: Facts, driver: string, part: DriverPart['part']): Pod[] {
  const source = facts as Source;
  const pods = source.by ? [...source.by('podsOfDriver', `${driver}|${part}`)] : facts.list('Pod');
  return pods.filter((pod) => {
    const found = driverPartOf(pod.spec);
    return found?.driver === driver && found.part === part && !pod.metadata.deletionTimestamp;
  });
}

/** Marks (on a CSIDriver, invented) a driver that the stand-in can't run and answers for itself. */
export const stoodInMark = 'standin.example/stood-in';

/** Whether the stand-in answers for a driver whose parts it doesn't know. */
export const isStoodIn = (facts: Facts, driver: string): boolean =>
  facts.get('CSIDriver', '', driver)?.metadata.annotations?.[stoodInMark] === 'true';

/** Whether a driver answers: it is registered, and a controller pod of it is ready. */
export const driverAnswers = (facts: Facts, driver: string): boolean =>
  facts.get('CSIDriver', '', driver) !== undefined && (driverPods(facts, driver, 'controller').some(isReady) || isStoodIn(facts, driver));

/** Whether a driver's node plugin is registered on a node. */
export const pluginOn = (facts: Facts, driver: string, node: string): boolean =>
  facts.get('CSINode', '', node)?.spec.drivers.some((one) => one.name === driver) ?? false;

/** The subject under which a pod's service account shows itself. Source: the cluster API's service account tokens. */
export const subjectOf = (namespace: string, account: string): string => `system:serviceaccount:${namespace}:${account}`;

/** The audience that the stand-in's provider asks for. */
export const providerAudience = 'volumes.standin.example';

/** How a driver stands with the provider. */
export interface DriverStanding {
  /** The identity that was looked at: the one that matches, else the nearest. */
  readonly identity?: Identity;
  readonly missing: readonly Right[];
  /** It needs no rights: its backend is the cluster itself. */
  readonly free?: boolean;
  /** The field that doesn't match, with what stands there and what is needed. */
  readonly mismatch?: { readonly field: string; readonly value: string; readonly wanted: string };
}

/** The controller's service account as a subject, once its pods or the workload that makes them exist. */
export function driverSubject(facts: Facts, driver: string): string | undefined {
  const [pod] = driverPods(facts, driver, 'controller');
  if (pod) return subjectOf(pod.metadata.namespace ?? '', pod.spec.serviceAccountName ?? 'default');
  const deployment = facts.list('Deployment').find((one) => {
    const part = driverPartOf(one.spec.template.spec);
    return part?.driver === driver && part.part === 'controller';
  });
  return deployment && subjectOf(deployment.metadata.namespace ?? '', deployment.spec.template.spec.serviceAccountName ?? 'default');
}

/** Whether the provider trusts a driver's service account, and which of the rights asked for it lacks. */
export function standingOf(facts: Facts, driver: string, rights: readonly Right[]): DriverStanding {
  if (driverCard(driver)?.rights.length === 0) return { missing: [], free: true };
  const identities = facts.list('Identity').filter((one) => one.spec.driver === driver);
  const issuer = facts.list('Ground')[0]?.spec.issuer;
  const subject = driverSubject(facts, driver);
  const faultOf = ({ spec }: Identity): DriverStanding['mismatch'] => {
    if (issuer !== undefined && spec.issuer !== issuer) return { field: 'spec.issuer', value: spec.issuer, wanted: issuer };
    if (spec.audience !== providerAudience) return { field: 'spec.audience', value: spec.audience, wanted: providerAudience };
    if (subject !== undefined && spec.subject !== subject) return { field: 'spec.subject', value: spec.subject, wanted: subject };
    return undefined;
  };
  const trusted = identities.find((one) => !faultOf(one));
  const identity = trusted ?? identities[0];
  if (!identity) return { missing: rights };
  const mismatch = trusted ? undefined : faultOf(identity);
  return {
    identity,
    missing: rights.filter((one) => !identity.spec.rights.includes(one)),
    ...(mismatch ? { mismatch } : {})
  };
}

/** Marks (on a CSIDriver, invented) a driver that brings the cluster rights that its account needs along; those before had none. */
export const accountRightsMark = 'standin.example/account-rights';

/** What a driver's controller does with objects of the cluster for each of its calls. Made up after what each call has to write down. */
const clusterWants: Partial<Record<Right | 'tell-room', Want>> = {
  'tell-room': { verb: 'create', group: 'storage.k8s.io', resource: 'csistoragecapacities' },
  create: { verb: 'create', group: '', resource: 'persistentvolumes' },
  delete: { verb: 'delete', group: '', resource: 'persistentvolumes' },
  attach: { verb: 'patch', group: 'storage.k8s.io', resource: 'volumeattachments' },
  detach: { verb: 'patch', group: 'storage.k8s.io', resource: 'volumeattachments' },
  grow: { verb: 'patch', group: '', resource: 'persistentvolumes' },
  snapshot: { verb: 'create', group: 'snapshot.storage.k8s.io', resource: 'volumesnapshotcontents' }
};

/** What of the cluster's rights a driver's account lacks for its calls. Source: the cluster API's "Using RBAC Authorization". */
export function clusterRightsLacking(
  facts: Facts,
  driver: string,
  needs: readonly (Right | 'tell-room')[]
): { readonly subject: string; readonly wants: readonly Want[] } | undefined {
  if (facts.get('CSIDriver', '', driver)?.metadata.annotations?.[accountRightsMark] === undefined) return undefined;
  const subject = driverSubject(facts, driver);
  if (subject === undefined) return undefined;
  const [, , namespace = '', name = ''] = subject.split(':');
  const rules = rulesFor(facts, { namespace, name });
  const wants = needs.flatMap((need) => clusterWants[need] ?? []).filter((want) => !allows(rules, want));
  return wants.length ? { subject, wants } : undefined;
}

/** Roles and bindings that serve a driver's account alone: they go with the driver. */
export function ownRoles(facts: Facts, driver: string): Ref[] {
  const subject = driverSubject(facts, driver);
  if (subject === undefined) return [];
  const [, , namespace, name] = subject.split(':');
  const all = facts.list('ClusterRoleBinding');
  const mine = all.filter(
    ({ subjects }) =>
      subjects?.length && subjects.every((one) => one.kind === 'ServiceAccount' && one.namespace === namespace && one.name === name)
  );
  const roles = new Set(mine.map((one) => one.roleRef.name));
  const shared = new Set([...all.filter((one) => !mine.includes(one)), ...facts.list('RoleBinding')].map((one) => one.roleRef.name));
  return [
    ...mine.map(refOf),
    ...[...roles]
      .filter((one) => !shared.has(one) && facts.get('ClusterRole', '', one))
      .map((one) => ({ kind: 'ClusterRole' as const, namespace: '', name: one }))
  ];
}

const deeds: Record<Right, string> = {
  create: 'create volumes',
  delete: 'delete volumes',
  attach: 'attach volumes',
  detach: 'detach volumes',
  grow: 'grow volumes',
  snapshot: 'take snapshots',
  'key-use': 'use the key that the class encrypts with'
};

/** What the cluster says where a driver's account may not write down what a call of it needs; undefined where it may. Without a full stop. */
export function accountFault(facts: Facts, driver: string, need: Right | 'tell-room'): string | undefined {
  const lacking = clusterRightsLacking(facts, driver, [need]);
  if (!lacking) return undefined;
  const [{ verb, group, resource }] = lacking.wants as [Want];
  return `${resource} is forbidden: ${lacking.subject} may not ${verb} ${resource}${group ? ` of ${group}` : ''}`;
}

/** Why a driver's call isn't let through: by the provider, or by the cluster; undefined when it is. Without a full stop. */
export function callFault(facts: Facts, driver: string, need: Right): string | undefined {
  const forbidden = accountFault(facts, driver, need);
  if (forbidden) return forbidden;
  const { identity, missing, mismatch, free } = standingOf(facts, driver, [need]);
  return free || (identity !== undefined && !mismatch && missing.length === 0)
    ? undefined
    : `the identity of ${driver} may not ${deeds[need]}`;
}

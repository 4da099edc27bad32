import { asManifest } from '../manifest';
import { claimsOf, type ApiObject, type Deployment, type Kind, type Pod } from '../model';
import { podsIn } from '../proofs';
import { driverOfClaim, enginePartOf, operatorDeployments, operatorOf, servesClients, type Action, type OperatorCard } from '../standin';
import type { DrillScene, Stage, Target } from './types';

/** What faults are called while they stand. */
export const outageName = 'drill';
/** Something is out of order until {@link over}. */
export const outage = (spec: object): Action => ({
  type: 'send',
  objects: [{ apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: outageName }, spec } as ApiObject]
});
/** The end of what {@link outage} began. */
export const over: Action = { type: 'remove', ref: { kind: 'Outage', namespace: '', name: outageName } };

/** Members of a workload that keep its data, whoever leads first: losing that one hurts most. */
export function membersOf({ facts, workload }: DrillScene): Pod[] {
  const { namespace } = workload;
  const part = (pod: Pod) => enginePartOf(pod)?.part ?? '';
  const pods = podsIn(facts, workload).filter((pod) => servesClients(enginePartOf(pod)) && pod.spec.nodeName);
  const status = (pod: Pod) => facts.get('Process', namespace, pod.metadata.name)?.status;
  const weight = (pod: Pod): number => {
    const now = status(pod);
    if (part(pod) === 'front') return 1_000;
    if (now?.leader === pod.metadata.name) return 100;
    return Number(/(?:leads|primary of) (\d+)/.exec(now?.role ?? '')?.[1] ?? (now?.role === 'primary' ? 1 : 0));
  };
  return pods.sort((a, b) => weight(b) - weight(a) || (a.metadata.name < b.metadata.name ? -1 : 1));
}

/** Why nothing can be struck. */
export const nobody = 'no member stands on a node';
const on = (scene: DrillScene, nodes: readonly string[]): string[] =>
  podsIn(scene.facts, scene.workload)
    .filter((pod) => nodes.includes(pod.spec.nodeName ?? ''))
    .map((pod) => pod.metadata.name);

/** The member that matters most. */
export const first = (scene: DrillScene): Pod | undefined => membersOf(scene)[0];
/** What strikes the member that matters most; or why nothing does. */
export const target = (scene: DrillScene, strike: (pod: Pod) => Target | string): Target | string => {
  const pod = first(scene);
  return pod ? strike(pod) : nobody;
};
/** A pod as actions and outages name it. */
export const podRef = ({ metadata }: Pod): { namespace: string; pod: string } => ({
  namespace: metadata.namespace ?? '',
  pod: metadata.name
});
/** A pod is taken away. */
export const taken = ({ metadata }: Pod): Action => ({
  type: 'remove',
  ref: { kind: 'Pod', namespace: metadata.namespace ?? '', name: metadata.name }
});
/** Nodes are emptied until {@link opened}. */
export const emptied = (nodes: readonly string[]): Action => ({
  type: 'send',
  objects: [
    { apiVersion: 'standin.example/v1', kind: 'Emptying', metadata: { name: outageName }, spec: { nodes: [...nodes] } } as ApiObject
  ]
});
/** The end of what {@link emptied} began. */
export const opened: Action = { type: 'remove', ref: { kind: 'Emptying', namespace: '', name: outageName } };

/** How long somebody waits for a node to be empty, and works on it. Made up. */
const walk = { mostMs: 600_000, workMs: 120_000 };

/** A node is emptied, has no power while somebody works on it, and is opened again. */
export const workOn = (node: string): Stage => ({
  label: node,
  begin: [emptied([node])],
  left(facts) {
    const status = facts.get('Emptying', '', outageName)?.status;
    if (!status) return 'nothing has gone yet';
    if (!status.left) return undefined;
    const [first] = status.waits;
    return first ? `${first.namespace}/${first.name} stays: ${first.says}` : `${status.left} are on their way`;
  },
  mostMs: walk.mostMs,
  work: [outage({ dark: [node] })],
  workMs: walk.workMs,
  end: [over, opened]
});

/** The driver behind a member's first claim; undefined where it has none. */
function driverOf({ facts }: DrillScene, pod: Pod): string | undefined {
  const [name] = claimsOf(pod.spec, pod.metadata.name);
  const claim = name === undefined ? undefined : facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
  return claim && driverOfClaim(facts, claim);
}

/** An object as it stands, but for some of its settings. */
export const altered = (object: ApiObject & { readonly spec: object }, spec: object): Action => ({
  type: 'send',
  objects: [asManifest({ ...object, spec: { ...object.spec, ...spec } } as ApiObject)]
});

/** Something befalls one member alone. */
export const member = ({ metadata }: Pod, more: Partial<Target> & Pick<Target, 'begin'>): Target => ({
  label: metadata.name,
  members: [metadata.name],
  lasting: more.end !== undefined,
  end: [],
  ...more
});

/** Something befalls whole nodes, with all that stands there. */
export const struck = (scene: DrillScene, label: string, nodes: readonly string[], more: Partial<Target> = {}): Target => ({
  label,
  members: on(scene, nodes),
  lasting: true,
  wide: true,
  begin: [outage({ dark: nodes })],
  end: [over],
  ...more
});

/** Something befalls the node of the member that matters most. */
export const itsNode = (scene: DrillScene, more: (node: string) => Partial<Target>): Target | string =>
  target(scene, ({ spec }) => struck(scene, `node ${spec.nodeName}`, [spec.nodeName!], more(spec.nodeName!)));

/** The driver of the member that matters most is struck; or why it can't be. */
export const itsDriver = (scene: DrillScene, strike: (pod: Pod, driver: string) => Target | string): Target | string =>
  target(scene, (pod) => {
    const driver = driverOf(scene, pod);
    return driver === undefined ? 'its members have no claims' : strike(pod, driver);
  });

/** Deployments are scaled to none while a member has to be made anew. */
export const without = (pod: Pod, label: string, makers: readonly Deployment[]): Target =>
  member(pod, {
    label,
    lasting: false,
    begin: [...makers.map((one) => altered(one, { replicas: 0 })), taken(pod)],
    end: makers.map((one) => altered(one, {}))
  });

/** The operator of the member that matters most is struck, with its deployments; or why it can't be. */
export const itsOperator = (
  scene: DrillScene,
  strike: (pod: Pod, card: OperatorCard, makers: readonly Deployment[]) => Target | string
): Target | string =>
  target(scene, (pod) => {
    const owners = scene.workload.sets.flatMap((set) => set.metadata.ownerReferences ?? []);
    const card = owners.map((one) => operatorOf(one.kind as Kind)).find((one) => one !== undefined);
    if (!card) return 'no operator looks after it';
    const makers = operatorDeployments(scene.facts, card);
    return makers.length ? strike(pod, card, makers) : `no deployment of ${card.name} stands here`;
  });

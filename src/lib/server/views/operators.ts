import { asManifest, writeManifests } from '$core/manifest';
import { conditionOf, isReady, type ApiObject, type Condition } from '$core/model';
import {
  clusterVersion,
  imageTag,
  imageVersionFault,
  operatedKinds,
  operatorCards,
  operatorDeployments,
  operatorImages,
  operatorNamed,
  operatorObjects,
  operatorPods,
  rightsLacking,
  rightsWords,
  versionsOf,
  watchesOf,
  type OperatorCard
} from '$core/standin';
import type { PlainRef, Scene } from './scene';

function operatorRow({ facts }: Scene, card: OperatorCard) {
  const [deployment] = operatorDeployments(facts, card);
  const pods = operatorPods(facts, card);
  const ready = pods.filter(isReady).length;
  const [pod] = pods;
  const cluster = clusterVersion(facts);
  const image = deployment?.spec.template.spec.containers[0]?.image ?? '';
  const lacking = deployment && pod ? rightsLacking(facts, card, pod, watchesOf(pod)?.[0] ?? '') : [];
  return {
    name: card.name,
    title: card.title,
    says: card.says,
    namespace: deployment?.metadata.namespace ?? card.namespace,
    kinds: card.kinds.map((one) => one.kind),
    rights: rightsWords(card),
    lacking,
    versions: versionsOf(card).map((one) => ({
      version: one.version,
      fault: imageVersionFault(`${operatorImages[card.id]}:${one.version}`, cluster) ?? ''
    })),
    installed: deployment !== undefined,
    ready,
    wanted: deployment?.spec.replicas ?? 1,
    version: imageTag(image),
    watches: deployment ? (watchesOf(deployment.spec.template) ?? null) : null,
    pod: pod ? ({ kind: 'Pod', namespace: pod.metadata.namespace ?? '', name: pod.metadata.name } satisfies PlainRef) : null,
    order: facts.list('OperatorOrder').find((one) => one.spec.operator === card.name)?.metadata.name ?? null,
    objects: operatorObjects(card, []).length
  };
}

/** Operators of the shelf, and the custom resources that they look after. */
export function operatorsView(scene: Scene, _: object) {
  const { facts } = scene;
  const resources = operatedKinds.flatMap((kind) =>
    facts.list(kind).map((one) => {
      const { stage = 'not seen yet', conditions = [] } = (one as { status?: { stage: string; conditions: Condition[] } }).status ?? {};
      const condition = conditionOf(conditions, 'Ready');
      const workload = one.kind === 'MemoryCluster' || one.kind === 'DocumentSet' ? one.metadata.name : null;
      return {
        kind,
        namespace: one.metadata.namespace ?? '',
        name: one.metadata.name,
        stage,
        ready: condition?.status === 'True',
        reason: condition?.reason ?? '',
        says: condition?.message ?? 'No operator has looked at it yet.',
        takesAlong: one.kind === 'MemoryCluster' || one.kind === 'DocumentSet' ? one.spec.takesAlong : null,
        workload: workload !== null && facts.get('StatefulSet', one.metadata.namespace ?? '', workload) ? workload : null,
        yaml: writeManifests([asManifest(one as ApiObject)])
      };
    })
  );
  const spaces = facts
    .list('Namespace')
    .map((one) => one.metadata.name)
    .filter((one) => one !== 'kube-system');
  return { operators: operatorCards.map((card) => operatorRow(scene, card)), resources, spaces };
}

export type OperatorsView = ReturnType<typeof operatorsView>;

/** What has to be sent to have an operator: all of it, or an order to the catalogue's manager. Undefined for one that isn't on the shelf. */
export function operatorYaml(
  _scene: Scene,
  { name, watches, version, order }: { name: string; watches: readonly string[]; version?: string; order: boolean }
): string | undefined {
  const card = operatorNamed(name);
  if (!card) return undefined;
  const chosen = version ?? versionsOf(card)[0]!.version;
  if (!order) return writeManifests(operatorObjects(card, watches, { version: chosen }));
  const manager = operatorNamed('operator-manager')!;
  return writeManifests([
    {
      apiVersion: 'engines.standin.example/v1',
      kind: 'OperatorOrder',
      metadata: { name, namespace: manager.namespace },
      spec: { operator: name, version: chosen, watches: [...watches], agreed: false }
    }
  ]);
}

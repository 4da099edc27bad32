import { asManifest, writeManifests } from '$core/manifest';
import { isReady, type ApiObject } from '$core/model';
import { clusterVersion, engineVersion } from '$core/standin';
import { podsIn, workloadNamed } from '$core/proofs';
import { backupsView } from './backups';
import { covered } from './covered';
import { acceptedOf, findingsOf } from './findings';
import { blueprintOf, workloadsOf, type Scene } from './scene';

/**
 * What a rehearsal itself adds to a bundle for handing over: the place, its manifests, workloads with their copies, and what the checker says.
 * @param objects manifests to hand over, without values of secrets
 */
export function bundleParts(scene: Scene, objects: readonly ApiObject[], namespace: string | undefined) {
  const { facts } = scene;
  const [ground] = facts.list('Ground');
  const workloads = workloadsOf(facts)
    .filter((one) => namespace === undefined || one.namespace === namespace)
    .map(({ namespace: space, name }) => {
      const found = workloadNamed(facts, space, name)!;
      const [chief] = [...found.sets, ...found.deployments, ...found.daemonSets];
      const pods = podsIn(facts, found);
      return { namespace: space, name, kind: chief ? blueprintOf(chief) : '', members: pods.length, ready: pods.filter(isReady).length };
    })
    .sort((a, b) => (`${a.namespace}/${a.name}` < `${b.namespace}/${b.name}` ? -1 : 1));
  return {
    nowMs: facts.nowMs,
    engine: engineVersion,
    cluster: clusterVersion(facts),
    ground: ground ? writeManifests([covered(asManifest(ground))]) : '',
    manifests: writeManifests(objects),
    count: objects.length,
    secrets: objects.flatMap((one) =>
      one.kind === 'Secret'
        ? [{ namespace: one.metadata.namespace ?? '', name: one.metadata.name, keys: Object.keys(one.data ?? {}).sort() }]
        : []
    ),
    workloads,
    findings: findingsOf(scene, objects).filter((one) => !one.accepted),
    accepted: acceptedOf(scene, objects),
    backups: backupsView(scene, {}).workloads.filter((one) => namespace === undefined || one.namespace === namespace)
  };
}

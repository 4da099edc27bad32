import { asManifest, writeManifests } from '$core/manifest';
import { isReady, type ApiObject } from '$core/model';
import { clusterVersion, engineVersion } from '$core/standin';
import { podsIn, workloadNamed } from '$core/proofs';
import { backupsView } from './backups';
import { covered } from './covered';
import { acceptedOf, findingsOf } from './findings';
import { reportParts, type Told } from './report';
import { blueprintOf, workloadsOf, type Scene } from './scene';

/** What is said of all workloads of some manifests. */
export const toldOf = (scene: Scene, objects: readonly ApiObject[]): Told => ({
  backups: backupsView(scene, {}).workloads,
  open: findingsOf(scene, objects),
  accepted: acceptedOf(scene, objects)
});

/**
 * What a rehearsal itself adds to a bundle for handing over: the place, its manifests, workloads with their copies, and what the checker says.
 * @param objects manifests to hand over, without values of secrets
 */
export function bundleParts(scene: Scene, objects: readonly ApiObject[], namespace: string | undefined) {
  const { facts } = scene;
  const told = toldOf(scene, objects);
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
    findings: told.open.filter((one) => !one.accepted),
    accepted: told.accepted,
    backups: told.backups.filter((one) => namespace === undefined || one.namespace === namespace),
    reports: workloads.flatMap((one) => reportParts(scene, one, told) ?? [])
  };
}

import { plural } from '../../shared';
import {
  isReady,
  isVirtualNode,
  refOf,
  selectedNodeMark,
  virtualLabel,
  type ApiObject,
  type Facts,
  type Node,
  type Pod
} from '../../model';
import { asManifest } from '../../manifest';
import { clusterVersion, driverAnswers, driverCard, driverPartOf, driverPods, installFor, installObjects, pluginOn } from '../../standin';
import { compact, driverOfPlace, field, isAttached, isBound, lastEvent, lastOfMaker, look, madeMs, ref, waitingOf } from '../evidence';
import type { ClaimPlace, Evidence, JointRule, Look, Position } from '../types';

/** The workload that makes a driver's part, for events about pods that it could not make. */
function makerOf(facts: Facts, driver: string, part: 'controller' | 'node'): ApiObject | undefined {
  const is = (one: { spec: { template: { spec: Pod['spec'] } } }) => {
    const found = driverPartOf(one.spec.template.spec);
    return found?.driver === driver && found.part === part;
  };
  return facts.list('Deployment').find(is) ?? facts.list('DaemonSet').find(is);
}

const words = { controller: 'controller plugin', node: 'node plugin' };

/** Why a part isn't there yet: it comes up, or something keeps it from coming. */
function partLook(facts: Facts, driver: string, part: 'controller' | 'node', pods: readonly Pod[], where: string): Look {
  const maker = makerOf(facts, driver, part);
  const stuck = pods
    .map((pod) => ({
      pod,
      waiting: waitingOf(pod),
      event: lastEvent(facts, pod, ['FailedScheduling', 'Failed', 'FailedMount', 'BackOff', 'Unhealthy'])
    }))
    .find((one) => one.event);
  const failed = lastOfMaker(facts, maker, ['FailedCreate']);
  const evidence: Evidence[] = compact([
    stuck?.event,
    failed,
    maker &&
      field(
        maker,
        'status.readyReplicas',
        (maker as { status?: { readyReplicas?: number; numberReady?: number } }).status?.readyReplicas ?? 0
      )
  ]);
  const objects = [...(maker ? [refOf(maker)] : []), ...pods.map(refOf)];
  if (stuck) {
    return look('broken', driver, `its ${words[part]}${where} is not ready: ${(stuck.event?.event?.message ?? '').replace(/\.$/, '')}`, {
      objects,
      evidence,
      remedy: { text: `See the root line of the pod ${stuck.pod.metadata.namespace}/${stuck.pod.metadata.name}.` }
    });
  }
  if (failed && !pods.length)
    return look('broken', driver, `its ${words[part]} can't be made: ${(failed.event?.message ?? '').replace(/\.$/, '')}`, {
      objects,
      evidence,
      remedy: { text: 'Send what it lacks.', ...install(facts, driver) }
    });
  if (!maker && !pods.length)
    return look('broken', driver, `no ${words[part]} of it is installed`, {
      objects,
      evidence: [{ object: ref('CSIDriver', '', driver), field: `${words[part]}`, value: 'none' }],
      remedy: { text: `Install ${driver}, with its ${words[part]}.`, ...install(facts, driver) }
    });
  const status = maker?.kind === 'DaemonSet' ? maker.status : undefined;
  if (maker && status && !pods.length && part === 'node' && status.desiredNumberScheduled === status.currentNumberScheduled)
    return look('broken', driver, `its node plugin is missing${where}: ${maker.metadata.name} doesn't accept that node`, {
      objects,
      evidence: [...evidence, field(maker, 'status.desiredNumberScheduled', status.desiredNumberScheduled)],
      remedy: {
        text: `Let ${maker.metadata.name} stand on every node: check its node selector, affinity and tolerations.`,
        ...install(facts, driver)
      }
    });
  if (maker?.kind === 'Deployment' && maker.spec.replicas === 0 && !pods.length)
    return look('broken', driver, `its ${words[part]} is scaled to nothing`, {
      objects,
      evidence: [field(maker, 'spec.replicas', 0)],
      remedy: { text: 'Let it run again.', manifests: [asManifest({ ...maker, spec: { ...maker.spec, replicas: 1 } })] }
    });
  const sinceMs = madeMs(pods[0] ?? maker) ?? facts.nowMs;
  return look('settling', driver, `its ${words[part]}${where} comes up`, {
    objects,
    evidence,
    settling: { sinceMs, normalMs: [10_000, 60_000] }
  });
}

const install = (facts: Facts, driver: string): { manifests?: ApiObject[] } => {
  const known = installFor(facts, driver);
  return known ? { manifests: installObjects(known) } : {};
};

function notInstalled(facts: Facts, driver: string, place: ClaimPlace): Look {
  const known = installFor(facts, driver);
  const card = driverCard(driver);
  const nodes = facts.list('Node').length;
  return look('broken', driver, `not installed: no controller plugin, node plugin on 0 of ${nodes} nodes`, {
    objects: [ref('CSIDriver', '', driver)],
    evidence: compact([
      { object: ref('CSIDriver', '', driver), field: 'metadata.name', value: 'no such object' },
      place.class && field(place.class, 'provisioner', driver),
      lastEvent(facts, place.claim, ['ExternalProvisioning'])
    ]),
    remedy: known
      ? { text: `Install ${driver} ${known.version} on this cluster.`, manifests: installObjects(known) }
      : {
          text: card
            ? `No version of ${driver} fits a cluster of ${clusterVersion(facts)}: ${card.versions.map((one) => `${one.version} fits ${one.from} to ${one.to}`).join('; ')}.`
            : `Install a driver that answers to ${driver}, or use a class whose driver is installed.`
        }
  });
}

const noNode: Node = { apiVersion: 'v1', kind: 'Node', metadata: { name: '' } };

/** The node where the driver's plugin has to be: the pod's, or the one chosen for the claim's first user. */
const nodeWanted = ({ pod }: Position, { claim }: ClaimPlace): string | undefined =>
  pod?.spec.nodeName ?? claim?.metadata.annotations?.[selectedNodeMark];

/** Does somebody answer to the class's provisioner: registered, controller ready, plugin on the node? */
export const driver = {
  id: 'driver' as const,
  shared: true,
  title: 'Driver',
  why: 'Only the driver named by the class makes and attaches its volumes. Without it claims stay Pending, and nothing on the members says so.',
  perClaim: true,
  look(at, place) {
    const { facts } = at;
    const name = driverOfPlace(facts, place);
    if (!name) return look('unseen', '–', 'which driver it would be depends on the class');
    const registered = facts.get('CSIDriver', '', name);
    const controllers = driverPods(facts, name, 'controller');
    const plugins = driverPods(facts, name, 'node');
    const onNodes = facts.list('CSINode').filter((one) => one.spec.drivers.some((two) => two.name === name)).length;
    const answers = facts.knowsProvider
      ? driverAnswers(facts, name)
      : registered !== undefined && (onNodes > 0 || controllers.some(isReady));
    const objects = registered ? [refOf(registered)] : [];
    const idle = isBound(place) && (at.pod === undefined || isAttached(at, place));
    const ready = controllers.filter(isReady).length;
    const says = `controller ${ready} of ${controllers.length} ready; node plugin on ${onNodes} of ${plural(facts.list('Node').length, 'node')}`;
    if (idle) return look('holds', name, answers ? says : "doesn't answer now; what is mounted already doesn't need it", { objects });
    if (!registered && !controllers.length && !plugins.length && !makerOf(facts, name, 'controller') && !makerOf(facts, name, 'node'))
      return notInstalled(facts, name, place);
    if (!registered) {
      const object = install(facts, name).manifests?.find((one) => one.kind === 'CSIDriver');
      return look('broken', name, 'its parts stand, but it is not registered: the object CSIDriver is missing', {
        objects: [ref('CSIDriver', '', name)],
        evidence: [{ object: ref('CSIDriver', '', name), field: 'metadata.name', value: 'no such object' }],
        remedy: { text: `Send the CSIDriver ${name}.`, ...(object ? { manifests: [object] } : {}) }
      });
    }
    if (!answers) return partLook(facts, name, 'controller', controllers, '');
    const node = nodeWanted(at, place);
    if (node && !pluginOn(facts, name, node) && isVirtualNode(facts.get('Node', '', node) ?? noNode))
      return look('broken', name, `${node} is a virtual node, which takes no daemon set, so the node plugin can't stand there`, {
        objects: [...objects, ref('Node', '', node)],
        evidence: [field(ref('Node', '', node), `metadata.labels[${virtualLabel}]`, 'true')],
        remedy: { text: 'Keep the member off virtual nodes, or use shared files, whose driver such nodes have built in.' }
      });
    if (node && !pluginOn(facts, name, node))
      return partLook(
        facts,
        name,
        'node',
        plugins.filter((pod) => pod.spec.nodeName === node),
        ` on ${node}`
      );
    return look('holds', name, says, { objects });
  }
} satisfies JointRule;

import { claimsOf, makerOf, zoneOf, type Kind } from '../model';
import { podsIn } from '../proofs';
import { driverPods, fileSystemsUnder, imageParts, operatorDeployments, operatorOf } from '../standin';
import { altered, emptied, itsDriver, itsNode, member, opened, outage, over, podRef, struck, target, without } from './striking';
import type { FaultRule } from './types';

/** How much longer a write to a slow volume takes. Made up: long enough to be felt, short enough that nobody gives up. */
const slowWriteMs = 2_000;

/** Faults of whatever a workload is supplied by, and of its claims. */
export const supplyFaults: readonly FaultRule[] = [
  {
    id: 'driver-down',
    level: 'Supply',
    title: 'driver down',
    why: "The driver's controller is down while a member has to be made anew.",
    target: (scene) =>
      itsDriver(scene, (pod, driver) => {
        const [part] = driverPods(scene.facts, driver, 'controller');
        const maker = part && scene.facts.get('Deployment', part.metadata.namespace ?? '', makerOf(part)?.name ?? '');
        return maker ? without(pod, driver, [maker]) : `no controller of ${driver} runs here`;
      })
  },
  {
    id: 'registry-out',
    level: 'Supply',
    title: 'registry out',
    why: 'The registry is out of reach while a member has to move to another node.',
    target: (scene) =>
      target(scene, (pod) => {
        const { host } = imageParts(pod.spec.containers[0]?.image ?? '');
        const registry = scene.facts.list('Registry').find((one) => one.spec.host === host);
        if (!registry) return `nothing is known of the registry ${host || '(none)'}`;
        const node = pod.spec.nodeName!;
        return struck(scene, `${registry.metadata.name}, while ${node} is emptied`, [node], {
          lasting: false,
          begin: [altered(registry, { reachable: false }), emptied([node])],
          end: [altered(registry, {}), opened]
        });
      })
  },
  {
    id: 'rights-gone',
    level: 'Supply',
    title: 'rights gone',
    why: 'The provider lets the driver attach and detach nothing while a member has to move to another node.',
    target: (scene) =>
      itsDriver(scene, (_, driver) => {
        const mine = scene.facts.list('Identity').filter((one) => one.spec.driver === driver);
        if (!mine.some((one) => one.spec.rights.includes('attach'))) return `${driver} attaches nothing by rights that are known here`;
        return itsNode(scene, (node) => ({
          label: `${driver}, while ${node} is emptied`,
          lasting: false,
          begin: [
            ...mine.map((one) => altered(one, { rights: one.spec.rights.filter((right) => right !== 'attach' && right !== 'detach') })),
            emptied([node])
          ],
          end: [...mine.map((one) => altered(one, {})), opened]
        }));
      })
  },
  {
    id: 'operator-down',
    level: 'Supply',
    title: 'operator down',
    why: 'The operator that looks after the workload is down while a member has to be made anew.',
    target: (scene) =>
      target(scene, (pod) => {
        const owners = scene.workload.sets.flatMap((set) => set.metadata.ownerReferences ?? []);
        const card = owners.map((one) => operatorOf(one.kind as Kind)).find((one) => one !== undefined);
        if (!card) return 'no operator looks after it';
        const makers = operatorDeployments(scene.facts, card);
        return makers.length ? without(pod, card.name, makers) : `no deployment of ${card.name} stands here`;
      })
  },
  {
    id: 'mount-target-out',
    level: 'Supply',
    title: 'mount target out',
    why: 'The mount target in the zone of the member that matters most is gone: whatever has the files mounted there hangs.',
    target: (scene) =>
      target(scene, (pod) => {
        const { facts } = scene;
        const [backend] = fileSystemsUnder(facts, pod);
        if (!backend) return 'its members mount no shared file system';
        const zone = zoneOf(facts.get('Node', '', pod.spec.nodeName ?? ''));
        const there = podsIn(facts, scene.workload).filter((one) => zoneOf(facts.get('Node', '', one.spec.nodeName ?? '')) === zone);
        return member(pod, {
          label: `${backend.metadata.name} in zone ${zone}`,
          members: there.map((one) => one.metadata.name),
          wide: true,
          begin: [altered(backend, { mountTargets: (backend.spec.mountTargets ?? []).filter((one) => one.zone !== zone) })],
          end: [altered(backend, {})]
        });
      })
  },
  {
    id: 'volume-full',
    level: 'Claims',
    title: 'volume full',
    why: 'The volume of the member that matters most has no room left, until somebody makes some.',
    target: (scene) =>
      target(scene, (pod) => {
        const [claim] = claimsOf(pod.spec, pod.metadata.name);
        if (claim === undefined) return 'its members have no claims';
        return member(pod, { label: claim, begin: [outage({ full: [{ namespace: podRef(pod).namespace, claim }] })], end: [over] });
      })
  },
  {
    id: 'volume-slow',
    level: 'Claims',
    title: 'volume slow',
    why: 'Each write to the volume of the member that matters most takes 2 s longer.',
    target: (scene) =>
      target(scene, (pod) => {
        const claims = claimsOf(pod.spec, pod.metadata.name);
        if (!claims.length) return 'its members have no claims';
        const { namespace } = podRef(pod);
        return member(pod, {
          label: claims.join(', '),
          members: [],
          lasting: false,
          begin: [outage({ sluggish: claims.map((claim) => ({ namespace, claim, ms: slowWriteMs })) })],
          end: [over]
        });
      })
  }
];

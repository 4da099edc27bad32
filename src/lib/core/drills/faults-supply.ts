import { claimsOf, makerOf, refOf, zoneOf, type Backend, type Facts, type Pod } from '../model';
import { podsIn } from '../proofs';
import { bytesOf, plural } from '../shared';
import { backendOf, driverOfClaim, driverPods, fileSystemsUnder, healAfterMs, imageParts, ordinaryRecovery, type Action } from '../standin';
import {
  altered,
  emptied,
  itsDriver,
  itsNode,
  itsOperator,
  member,
  opened,
  outage,
  over,
  podRef,
  struck,
  taken,
  target,
  without
} from './striking';
import type { DrillScene, FaultRule, Stage, Target } from './types';
import { driverRolled, operatorRolled } from './versions';

/** How much longer a write to a slow volume takes. Made up: long enough to be felt, short enough that nobody gives up. */
const slowWriteMs = 2_000;

/** A member's claim goes with its volume, and the member with it: its set makes both anew. */
function volumeLost({ facts }: DrillScene, pod: Pod, more: (claim: string, driver: string) => Partial<Target> | string): Target | string {
  const { namespace, pod: name } = podRef(pod);
  const owner = makerOf(pod);
  const set = owner?.kind === 'StatefulSet' ? facts.get('StatefulSet', namespace, owner.name) : undefined;
  const [template] = set?.spec.volumeClaimTemplates ?? [];
  if (!template) return 'its members have no claims that would be made again';
  const claim = facts.get('PersistentVolumeClaim', namespace, `${template.metadata.name}-${name}`);
  const driver = claim && driverOfClaim(facts, claim);
  if (!driver) return `the claim ${template.metadata.name}-${name} is not bound by a driver that is known`;
  const found = more(claim.metadata.name, driver);
  if (typeof found === 'string') return found;
  const { begin = [], ...rest } = found;
  return member(pod, { volume: true, begin: [...begin, { type: 'remove', ref: refOf(claim) }, taken(pod)], ...rest });
}

/** A member loses its volume while its backend hands out none. */
const withoutRoom = (scene: DrillScene, full: (backend: Backend) => Action | string): Target | string =>
  target(scene, (pod) =>
    volumeLost(scene, pod, (claim, driver) => {
      const backend = scene.facts.list('Backend').find((one) => one.spec.driver === driver);
      if (!backend) return `nothing is known of the backend of ${driver}`;
      if (backend.spec.pool !== undefined) return `what ${backend.metadata.name} has follows from the disks of its pool`;
      const begin = full(backend);
      if (typeof begin === 'string') return begin;
      return { label: `${claim} at ${backend.metadata.name}`, lasting: true, begin: [begin], end: [altered(backend, {})] };
    })
  );

/** So long is waited for copies beyond what the pool's pace comes to (ms). Made up. */
const slackMs = 300_000;

/** A disk of the pool that hands out the volumes of the member that matters most, on its own node where that has one. */
const diskDead = (scene: DrillScene): Target | string =>
  itsDriver(scene, (pod, driver) => {
    const { facts } = scene;
    const name = backendOf(facts, driver)?.spec.pool;
    const pool = name === undefined ? undefined : facts.get('Pool', '', name);
    if (!pool) return `no pool of disks stands behind ${driver}`;
    if (pool.spec.copies < 2) return `${pool.metadata.name} keeps each piece once: which volumes lie on a disk is not known here`;
    const disks = facts
      .list('Disk')
      .filter(({ spec, status }) => status?.pool === pool.metadata.name && status.prepared && !spec.dead)
      .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));
    const disk = disks.find((one) => one.spec.node === pod.spec.nodeName) ?? disks[0];
    if (!disk) return `${pool.metadata.name} has no disk that works`;
    const label = disk.metadata.name;
    const stored = pool.status?.storedBytes ?? 0;
    const speed = pool.spec.recoveryBytesPerSecond ?? ordinaryRecovery;
    const begin = [altered(disk, { dead: true })];
    const of = (now: Facts) => now.get('Pool', '', pool.metadata.name)?.status?.lost.find((one) => one.disk === label);
    const copied: Stage = {
      label,
      begin,
      left(now) {
        const lost = of(now);
        if (!lost) return 'nobody has noticed';
        return lost.healed ? undefined : `${plural(Math.round(lost.bytes / 2 ** 20), 'MiB', 'MiB')} of copies are not there anew`;
      },
      mostMs: healAfterMs + slackMs + Math.round((Math.min(stored * pool.spec.copies, bytesOf(disk.spec.size)) / speed) * 1_000),
      heals: true,
      work: [],
      workMs: 0,
      end: [altered(disk, {})]
    };
    return {
      label,
      members: [],
      lasting: false,
      begin,
      end: [altered(disk, {})],
      stages: [copied],
      walk: {
        all: 'its disk dead, then replaced',
        noun: 'disk',
        done: 'had its copies elsewhere',
        undone: 'did not have its copies elsewhere'
      }
    };
  });

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
    target: (scene) => itsOperator(scene, (pod, card, makers) => without(pod, card.name, makers))
  },
  {
    id: 'driver-rolled',
    level: 'Supply',
    title: 'driver renewed',
    why: 'All parts of the driver are started anew by their own strategies, in the newest version that fits where there is a newer one; then a member is made anew.',
    target: driverRolled
  },
  {
    id: 'operator-rolled',
    level: 'Supply',
    title: 'operator renewed',
    why: 'The operator is started anew, in the newest version that fits where there is a newer one; then a member is made anew.',
    target: operatorRolled
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
    id: 'disk-dead',
    level: 'Supply',
    title: 'disk dies',
    why: 'A disk of the pool that holds its volumes answers nobody any more: what lay there is copied anew from elsewhere, then an empty disk is put in its place.',
    target: diskDead
  },
  {
    id: 'volume-lost',
    level: 'Claims',
    title: 'volume lost',
    why: 'The member that matters most loses its volume with all that lies there: its set makes a new one, and the others give it what they have.',
    target: (scene) => target(scene, (pod) => volumeLost(scene, pod, (claim) => ({ label: claim })))
  },
  {
    id: 'room-out',
    level: 'Claims',
    title: 'no room',
    why: 'The member that matters most loses its volume, and the backend has no room for another one until the fault is over.',
    target: (scene) =>
      withoutRoom(scene, (backend) =>
        backend.spec.zones.length
          ? altered(backend, { zones: backend.spec.zones.map((one) => ({ ...one, capacity: '0' })) })
          : `${backend.metadata.name} has as much room as anybody asks for`
      )
  },
  {
    id: 'quota-out',
    level: 'Claims',
    title: 'quota used up',
    why: 'The member that matters most loses its volume, and the quota of the backend allows no other one until the fault is over.',
    target: (scene) => withoutRoom(scene, (backend) => altered(backend, { quotaVolumes: 0 }))
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

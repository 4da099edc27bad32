import { asManifest } from '../../manifest';
import { bytesOf, majorityOf, plural } from '../../shared';
import { conditionOf, isReady, nodeReady, refOf, type ApiObject, type Disk, type Facts, type Pod, type Pool } from '../../model';
import {
  clusterVersion,
  diskFault,
  driverCard,
  fitDisks,
  isStorageNode,
  jobState,
  keepersOf,
  newestFitting,
  poolDriver,
  poolNodes,
  poolObject,
  poolOperatorObjects,
  poolPods,
  poolWarnShare,
  storageLabel
} from '../../standin';
import { compact, driverOfPlace, field, gib, isBound, lastEvent, look, madeMs, ref } from '../evidence';
import type { ClaimPlace, JointRule, Look, Position } from '../types';

/** Copies that a pool keeps where none is there yet to say. */
const ordinaryCopies = 3;
const poolOf = (facts: Facts): Pool | undefined => facts.list('Pool')[0];

/** Only claims of the pool's driver rest on it; one that is bound already needs its keepers, not its making. */
const concerns = ({ facts }: Position, place: ClaimPlace): boolean => driverOfPlace(facts, place) === poolDriver;

/** The disks that carry something old, as they would be when cleared. */
function cleared(facts: Facts): { manifests?: ApiObject[] } {
  const used = facts.list('Disk').filter(({ spec }) => spec.holds !== undefined && spec.holds !== 'system');
  const manifests = used.map(({ spec: { holds: _, ...spec }, ...disk }) => asManifest({ ...disk, spec }));
  return manifests.length ? { manifests } : {};
}

const nodeWord = (n: number): string => (n === 1 ? 'node' : 'nodes');

/** Are there labelled nodes with usable disks, enough for the copies? */
export const storageNodes = {
  id: 'storage-nodes' as const,
  shared: true,
  title: 'Storage nodes',
  why: 'A pool only takes disks of nodes that were given to it by a label. Each copy of a piece lies on another node, so there must be as many nodes as copies.',
  perClaim: true,
  look(at, place) {
    if (!concerns(at, place)) return undefined;
    const { facts } = at;
    if (!facts.knowsProvider) return look('unseen', 'disks', 'the objects at hand say nothing of disks');
    const copies = poolOf(facts)?.spec.copies ?? ordinaryCopies;
    const fit = fitDisks(facts.list('Disk'), poolOf(facts)?.spec.leastDisk);
    for (const one of facts.list('Disk')) if (one.status?.pool) fit.set(one.spec.node, bytesOf(one.spec.size));
    const nodes = facts.list('Node').filter((node) => fit.has(node.metadata.name));
    const labelled = nodes.filter(isStorageNode);
    const says = `${labelled.length} ${nodeWord(labelled.length)} with usable disks carry ${storageLabel}`;
    if (labelled.length >= copies)
      return look('holds', `${labelled.length} ${nodeWord(labelled.length)}`, says, { objects: labelled.map(refOf) });
    const evidence = nodes
      .slice(0, 12)
      .map((node) => field(node, `metadata.labels[${storageLabel}]`, node.metadata.labels?.[storageLabel]));
    if (nodes.length < copies)
      return look(
        'broken',
        `${nodes.length} ${nodeWord(nodes.length)}`,
        `${nodes.length} ${nodeWord(nodes.length)} have usable disks, and ${copies} copies need ${copies}`,
        {
          evidence: [
            ...evidence,
            ...facts
              .list('Disk')
              .slice(0, 12)
              .map((disk) => field(disk, 'spec', diskFault(disk) ?? 'fit'))
          ],
          remedy: {
            text: 'Add nodes with raw disks, clear disks that carry something old (what is on them is lost), or keep fewer copies.',
            ...cleared(facts)
          }
        }
      );
    const manifests = nodes.map((node) =>
      asManifest({ ...node, metadata: { ...node.metadata, labels: { ...node.metadata.labels, [storageLabel]: 'true' } } })
    );
    return look(
      'broken',
      `${labelled.length} of ${nodes.length}`,
      `only ${labelled.length} of ${nodes.length} nodes with usable disks carry ${storageLabel}`,
      {
        objects: nodes.map(refOf),
        evidence,
        remedy: { text: `Label the nodes whose disks the pool may have.`, manifests }
      }
    );
  }
} satisfies JointRule;

const waitsWhy = (facts: Facts, pods: readonly Pod[]) =>
  pods.map((pod) => lastEvent(facts, pod, ['FailedScheduling', 'Failed', 'FailedMount', 'BackOff'])).find((one) => one);

/** Does the pool's operator run? */
export const operator = {
  id: 'operator' as const,
  shared: true,
  title: 'Operator',
  why: 'The operator finds disks, has them prepared and starts the parts of the pool. Nothing of it happens by itself.',
  perClaim: true,
  look(at, place) {
    if (!concerns(at, place)) return undefined;
    const { facts } = at;
    const pods = poolPods(facts, 'operator');
    const version = newestFitting(driverCard(poolDriver)!, clusterVersion(facts));
    if (pods.some(isReady)) return look('holds', 'pool-operator', 'ready', { objects: pods.map(refOf) });
    if (isBound(place) && !pods.length) return look('holds', 'pool-operator', "gone; what is made doesn't need it");
    if (!pods.length)
      return look('broken', 'pool-operator', 'not installed', {
        objects: [ref('Deployment', 'storage-system', 'pool-operator')],
        evidence: [{ object: ref('Deployment', 'storage-system', 'pool-operator'), field: 'metadata.name', value: 'no such object' }],
        remedy: version
          ? { text: `Install the operator of pools ${version}.`, manifests: poolOperatorObjects(version) }
          : { text: `No version of it fits a cluster of ${clusterVersion(facts)}.` }
      });
    const event = waitsWhy(facts, pods);
    if (event)
      return look('broken', 'pool-operator', (event.event?.message ?? '').replace(/\.$/, ''), {
        objects: pods.map(refOf),
        evidence: [event],
        remedy: { text: 'See the root line of its pod.' }
      });
    return look('settling', 'pool-operator', 'comes up', {
      objects: pods.map(refOf),
      settling: { sinceMs: madeMs(pods[0]) ?? facts.nowMs, normalMs: [10_000, 60_000] }
    });
  }
} satisfies JointRule;

const jobOf = (facts: Facts, disk: Disk) => facts.get('Job', 'storage-system', `pool-prepare-${disk.metadata.name}`);

function failedLook(facts: Facts, failed: readonly Disk[], copies: number): Look {
  const names = failed.map((one) => one.metadata.name).join(', ');
  const pods = failed.flatMap((disk) =>
    facts.list('Pod', 'storage-system').filter((pod) => pod.metadata.labels?.['job-name'] === `pool-prepare-${disk.metadata.name}`)
  );
  return look('broken', names, `the prepare job of ${names} failed, and too few nodes are left for ${copies} copies`, {
    objects: failed.map(refOf),
    evidence: compact([
      ...failed.flatMap((disk) => {
        const job = jobOf(facts, disk);
        const condition = conditionOf(job?.status?.conditions, 'Failed');
        return job && condition ? [field(job, 'status.conditions[Failed]', `${condition.reason}: ${condition.message}`)] : [];
      }),
      ...pods.map((pod) => lastEvent(facts, pod, ['Failed']))
    ]),
    remedy: { text: 'Put another disk in its place, then take the failed job away: it is made anew.' }
  });
}

/** Are the nodes' disks found, judged and prepared? */
export const disks = {
  id: 'disks' as const,
  shared: true,
  title: 'Disks',
  why: 'Discovery looks at every disk of the storage nodes. One that carries something or is too small is left alone; each other one is prepared by a job of its own.',
  perClaim: true,
  look(at, place) {
    if (!concerns(at, place)) return undefined;
    const { facts } = at;
    const pool = poolOf(facts);
    if (!pool) {
      const name = `${facts.list('Ground')[0]?.metadata.name ?? 'storage'}-pool`;
      const object: ApiObject = poolObject(name);
      return look('broken', '–', 'no pool asks for disks', {
        objects: [ref('Pool', '', name)],
        evidence: [{ object: ref('Pool', '', '(any)'), field: 'metadata.name', value: 'there is none' }],
        remedy: { text: `Send a pool of ${ordinaryCopies} copies.`, manifests: [object] }
      });
    }
    const { copies } = pool.spec;
    const mine = facts
      .list('Disk')
      .filter((disk) => isStorageNode(facts.get('Node', '', disk.spec.node) ?? emptyNode) && disk.spec.holds !== 'system');
    const found = mine.filter((one) => one.status?.found);
    const prepared = found.filter((one) => one.status?.prepared);
    const dead = found.filter((one) => one.spec.dead && one.status?.pool);
    const failed = found.filter((one) => !one.spec.dead && jobState(jobOf(facts, one)) === 'failed');
    const refused = found.filter((one) => !one.status?.pool);
    const says = `${prepared.length} prepared${refused.length ? `, ${refused.length} refused` : ''}${failed.length ? `, ${failed.length} failed` : ''}${dead.length ? `, ${dead.length} dead` : ''}`;
    const objects = [refOf(pool), ...mine.map(refOf)];
    const refusals = refused.map((one) => field(one, 'status.says', one.status?.says));
    const evidence = [...refusals, ...[...failed, ...dead].map((one) => field(one, 'status.says', one.status?.says))];
    const serving = poolNodes(facts, pool);
    const under = found.filter((one) => one.status?.pool && !one.status.prepared && !failed.includes(one) && !dead.includes(one));
    if (serving.length >= copies && !under.length) {
      const idle = waitsWhy(
        facts,
        poolPods(facts, 'disk').filter((pod) => pod.status?.phase === 'Pending')
      );
      const short = idle ? `; some find no room on their node: ${(idle.event?.message ?? '').replace(/\.$/, '')}` : '';
      return look('holds', plural(prepared.length, 'disk'), `${says}${short}`, { objects, evidence: compact([idle, ...evidence]) });
    }
    if (found.length < mine.length || under.length || prepared.length > poolPods(facts, 'disk').filter(isReady).length) {
      const since = mine.map((one) => madeMs(jobOf(facts, one))).filter((one) => one !== undefined);
      const stuck = waitsWhy(
        facts,
        [...poolPods(facts, 'discovery'), ...poolPods(facts, 'prepare'), ...poolPods(facts, 'disk')].filter(
          (pod) => !isReady(pod) && pod.status?.phase === 'Pending'
        )
      );
      if (stuck)
        return look('broken', plural(prepared.length, 'disk'), (stuck.event?.message ?? '').replace(/\.$/, ''), {
          objects,
          evidence: [stuck, ...evidence],
          remedy: { text: 'Each disk of a pool asks for CPU and memory of its node: free some, or give the pool fewer nodes.' }
        });
      return look(
        'settling',
        plural(prepared.length, 'disk'),
        found.length ? `${says}; ${under.length} being prepared` : 'discovery looks at the nodes',
        {
          objects,
          evidence,
          settling: {
            sinceMs: Math.min(facts.nowMs, ...(since.length ? since : [madeMs(pool) ?? facts.nowMs])),
            normalMs: [60_000, 300_000]
          }
        }
      );
    }
    if (failed.length) return failedLook(facts, failed, copies);
    return look(
      'broken',
      plural(prepared.length, 'disk'),
      `usable disks stand on ${serving.length} ${nodeWord(serving.length)}, and ${copies} copies need ${copies}: ${refused.map((one) => `${one.metadata.name} ${one.status?.says}`).join('; ') || 'there are no others'}`,
      {
        objects,
        evidence,
        remedy: {
          text: 'Clear the disks that carry something old (what is on them is lost), add larger ones, or label more nodes.',
          ...cleared(facts)
        }
      }
    );
  }
} satisfies JointRule;
const emptyNode: ApiObject & { kind: 'Node' } = { apiVersion: 'v1', kind: 'Node', metadata: { name: '' } };

/** Are most of the pool's keepers up? */
export const keepers = {
  id: 'keepers' as const,
  shared: true,
  title: 'Keepers',
  why: 'The keepers agree on where each piece lies. Without a majority of them nothing of the pool can change or be mounted.',
  perClaim: true,
  look(at, place) {
    const { facts } = at;
    const pool = poolOf(facts);
    if (!concerns(at, place) || !pool) return undefined;
    const { ready, wanted, majority } = keepersOf(facts, pool);
    const pods = poolPods(facts, 'keeper');
    const objects = pods.map(refOf);
    const label = `${ready} of ${wanted}`;
    if (majority) {
      const lost = Math.max(0, ready - majorityOf(wanted));
      return look('holds', label, `${ready} of ${wanted} ready on different nodes; may lose ${lost} more`, { objects });
    }
    const down = pods.filter((pod) => !nodeReady(facts.get('Node', '', pod.spec.nodeName ?? '') ?? emptyNode));
    const event = waitsWhy(
      facts,
      pods.filter((pod) => !isReady(pod))
    );
    if (down.length || event)
      return look(
        'broken',
        label,
        `${ready} of ${wanted} keepers answer, ${majorityOf(wanted)} are needed${event ? `: ${(event.event?.message ?? '').replace(/\.$/, '')}` : ''}`,
        {
          objects,
          evidence: compact([event, ...down.map((pod) => field(pod, 'spec.nodeName', `${pod.spec.nodeName}, which doesn't answer`))]),
          remedy: { text: 'Bring the nodes back, or make room for the keepers on other storage nodes.' }
        }
      );
    return look('settling', label, `${ready} of ${wanted} keepers are ready`, {
      objects,
      settling: { sinceMs: madeMs(pods[0] ?? pool) ?? facts.nowMs, normalMs: [10_000, 90_000] }
    });
  }
} satisfies JointRule;

/** How a pool stands, for the backend's joint: what is stored of what it holds, and what is being healed. */
export function poolWords(facts: Facts, pool: Pool): string {
  const { usableBytes = 0, storedBytes = 0, lost = [] } = pool.status ?? {};
  const open = lost.filter((one) => !one.healed);
  const share = usableBytes ? Math.round((100 * storedBytes) / usableBytes) : 0;
  const healing = open.map((one) => `copies of ${one.disk ?? one.node} are made anew`).join(', ');
  const warn =
    usableBytes > 0 && storedBytes >= poolWarnShare * usableBytes
      ? `; above the warning threshold of ${Math.round(poolWarnShare * 100)} %`
      : '';
  return `${gib(storedBytes)} of ${gib(usableBytes)} stored (${share} %), each piece ${pool.spec.copies} times${warn}${pool.spec.copies > 1 && healing ? `; ${healing}` : ''}`;
}

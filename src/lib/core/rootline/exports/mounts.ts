import { conditionOf, refOf } from '../../model';
import { eventsAbout, isVague, latestOf, saidError, tellingPart, timeOf, type Said } from '../../exports';
import { field, look, madeMs } from '../evidence';
import type { Position } from '../types';
import { isOver, brokenBy, evidenceOf, faultOf, placed, underWay, type Fault, type Placed } from './place';
import { stageOf } from './stage';
import { attachmentsOf } from './attachments';

const mountReasons = [
  'FailedMount',
  'FailedMapVolume',
  'FailedAttachVolume',
  'FailedCreatePodSandBox',
  'FailedPodSandBoxStatus',
  'NetworkNotReady'
];

/** What is said while volumes are attached and mounted, as far as nothing has overtaken it. */
export function mountFaults({ facts, pod }: Position): Fault[] {
  if (!pod || stageOf(pod) !== 'mounting') return [];
  const said = eventsAbout(facts, pod);
  const attachedMs = latestOf(said, ['SuccessfulAttachVolume'])?.atMs;
  const claims = (pod.spec.volumes ?? []).flatMap((one) => (one.persistentVolumeClaim ? [one.persistentVolumeClaim.claimName] : []));
  const volumes = claims.flatMap((one) => facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', one)?.spec.volumeName ?? []);
  const errors = volumes.flatMap((volume) =>
    attachmentsOf(facts, volume, pod.spec.nodeName).flatMap((one) =>
      !one.status?.attached && one.status?.attachError ? [saidError(one, 'status.attachError', one.status.attachError)] : []
    )
  );
  // A volume that its former node can't let go of can't be attached here.
  const held = volumes.flatMap((volume) =>
    attachmentsOf(facts, volume).flatMap((one) =>
      one.spec.nodeName !== pod.spec.nodeName && one.status?.detachError
        ? [saidError(one, 'status.detachError', one.status.detachError)]
        : []
    )
  );
  const attachedAll =
    volumes.length > 0 && volumes.every((volume) => attachmentsOf(facts, volume, pod.spec.nodeName).some((one) => one.status?.attached));
  const failed = said.filter((one) => {
    if (!mountReasons.includes(one.reason)) return false;
    if (one.reason !== 'FailedAttachVolume') return true;
    return !attachedAll && (attachedMs === undefined || (one.atMs ?? 0) > attachedMs);
  });
  const all = [
    ...[...held, ...errors].map((one) => ({ ...faultOf('attach', one), doing: 'attach' })),
    ...failed.map((one) => ({ ...mountFault(one), doing: one.reason === 'FailedAttachVolume' ? 'attach' : 'mount' }))
  ];
  // Mounting begins when a volume is attached: what was said of attaching before is over by then.
  const mountedMs = Math.max(
    -Infinity,
    ...failed.filter((one) => /MountDevice|SetUp|MapDevice|MapPodDevice/.test(one.message)).map((one) => one.atMs ?? 0)
  );
  const telling = all.filter(
    ({ said: one, doing }) =>
      !isVague(one.message) &&
      !isOver(facts, one, 30 * 60_000) &&
      !(doing === 'attach' && one.from === 'event' && (one.atMs ?? 0) < mountedMs)
  );
  // One for each joint, the latest.
  const byJoint = new Map<string, Fault>();
  for (const one of telling) {
    const known = byJoint.get(one.joint);
    if (!known || (one.said.atMs ?? 0) >= (known.said.atMs ?? 0)) byJoint.set(one.joint, one);
  }
  const faults = [...byJoint.values()];
  // Whoever can't attach can't mount; what was said of mounting before an attach failed again is of no weight, and the other way round.
  const latest = Math.max(...faults.map((one) => one.said.atMs ?? 0));
  return faults.filter((one) => latest - (one.said.atMs ?? 0) <= staleMs);
}

/** A failure that wasn't said again for so long, while another was, is over: retries come every few minutes at the most. */
const staleMs = 15 * 60_000;

function mountFault(said: Said): Fault {
  if (said.reason === 'FailedAttachVolume') return faultOf('attach', said);
  if (said.reason === 'FailedMount' || said.reason === 'FailedMapVolume') return faultOf('mount', said);
  return { joint: 'start', said, says: tellingPart(said.message) };
}

/** Only retries were said while volumes are mounted. */
const vagueOf = ({ facts, pod }: Position): Said | undefined =>
  pod &&
  eventsAbout(facts, pod)
    .filter((one) => mountReasons.includes(one.reason))
    .at(-1);

/** Volumes attached and mounted? */
export function mountLooks(at: Position, faults: readonly Fault[]): Placed[] {
  const { facts, pod, podName } = at;
  if (!pod || podName === undefined || !pod.spec.nodeName) return [];
  const stage = stageOf(pod);
  const looks: Placed[] = [];
  const objects = [refOf(pod)];
  const since =
    timeOf(conditionOf(pod.status?.conditions, 'PodScheduled')?.lastTransitionTime) ?? timeOf(pod.status?.startTime) ?? madeMs(pod);
  let open = stage === 'mounting' && !faults.length;
  for (const place of at.claims) {
    const volume = place.claim?.spec.volumeName;
    if (!volume) continue;
    const [own] = attachmentsOf(facts, volume, pod.spec.nodeName);
    const others = attachmentsOf(facts, volume).filter((one) => one.spec.nodeName !== pod.spec.nodeName);
    const fault = faults.find((one) => one.joint === 'attaching' && concerns(one, place.name, volume, at.claims.length));
    if (fault) {
      const held = others.map((one) =>
        field(
          one,
          'spec.nodeName',
          `${one.spec.nodeName}, attached: ${String(one.status?.attached ?? false)}${one.status?.detachError?.message ? `, ${one.status.detachError.message}` : ''}`
        )
      );
      looks.push(brokenBy(fault, place.name, held, [refOf(pod), ...others.map(refOf)]));
    } else if (own?.status?.attached)
      looks.push(placed('attaching', look('holds', place.name, `attached to ${pod.spec.nodeName}`, { objects: [refOf(own)] })));
    else if (own && stage === 'mounting') {
      open = false;
      looks.push(
        underWay(
          facts,
          'attaching',
          place.name,
          `is being attached to ${pod.spec.nodeName}`,
          madeMs(own) ?? since,
          [1_000, 60_000],
          'its attachment says nothing more; see the attacher beside the driver',
          { objects: [refOf(own)] }
        )
      );
    }
  }
  const first = faults.find((one) => one.joint === 'mounting');
  if (first) looks.push(brokenBy(first, podName));
  else if (stage === 'begun' || stage === 'ready' || stage === 'ended') {
    if (at.claims.length)
      looks.push(placed('mounting', look('holds', podName, 'what it mounts was there when its containers were made', { objects })));
  } else if (open) {
    const said = vagueOf(at);
    looks.push(
      underWay(
        facts,
        'mounting',
        podName,
        said ? tellingPart(said.message) : 'volumes are being mounted',
        since,
        [1_000, 60_000],
        said
          ? 'only retries are told; the log of the node agent and of the node part tell more'
          : `no event about it is in the export; export the events of ${at.namespace}`,
        {
          objects,
          ...(said ? { evidence: [evidenceOf(said)] } : {})
        }
      )
    );
  }
  return looks;
}

/** Whether a fault speaks of a claim's volume; a single claim is meant in any case. */
export const concerns = (fault: Fault, claim: string, volume: string, among: number): boolean =>
  among === 1 || fault.said.message.includes(volume) || fault.said.message.includes(`"${claim}"`);

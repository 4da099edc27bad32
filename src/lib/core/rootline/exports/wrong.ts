import { bytesOf } from '../../shared';
import {
  conditionOf,
  isReady,
  keyOf,
  nodeReady,
  podsMadeBy,
  refOf,
  type Claim,
  type Facts,
  type Kind,
  type KindMap,
  type Pod,
  type Ref,
  type StatefulSet
} from '../../model';
import { eventsAbout, replicasOf, scopeIn } from '../../exports';
import { rootLine, type Joint, type RootLine } from '../chain';
import { breakOf, causeOf, lineSentence } from '../sentence';
import { jointIds, type JointId } from '../joints';
import type { Evidence } from '../types';
import { podsOf, pressures, saysWrong, type Owner } from './subjects';
import { stageOf } from './stage';

/** One cause in a whole export, and everything that waits on it. */
export interface Wrong {
  readonly joint: JointId;
  readonly title: string;
  /** The cause in a sentence, without a full stop. */
  readonly says: string;
  readonly label: string;
  /** `broken`, or `unseen` for what is long overdue and says nothing of why. */
  readonly state: 'broken' | 'unseen';
  /** Who waits on it, the first ones. */
  readonly waits: readonly Ref[];
  readonly count: number;
  /** The statement that tells. */
  readonly evidence?: Evidence;
  readonly sinceMs?: number;
}

/** What is wrong in an export as a whole. */
export interface WrongView {
  readonly items: readonly Wrong[];
  /** Subjects that were looked at. */
  readonly looked: number;
  /** Subjects that could not be judged, as too little of them is in the export. */
  readonly unseen: readonly { readonly ref: Ref; readonly says: string }[];
}

const mostWaits = 40;
const mostUnseen = 200;

/** Whether a pod that failed was made anew by its owner: then it is history. */
const replaced = (facts: Facts, pod: Pod): boolean =>
  (pod.metadata.ownerReferences ?? []).some(
    (one) => one.kind !== 'Node' && facts.get(one.kind as Kind, pod.metadata.namespace ?? '', one.name) !== undefined
  );

/** Whether a workload isn't plainly whole, by its pods and by what it says of itself. */
function notWhole(facts: Facts, one: StatefulSet | Owner): boolean {
  const pods = one.kind === 'StatefulSet' ? podsMadeBy(facts, one) : podsOf(facts, one);
  const stages = pods.map(stageOf);
  if (one.kind === 'Job')
    return (
      conditionOf(one.status?.conditions, 'Failed')?.status === 'True' || stages.some((two) => !['ready', 'ended', 'failed'].includes(two))
    );
  const { wanted } = replicasOf(one);
  return stages.some((two) => two !== 'ready' && two !== 'ended') || pods.filter(isReady).length < wanted;
}

const claimDoubtful = ({ spec, status, metadata }: Claim): boolean =>
  status?.phase !== 'Bound' ||
  metadata.deletionTimestamp !== undefined ||
  bytesOf(status.capacity?.storage ?? spec.resources.requests.storage) < bytesOf(spec.resources.requests.storage);

/** Subjects of an export that aren't plainly well. Whoever belongs to one of them isn't asked about by itself. */
function suspects(facts: Facts): { refs: Ref[]; looked: number } {
  const refs: Ref[] = [];
  let looked = 0;
  const take = <K extends Kind>(kind: K, doubtful: (one: KindMap[K]) => boolean) => {
    for (const one of facts.list(kind)) {
      looked += 1;
      if (doubtful(one)) refs.push(refOf(one));
    }
  };
  take('Node', (one) => !nodeReady(one) || pressures(one).length > 0);
  take('Namespace', (one) => one.metadata.deletionTimestamp !== undefined || one.status?.phase === 'Terminating');
  const covered = new Set<Pod>();
  for (const kind of ['StatefulSet', 'Deployment', 'DaemonSet', 'Job'] as const)
    take(kind, (one) => {
      for (const pod of podsMadeBy(facts, one)) covered.add(pod);
      return notWhole(facts, one);
    });
  take('Pod', (one) => !covered.has(one) && !['ready', 'ended'].includes(stageOf(one)) && !replaced(facts, one));
  take('PersistentVolumeClaim', claimDoubtful);
  take(
    'PersistentVolume',
    (one) =>
      one.status?.phase === 'Failed' ||
      one.metadata.deletionTimestamp !== undefined ||
      eventsAbout(facts, one).some((two) => two.reason === 'VolumeFailedDelete')
  );
  take('VolumeSnapshot', (one) => one.status?.readyToUse !== true);
  take('Service', () => true);
  for (const one of scopeIn(facts).others) {
    looked += 1;
    if (saysWrong(one)) refs.push({ kind: one.kind, namespace: one.namespace, name: one.name } as unknown as Ref);
  }
  return { refs, looked };
}

/** Joints that speak of somebody whom many rest on: their label names that one. */
const named = new Set<JointId>(['backend', 'target', 'rights', 'driver', 'class', 'node']);
/** Joints that are each workload's own: the same words at two of them are two causes. */
const own = new Set<JointId>(['volume', 'claim', 'snapshot', 'start', 'ready', 'name', 'service', 'resource']);

/** What makes two breaks the same cause: the joint, whom it speaks of, and what was said without the names of who waits. */
function causeKey({ joint, label, says }: Joint, { subject }: RootLine): string {
  const bare = says.replaceAll(subject.name, '·').replace(/[0-9a-f]{8}-[0-9a-f-]{20,}|pvc-[\w-]+/g, '·');
  // Sizes and times differ from one to the next; where a driver or a node is told apart by a number, it is another one.
  const words = joint === 'driver' || joint === 'node' ? bare : bare.replace(/\b\d[\d,.:]*\b/g, '#');
  return [joint, named.has(joint) ? label : '', own.has(joint) ? keyOf(subject) : '', words].join('|');
}

/** Overdue joints count as well: nobody knows why, and somebody has to look. */
const overdueOf = (line: RootLine): Joint | undefined => line.joints.find((one) => one.overdueSinceMs !== undefined);

const sinceOf = (joint: Joint): number | undefined => {
  const told = joint.evidence.map((one) => one.atMs).filter((one): one is number => one !== undefined);
  return joint.overdueSinceMs ?? (told.length ? Math.min(...told) : undefined);
};

interface Found {
  readonly joint: Joint;
  readonly state: Wrong['state'];
  readonly waits: Map<string, Ref>;
  sinceMs: number | undefined;
}

/** All first breaks of an export, grouped by cause, the one that most wait on first. What is well is not named. */
export function whatIsWrong(facts: Facts): WrongView {
  const { refs, looked } = suspects(facts);
  const found = new Map<string, Found>();
  const unseen: { ref: Ref; says: string }[] = [];
  const told = new Set<string>();
  const note = (joint: Joint, state: Wrong['state'], line: RootLine, waits: readonly Ref[]) => {
    const key = causeKey(joint, line);
    let known = found.get(key);
    if (!known) found.set(key, (known = { joint, state, waits: new Map(), sinceMs: undefined }));
    const sinceMs = sinceOf(joint);
    if (sinceMs !== undefined) known.sinceMs = Math.min(known.sinceMs ?? sinceMs, sinceMs);
    for (const ref of waits) {
      told.add(keyOf(ref));
      known.waits.set(keyOf(ref), ref);
    }
  };
  for (const ref of refs) {
    // A claim is told with the member that mounts it.
    if (ref.kind === 'PersistentVolumeClaim' && facts.podsOfClaim(ref.namespace, ref.name).some((pod) => told.has(keyOf(refOf(pod)))))
      continue;
    const line = rootLine(facts, ref);
    if (!line) continue;
    const broken = line.joints.filter((one) => one.state === 'broken');
    // Whoever was told with the workload isn't told again with a service or a claim.
    const fresh = (i: number) => !told.has(keyOf(line.trunks[i]!.ref));
    const waiters = (i: number) => (line.trunks[i]!.ref.name.endsWith('…') ? ref : line.trunks[i]!.ref);
    const firsts = line.trunks.map((_, i) => broken.find((one) => one.trunks.includes(i)));
    const overdue = overdueOf(line);
    const quiet = (overdue?.trunks ?? []).filter((i) => !firsts[i] && fresh(i)).map(waiters);
    const breaks = firsts.flatMap((first, i) => (first && fresh(i) ? [{ first, who: waiters(i) }] : []));
    for (const { first, who } of breaks) note(first, 'broken', line, [who]);
    if (overdue && quiet.length) note(overdue, 'unseen', line, quiet);
    if (overdue || breakOf(line)) continue;
    if (ref.kind !== 'Service' && / unseen/.test(lineSentence(line)) && unseen.length < mostUnseen)
      unseen.push({ ref, says: lineSentence(line) });
  }
  const items = [...found.values()].map(({ joint, state, waits, sinceMs }): Wrong => ({
    joint: joint.joint,
    title: joint.title,
    says: causeOf(joint),
    label: joint.label,
    state,
    waits: [...waits.values()].slice(0, mostWaits),
    count: waits.size,
    ...(joint.evidence[0] ? { evidence: joint.evidence[0] } : {}),
    ...(sinceMs === undefined ? {} : { sinceMs })
  }));
  const weight = (one: Wrong) => (one.state === 'broken' ? 1e6 : 0) + one.count;
  return {
    items: items.sort(
      (a, b) => weight(b) - weight(a) || jointIds.indexOf(a.joint) - jointIds.indexOf(b.joint) || (a.sinceMs ?? 0) - (b.sinceMs ?? 0)
    ),
    looked,
    unseen
  };
}

import { isReady, keyOf, refOf, type ApiObject, type Facts, type Kind, type Ref } from '../../model';
import { eventsAbout, scopeIn, timeOf } from '../../exports';
import { rootLine, type Joint, type RootLine } from '../chain';
import { breakOf, causeOf, lineSentence } from '../sentence';
import { jointIds, type Evidence, type JointId } from '../types';
import { wrongCondition, wantedOf, podsOf, type Owner } from './subjects';
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

/** Subjects of an export that aren't plainly well. Whoever belongs to one of them isn't asked about by itself. */
function suspects(facts: Facts): { refs: Ref[]; looked: number } {
  const refs: Ref[] = [];
  let looked = 0;
  const take = <K extends Kind>(kind: K, doubtful: (one: ApiObject) => boolean) => {
    for (const one of facts.list(kind) as ApiObject[]) {
      looked += 1;
      if (doubtful(one)) refs.push(refOf(one));
    }
  };
  take(
    'Node',
    (one) =>
      (one as { status?: { conditions?: { type: string; status: string }[] } }).status?.conditions?.some((two) =>
        two.type === 'Ready' ? two.status !== 'True' : /Pressure|Unavailable/.test(two.type) && two.status === 'True'
      ) ?? false
  );
  take(
    'Namespace',
    (one) => one.metadata.deletionTimestamp !== undefined || (one as { status?: { phase?: string } }).status?.phase === 'Terminating'
  );
  const covered = new Set<string>();
  const coverPods = (pods: readonly ApiObject[]) => pods.forEach((one) => covered.add(keyOf(refOf(one))));
  for (const kind of ['StatefulSet', 'Deployment', 'DaemonSet', 'Job'] as const)
    take(kind, (one) => {
      if (one.kind === 'StatefulSet') {
        const pods = facts.ownedBy(one.metadata.uid ?? '-').filter((two): two is ApiObject & { kind: 'Pod' } => two.kind === 'Pod');
        coverPods(pods);
        const wanted = one.spec.replicas ?? 1;
        return (
          pods.some((two) => stageOf(two) !== 'ready' && stageOf(two) !== 'ended') ||
          pods.filter(isReady).length < wanted ||
          (one.status?.readyReplicas ?? wanted) < wanted
        );
      }
      const owner = one as Owner;
      const pods = podsOf(facts, owner);
      coverPods(pods);
      for (const two of facts.ownedBy(one.metadata.uid ?? '-'))
        if (two.kind === 'ReplicaSet') coverPods(facts.ownedBy(two.metadata.uid ?? '-'));
      if (one.kind === 'Job')
        return (
          one.status?.conditions?.some((two) => two.type === 'Failed' && two.status === 'True') ||
          pods.some((two) => !['ready', 'ended', 'failed'].includes(stageOf(two)))
        );
      return pods.some((two) => stageOf(two) !== 'ready') || pods.filter(isReady).length < wantedOf(owner);
    });
  take(
    'Pod',
    (one) =>
      !covered.has(keyOf(refOf(one))) && !['ready', 'ended'].includes(stageOf(one as ApiObject & { kind: 'Pod' })) && !owned(facts, one)
  );
  take('PersistentVolumeClaim', (one) => {
    const claim = one as ApiObject & { kind: 'PersistentVolumeClaim' };
    const asked = claim.spec.resources.requests.storage;
    return (
      claim.status?.phase !== 'Bound' ||
      claim.metadata.deletionTimestamp !== undefined ||
      (claim.status.capacity?.storage !== undefined && claim.status.capacity.storage !== asked)
    );
  });
  take(
    'PersistentVolume',
    (one) =>
      (one as { status?: { phase?: string } }).status?.phase === 'Failed' ||
      one.metadata.deletionTimestamp !== undefined ||
      eventsAbout(facts, one).some((two) => two.reason === 'VolumeFailedDelete')
  );
  take('VolumeSnapshot', (one) => (one as { status?: { readyToUse?: boolean } }).status?.readyToUse !== true);
  take('Service', () => true);
  for (const one of scopeIn(facts).others) {
    looked += 1;
    if (wrongCondition(one.conditions) ?? /^(failed|error|degraded)$/i.test(one.tells?.phase ?? ''))
      refs.push({ kind: one.kind, namespace: one.namespace, name: one.name } as unknown as Ref);
  }
  return { refs, looked };
}

/** Whether a failed pod was replaced by its owner: then it is history. */
const owned = (facts: Facts, pod: ApiObject): boolean =>
  (pod.metadata.ownerReferences ?? []).some(
    (one) => one.kind !== 'Node' && facts.get(one.kind as Kind, pod.metadata.namespace ?? '', one.name) !== undefined
  );

/** What makes two breaks the same cause: the joint, what it speaks of, and what was said without the names of who waits. */
function causeKey(joint: Joint, line: RootLine): string {
  const bare = joint.says
    .replaceAll(line.subject.name, '·')
    .replace(/[0-9a-f]{8}-[0-9a-f-]{20,}|pvc-[\w-]+/g, '·')
    .replace(/\b\d[\d,.:]*\b/g, '#');
  const shared = ['backend', 'rights', 'driver', 'class', 'quota', 'admitted', 'node', 'target'].includes(joint.joint);
  return shared
    ? `${joint.joint}|${joint.label.replaceAll(line.subject.name, '·')}|${joint.joint === 'driver' || joint.joint === 'node' ? '' : bare}`
    : `${joint.joint}|${joint.objects.map(keyOf).join()}|${bare}`;
}

/** Overdue joints count as well: nobody knows why, and somebody has to look. */
const overdueOf = (line: RootLine): Joint | undefined => line.joints.find((one) => one.overdueSinceMs !== undefined);

const sinceOf = (facts: Facts, joint: Joint): number | undefined => {
  const told = joint.evidence.map((one) => one.atMs).filter((one): one is number => one !== undefined);
  return joint.overdueSinceMs ?? (told.length ? Math.min(...told) : timeOf(undefined));
};

/** All first breaks of an export, grouped by cause, the one that most wait on first. What is well is not named. */
export function whatIsWrong(facts: Facts): WrongView {
  const { refs, looked } = suspects(facts);
  const found = new Map<string, { joint: Joint; state: Wrong['state']; waits: Ref[]; sinceMs: number | undefined }>();
  const unseen: { ref: Ref; says: string }[] = [];
  const told = new Set<string>();
  const note = (joint: Joint, state: Wrong['state'], line: RootLine, waits: readonly Ref[]) => {
    const key = causeKey(joint, line);
    const known = found.get(key) ?? { joint, state, waits: [], sinceMs: undefined };
    if (!found.has(key)) found.set(key, known);
    const sinceMs = sinceOf(facts, joint);
    if (sinceMs !== undefined) known.sinceMs = Math.min(known.sinceMs ?? sinceMs, sinceMs);
    for (const ref of waits) {
      told.add(keyOf(ref));
      if (!known.waits.some((one) => keyOf(one) === keyOf(ref))) known.waits.push(ref);
    }
  };
  for (const ref of refs) {
    // A claim is told with the member that mounts it.
    if (ref.kind === 'PersistentVolumeClaim' && facts.podsOfClaim(ref.namespace, ref.name).some((pod) => told.has(keyOf(refOf(pod)))))
      continue;
    const line = rootLine(facts, ref);
    if (!line) continue;
    const broken = line.joints.filter((one) => one.state === 'broken');
    const trunks = line.trunks.map((trunk, i) => ({ trunk, first: broken.find((one) => one.trunks.includes(i)) }));
    for (const { trunk, first } of trunks) if (first) note(first, 'broken', line, trunk.ref.name.endsWith('…') ? [ref] : [trunk.ref]);
    const overdue = overdueOf(line);
    const quiet = (overdue?.trunks ?? []).filter((i) => !trunks[i]!.first);
    if (overdue && quiet.length)
      note(
        overdue,
        'unseen',
        line,
        quiet.map((i) => line.trunks[i]!.ref)
      );
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
    waits: waits.slice(0, mostWaits),
    count: waits.length,
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

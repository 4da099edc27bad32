import { standingPrint } from './freshness';
import { memberClaim, ordinalIn, ordinalsOf, type StatefulSet } from '../model';
import { assetOf, workloadOf, type Change, takesNoWrites } from '../standin';
import { claims } from './claims';
import { certificate, credentials, encryption, matrix, places, reach, refuses, sizes } from './engine-checks';
import { brokerLost, files, images, objects, produced, series, shards, tunnel } from './store-checks';
import { podsIn, type Workload } from './workload';
import { data } from './data';
import { names } from './names';
import { order } from './order';
import { returns } from './returns';
import { shared } from './shared';
import { proofOf, type SetUnderProof, type Check, type EngineRule, type Proof, type ProofRule, type WorkloadUnderProof } from './types';

export { tryClass, type Trial } from './trial';
export type { SetUnderProof, Check, Matrix, Proof, ProofId } from './types';
export { isStale, standingPrint, type Standing } from './freshness';
export { podsOver, seatsOf, type Seat } from './over';
export { workloadNamed, partsIn, podsIn, type Workload } from './workload';

/** The proof pack for a set. Packs for kinds of workloads come with their engines. */
export const setPack: readonly ProofRule[] = [claims, order, names, data, shared, returns];

/** Runs the whole pack on a set at the present moment. */
export const prove = (subject: SetUnderProof): Proof[] =>
  setPack.filter((rule) => rule.applies?.(subject.set) ?? true).map((rule) => rule.run(subject));

/** Proofs through the engines' own interfaces, in the order in which they are shown. */
export const engineRules: readonly EngineRule[] = [
  places,
  reach,
  credentials,
  encryption,
  certificate,
  sizes,
  matrix,
  refuses,
  produced,
  brokerLost,
  objects,
  shards,
  series,
  tunnel,
  files,
  images
];

/** The titles of the proofs that suit a workload. */
export const packOf = (subject: WorkloadUnderProof): EngineRule[] =>
  subject.workload.engine === undefined
    ? []
    : engineRules.filter((rule) => (rule.engines?.includes(subject.workload.engine!) ?? true) && (rule.applies?.(subject) ?? true));

/** The same proof of several sets, as one. */
function merged(proofs: readonly Proof[]): Proof {
  const [first, ...rest] = proofs;
  if (!rest.length) return first!;
  const state = (['broken', 'waiting'] as const).find((one) => proofs.some((proof) => proof.state === one)) ?? 'holds';
  return {
    ...first!,
    state,
    says: proofs.map((one) => one.says).join('; '),
    checks: proofs.flatMap((one): readonly Check[] => one.checks)
  };
}

/** A proof of a workload that can't be run yet, and why. */
const waiting = ({ id, title }: EngineRule, subject: WorkloadUnderProof, says: string): Proof => ({
  id,
  title,
  state: 'waiting',
  says,
  atMs: subject.facts.nowMs,
  checks: []
});

/**
 * Runs all proofs of a workload, one after the other, so that whoever runs them can do something else in between: those of its sets, then
 * those through its engine. Each that writes or breaks something does so on a fork.
 */
export function* proveWorkload(subject: WorkloadUnderProof & Pick<SetUnderProof, 'changes'>): Generator<void, Proof[]> {
  const { workload, facts } = subject;
  const proofs: Proof[] = [];
  for (const rule of setPack) {
    // Rows in volumes are read where an engine keeps rows; what others keep is proved through them.
    if (workload.engine !== undefined && (rule.id === 'shared' || (rule.id === 'data' && !keepsRows(subject)))) continue;
    const mine = workload.sets.filter((set) => rule.applies?.(set) ?? true).map((set) => rule.run({ ...subject, set }));
    if (mine.length) proofs.push(merged(mine));
    yield;
  }
  const runs = podsIn(facts, workload).some((pod) => facts.get('Process', workload.namespace, pod.metadata.name));
  const follows = takesNoWrites(facts, workload.namespace, workload.name);
  for (const rule of packOf(subject)) {
    if (!runs) proofs.push(waiting(rule, subject, 'no member runs yet that could be asked'));
    else if (rule.writes && follows) proofs.push(waiting(rule, subject, follows));
    else {
      const { checks, says, matrix: cells } = rule.checks(subject);
      const proof = proofOf(rule, facts, checks, says, 'Tried on a fork of this moment; this rehearsal itself was not touched.');
      proofs.push(cells ? { ...proof, matrix: cells } : proof);
    }
    yield;
  }
  const stands = standingPrint(facts, workload);
  return proofs.map((one) => ({ ...one, stands }));
}

const keepsRows = ({ facts, workload }: WorkloadUnderProof): boolean =>
  podsIn(facts, workload).some((pod) => assetOf(facts, pod)?.status?.store !== undefined);

/** All proofs of a workload at once. */
export function provedWorkload(subject: WorkloadUnderProof & Pick<SetUnderProof, 'changes'>): Proof[] {
  const run = proveWorkload(subject);
  for (;;) {
    const step = run.next();
    if (step.done) return step.value;
  }
}

/**
 * When what a set's proofs speak of last changed (virtual ms): the set's own wish, its members made or ended, its claims, the services
 * of its namespace. A proof older than this is stale.
 */
export function lastTouchedMs(set: StatefulSet, changes: readonly Change[]): number {
  const namespace = set.metadata.namespace ?? '';
  const names = new Set(
    ordinalsOf(set).flatMap((ordinal) => (set.spec.volumeClaimTemplates ?? []).map((one) => memberClaim(one.metadata.name, set, ordinal)))
  );
  for (let i = changes.length - 1; i >= 0; i -= 1) {
    const { before, after, atMs } = changes[i]!;
    const object = after ?? before!;
    if (object.metadata.namespace !== namespace) continue;
    if (
      object.kind === 'StatefulSet' &&
      object.metadata.name === set.metadata.name &&
      before?.metadata.generation !== after?.metadata.generation
    )
      return atMs;
    if (object.kind === 'Pod' && ordinalIn(set, object.metadata.name) !== undefined && (!before || !after)) return atMs;
    if (object.kind === 'PersistentVolumeClaim' && names.has(object.metadata.name) && (!before || !after || before.status !== after.status))
      return atMs;
    if (object.kind === 'Service' && (!before || !after || before.spec !== after.spec)) return atMs;
  }
  return 0;
}

/** When what a workload's proofs speak of last changed (virtual ms): its sets, as above, and whatever else of it came or went. */
export function lastTouchedWorkloadMs(workload: Workload, changes: readonly Change[]): number {
  const latest = Math.max(0, ...workload.sets.map((set) => lastTouchedMs(set, changes)));
  if (!workload.deployments.length && !workload.daemonSets.length) return latest;
  for (let i = changes.length - 1; i >= 0 && changes[i]!.atMs > latest; i -= 1) {
    const { before, after, atMs } = changes[i]!;
    const object = after ?? before!;
    if (
      object.kind === 'Pod' &&
      (!before || !after) &&
      object.metadata.namespace === workload.namespace &&
      workloadOf(object) === workload.name
    )
      return atMs;
  }
  return latest;
}

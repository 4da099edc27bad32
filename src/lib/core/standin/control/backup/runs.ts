import { bytesOf, epochMs, momentOf } from '../../../shared';
import { refOf, type BackupPlan, type BackupRun, type Claim, type Facts, type Ref } from '../../../model';
import { z } from 'zod';
import { engineCards, type EngineCard } from '../../cards/engines';
import { splitKey, type ClusterAccess } from '../loop';
import { asked, carriedBytes, engineRunning, readJson, workloadRef, type Asked } from './asking';
import { carriedMs } from './pace';

const tableText = z.string().refine((text) => readJson(z.array(z.tuple([z.string(), z.string()])), text) !== undefined);
/** A copy as it lies in a bucket, where anybody may have put something else. */
export const copyDocument = z.object({
  workload: z.string(),
  engine: z.string(),
  position: z.number(),
  momentMs: z.number(),
  checksum: z.string(),
  /** All tables in one text. */
  tables: tableText
});
/** A copy of a workload's tables. */
export type CopyDocument = z.infer<typeof copyDocument>;

/** What a run has in hand between two calls. */
interface Hand {
  readonly copy: CopyDocument;
  readonly rows: number;
  readonly bytes: number;
  readonly dueMs: number;
}

/** So long a snapshot that fails is waited for; made up. */
const snapshotPatienceMs = 300_000;
/** Snapshots whose moments lie further apart than this aren't one moment's. Stamps count whole seconds. */
const oneMomentMs = 2_000;

/** Why it failed, what helps, and where to look. */
export interface Broken {
  readonly says: string;
  readonly remedy: string;
  readonly at: Ref;
}

function end(world: ClusterAccess, run: BackupRun, more: Partial<NonNullable<BackupRun['status']>>): void {
  const key = `BackupRun ${run.metadata.namespace}/${run.metadata.name}`;
  world.memory<Hand>('backupHands').delete(key);
  world.end(key, 'carrying');
  world.put({ ...run, status: { ...run.status!, ...more, endedMs: world.nowMs } });
}

function fail(world: ClusterAccess, run: BackupRun, { says, remedy, at }: Broken): void {
  world.event(run, 'BackupFailed', `${says}.`, 'Warning');
  end(world, run, { phase: 'Failed', says, remedy, at: { ...at } });
}

/** Where the copies of a plan go, and why nothing can be put there; undefined where it can be tried. */
export function bucketFault(facts: Facts, { spec, metadata }: BackupPlan): Broken | undefined {
  const { into } = spec;
  const at = { kind: 'BackupPlan', namespace: metadata.namespace ?? '', name: metadata.name } as const;
  if (!into) return { says: 'the plan names no bucket', remedy: 'Name one in spec.into: namespace, store and bucket.', at };
  const engine = engineRunning(facts, into.namespace, into.store);
  if (engine === 'object-store') return undefined;
  return engine === undefined
    ? {
        says: `nothing of the store ${into.namespace}/${into.store} runs`,
        remedy: 'See its root line, or name another store.',
        at: workloadRef(facts, into.namespace, into.store)
      }
    : { says: `${into.namespace}/${into.store} is no object store`, remedy: 'Name one that is.', at };
}

/** What a refusal of the store means for a plan. */
export function putFault(facts: Facts, { spec }: BackupPlan, { says = '' }: Asked): Broken {
  const { namespace, store: name, bucket } = spec.into!;
  return {
    says: `the store ${namespace}/${name} took nothing: ${says}`,
    remedy: says.includes('no bucket')
      ? `Make the bucket ${bucket} in its console.`
      : 'See the root line of the store; the next run tries again.',
    at: workloadRef(facts, namespace, name)
  };
}

/** Why nothing can be copied through the engine of a plan's workload; undefined where it can be tried. */
export function engineFault(facts: Facts, { spec, metadata }: BackupPlan): Broken | undefined {
  const namespace = metadata.namespace ?? '';
  const engine = engineRunning(facts, namespace, spec.workload);
  if (engine === undefined)
    return {
      says: `nothing of ${namespace}/${spec.workload} runs that could be copied`,
      remedy: 'See its root line; the next run tries again.',
      at: workloadRef(facts, namespace, spec.workload)
    };
  if ((engineCards[engine] as EngineCard | undefined)?.copies) return undefined;
  return {
    says: `the engine ${engine} hands out no copy of what it holds`,
    remedy: 'Take snapshots of its volumes (how: snapshots).',
    at: workloadRef(facts, namespace, spec.workload)
  };
}

function byCopy(world: ClusterAccess, run: BackupRun, plan: BackupPlan, key: string): void {
  const namespace = run.metadata.namespace ?? '';
  const hands = world.memory<Hand>('backupHands');
  const hand = hands.get(key);
  if (!hand) {
    const broken = engineFault(world.store, plan) ?? bucketFault(world.store, plan);
    if (broken) return fail(world, run, broken);
    const got = asked(world, key, 'copy', { namespace, workload: plan.spec.workload }, { do: 'copy' });
    if (!got) return;
    const tables = got.rows?.[0]?.[1];
    if (got.outcome !== 'acknowledged' || tables === undefined)
      return fail(world, run, {
        says: `${plan.spec.workload} handed out nothing: ${got.says ?? 'nobody answered'}`,
        remedy: 'See its root line; the next run tries again.',
        at: workloadRef(world.store, namespace, plan.spec.workload)
      });
    const bytes = Math.max(tables.length, carriedBytes(world.store, namespace, plan.spec.workload));
    const spanMs = carriedMs(bytes, 'out');
    const dueMs = world.nowMs + world.duration('carrying', key, spanMs);
    world.begin(key, 'carrying', spanMs);
    const copy: CopyDocument = {
      workload: plan.spec.workload,
      engine: engineRunning(world.store, namespace, plan.spec.workload) ?? '',
      position: got.version ?? 0,
      momentMs: got.answeredMs ?? world.nowMs,
      checksum: got.checksum ?? '',
      tables
    };
    hands.set(key, { copy, rows: got.count ?? 0, bytes, dueMs });
    return world.after(dueMs - world.nowMs, key);
  }
  if (world.nowMs < hand.dueMs) return world.after(hand.dueMs - world.nowMs, key);
  const broken = bucketFault(world.store, plan);
  if (broken) return fail(world, run, broken);
  const { namespace: at, store, bucket } = plan.spec.into!;
  const object = `${namespace}.${plan.metadata.name}/copy-${run.metadata.name}`;
  const put = asked(
    world,
    key,
    'put',
    { namespace: at, workload: store },
    { do: 'put', place: bucket, key: object, value: JSON.stringify(hand.copy) }
  );
  if (!put) return;
  if (put.outcome !== 'acknowledged') return fail(world, run, putFault(world.store, plan, put));
  const { copy, rows, bytes } = hand;
  const { position, momentMs, checksum } = copy;
  world.event(run, 'BackupDone', `${rows} rows at position ${position} lie in ${bucket} as ${object}.`);
  end(world, run, { phase: 'Done', says: `${rows} rows at position ${position}`, position, momentMs, checksum, rows, bytes, key: object });
}

/** The claims that a workload's programs keep things in. */
function claimsOf(facts: Facts, namespace: string, workload: string): Claim[] {
  const names = facts
    .list('Process', namespace)
    .filter((one) => one.spec.workload === workload && one.spec.part !== 'helper')
    .flatMap((one) => facts.get('Pod', namespace, one.metadata.name)?.spec.volumes ?? [])
    .flatMap((one) => one.persistentVolumeClaim?.claimName ?? []);
  return [...new Set(names)].sort().flatMap((name) => facts.get('PersistentVolumeClaim', namespace, name) ?? []);
}

function bySnapshots(world: ClusterAccess, run: BackupRun, plan: BackupPlan, key: string): void {
  const namespace = run.metadata.namespace ?? '';
  const { workload, snapshotClass } = plan.spec;
  if (!run.status?.snapshots) {
    const claims = claimsOf(world.store, namespace, workload);
    if (!claims.length)
      return fail(world, run, {
        says: `nothing of ${namespace}/${workload} runs that has a claim`,
        remedy: 'See its root line; the next run tries again.',
        at: workloadRef(world.store, namespace, workload)
      });
    const made = claims.map((claim) => `${run.metadata.name}-${claim.metadata.name}`);
    claims.forEach((claim, i) =>
      world.put({
        apiVersion: 'snapshot.storage.k8s.io/v1',
        kind: 'VolumeSnapshot',
        metadata: { name: made[i]!, namespace, annotations: { [ofRunMark]: key } },
        spec: {
          source: { persistentVolumeClaimName: claim.metadata.name },
          ...(snapshotClass === undefined ? {} : { volumeSnapshotClassName: snapshotClass })
        }
      })
    );
    world.put({ ...run, status: { ...run.status!, snapshots: made } });
    return world.after(snapshotPatienceMs, key);
  }
  const all = run.status.snapshots.map((name) => ({ name, one: world.store.get('VolumeSnapshot', namespace, name) }));
  const gone = all.find(({ one }) => !one);
  const failing = all.find(({ one }) => one?.status?.error);
  const late = world.nowMs - run.status.beganMs >= snapshotPatienceMs;
  const stop = (broken: Broken) => {
    for (const { one } of all) if (one) world.remove(refOf(one));
    fail(world, run, broken);
  };
  if (gone)
    return stop({
      says: `the snapshot ${gone.name} was taken away`,
      remedy: 'Run it again.',
      at: workloadRef(world.store, namespace, workload)
    });
  const ready = all.every(({ one }) => one!.status?.readyToUse);
  if (!ready && !late) return world.after(run.status.beganMs + snapshotPatienceMs - world.nowMs, key);
  if (!ready) {
    const { name, one } = failing ?? all.find(({ one: each }) => !each!.status?.readyToUse)!;
    return stop({
      says: `the snapshot ${name} is not there after 5 min${one!.status?.error?.message ? `: ${one!.status.error.message.replace(/\.$/, '')}` : ''}`,
      remedy: 'See its root line; the next run tries again.',
      at: { kind: 'PersistentVolumeClaim', namespace, name: one!.spec.source.persistentVolumeClaimName ?? '' }
    });
  }
  const moments = all.map(({ one }) => momentOf(one!.status!.creationTime!));
  const [first, last] = [Math.min(...moments), Math.max(...moments)];
  if (last - first > oneMomentMs)
    return stop({
      says: `its snapshots are of different moments: ${Math.round((last - first) / 1_000)} s lie between the first and the last, and members may not agree`,
      remedy: 'See why the late one waited, and run it again.',
      at: workloadRef(world.store, namespace, workload)
    });
  const bytes = all.reduce((sum, { one }) => sum + bytesOf(one!.status?.restoreSize ?? '0'), 0);
  world.event(run, 'BackupDone', `${all.length} snapshots of one moment are ready.`);
  end(world, run, { phase: 'Done', says: `${all.length} snapshots of one moment`, momentMs: first, bytes });
}

/** Which run a snapshot belongs to (an annotation, invented). */
export const ofRunMark = 'standin.example/backup-run';

/** Makes one copy. */
export function reconcileRun(world: ClusterAccess, key: string, id: string): void {
  const [namespace, name] = splitKey(id);
  const run = world.store.get('BackupRun', namespace, name);
  if (!run || run.metadata.deletionTimestamp || run.status?.phase === 'Done' || run.status?.phase === 'Failed') {
    if (!run) world.memory<Hand>('backupHands').delete(key);
    return;
  }
  const begun = run.status ? run : world.put({ ...run, status: { phase: 'Running' as const, beganMs: world.nowMs } });
  const plan = world.store.get('BackupPlan', namespace, run.spec.plan);
  if (!plan)
    return fail(world, begun, {
      says: `there is no plan ${namespace}/${run.spec.plan}`,
      remedy: 'Name one that stands.',
      at: { kind: 'BackupRun', namespace, name }
    });
  if (plan.spec.how === 'snapshots') bySnapshots(world, begun, plan, key);
  else byCopy(world, begun, plan, key);
}

/** The calendar's minute of a moment, as it stands in names of runs. */
export const minuteOf = (atMs: number): number => Math.round((epochMs + atMs) / 60_000);

import { bytesOf, momentOf, same } from '../../../shared';
import { refOf, type BackupPlan, type BackupRun } from '../../../model';
import { splitKey, type ClusterAccess } from '../loop';
import { asked, dropAsks } from './asking';
import { changesSince, printsOf, sealedText, type CopyDocument, type Prints } from './documents';
import {
  bucketFault,
  carriedBytes,
  chainTo,
  doneOf,
  engineFault,
  engineRunning,
  podsRunning,
  putFault,
  runsOf,
  sealOf,
  isFar,
  linkPerSecond,
  objectOf,
  storeOf,
  workloadRef,
  type Broken
} from './facts';
import { carriedMs } from './pace';

/** What a run has in hand between two calls. */
interface Hand {
  readonly copy: CopyDocument;
  readonly rows: number;
  readonly bytes: number;
  readonly dueMs: number;
  /** Of all that the engine held. */
  readonly prints: Prints;
}

/** What whoever copies remembers of a plan's last copy: which one it was, and what it held. */
interface Remembered {
  readonly run: string;
  readonly prints: Prints;
}

/** So long a snapshot that fails is waited for; made up. */
const snapshotPatienceMs = 300_000;
/** Snapshots whose moments lie further apart than this aren't one moment's; made up. Stamps count whole seconds. */
const oneMomentMs = 2_000;
/** Which run a snapshot belongs to (an annotation, invented). */
export const ofRunMark = 'standin.example/backup-run';

function end(world: ClusterAccess, run: BackupRun, key: string, more: Partial<NonNullable<BackupRun['status']>>): void {
  world.memory<Hand>('backupHands').delete(key);
  dropAsks(world, key);
  world.end(key, 'carrying');
  world.put({ ...run, status: { ...run.status!, ...more, endedMs: world.nowMs } });
}

function fail(world: ClusterAccess, run: BackupRun, key: string, { says, remedy, at }: Broken): void {
  world.event(run, 'BackupFailed', `${says}.`, 'Warning');
  end(world, run, key, { phase: 'Failed', says, remedy, at: { ...at } });
}

const planKey = ({ metadata }: BackupPlan): string => `${metadata.namespace}/${metadata.name}`;

/** The copy that a next one can build on; undefined where it has to be whole: by the plan, or because nothing is remembered, or lies elsewhere. */
function baseOf(world: ClusterAccess, plan: BackupPlan): Remembered | undefined {
  const { fullEvery, into } = plan.spec;
  const known = world.memory<Remembered>('lastCopies').get(planKey(plan));
  if (fullEvery <= 1 || !known) return undefined;
  const done = doneOf(runsOf(world.store, plan.metadata.namespace ?? '', plan.metadata.name));
  const last = done.find((one) => one.name === known.run);
  const chain = last && chainTo(done, last);
  const here = chain?.every(({ status }) => same(status?.into, into));
  return here && chain!.length < fullEvery ? known : undefined;
}

function byCopy(world: ClusterAccess, run: BackupRun, plan: BackupPlan, key: string): void {
  const namespace = run.metadata.namespace ?? '';
  const { workload, into } = plan.spec;
  const stop = (broken: Broken) => fail(world, run, key, broken);
  if (!into)
    return stop({ says: 'the plan names no bucket', remedy: 'Name one in spec.into: namespace, store and bucket.', at: refOf(plan) });
  // Each copy would hold those before it, and putting one back would throw them away.
  if (!isFar(world.store, into) && into.namespace === namespace && into.store === workload)
    return stop({ says: `${workload} would copy its own copies`, remedy: 'Name a bucket of another store.', at: refOf(plan) });
  const hands = world.memory<Hand>('backupHands');
  const hand = hands.get(key);
  const fault = (hand ? undefined : engineFault(world.store, namespace, workload)) ?? bucketFault(world.store, into);
  if (fault) return stop(fault);
  const seal = sealOf(world.store, plan);
  if (typeof seal === 'object') return stop(seal);
  if (!hand) {
    const got = asked(world, key, 'copy', { namespace, workload }, { do: 'copy' });
    if (!got) return;
    const tables = got.rows?.[0]?.[1];
    if (got.outcome !== 'acknowledged' || tables === undefined)
      return stop({
        says: `${workload} handed out nothing: ${got.says ?? 'nobody answered'}`,
        remedy: 'See its root line; the next run tries again.',
        at: workloadRef(world.store, namespace, workload)
      });
    const base = baseOf(world, plan);
    const changes = base && changesSince(tables, base.prints);
    // Of what the volumes hold so much is carried as has changed.
    const share = changes ? changes.tables.length / Math.max(1, tables.length) : 1;
    const kept = changes?.tables ?? tables;
    // What the stand-in drew by rule weighs what it is, not what the rule takes.
    const held = Math.max(tables.length, got.bytes ?? 0, carriedBytes(world.store, namespace, workload));
    const bytes = Math.max(kept.length, Math.round(held * Math.min(1, share)));
    const spanMs = carriedMs(bytes, 'out', linkPerSecond(world.store, into));
    const dueMs = world.nowMs + world.duration('carrying', key, spanMs);
    world.begin(key, 'carrying', spanMs);
    const copy: CopyDocument = {
      workload,
      engine: engineRunning(world.store, namespace, workload) ?? '',
      position: got.version ?? 0,
      momentMs: got.answeredMs ?? world.nowMs,
      checksum: got.checksum ?? '',
      tables: kept,
      ...(base && changes ? { base: base.run, gone: changes.gone } : {})
    };
    hands.set(key, { copy, rows: got.count ?? 0, bytes, dueMs, prints: printsOf(tables) });
    return world.after(dueMs - world.nowMs, key);
  }
  if (world.nowMs < hand.dueMs) return world.after(hand.dueMs - world.nowMs, key);
  const object = objectOf(world.store, plan, into, `copy-${run.metadata.name}`);
  const op = {
    do: 'put',
    place: into.bucket,
    key: object,
    value: seal === undefined ? JSON.stringify(hand.copy) : sealedText(JSON.stringify(hand.copy), seal, object)
  };
  const put = asked(world, key, 'put', storeOf(into), op);
  if (!put) return;
  if (put.outcome !== 'acknowledged') return stop(putFault(world.store, into, put.says));
  const { copy, rows, bytes, prints } = hand;
  const { position, momentMs, checksum, base } = copy;
  world.memory<Remembered>('lastCopies').set(planKey(plan), { run: run.metadata.name, prints });
  world.event(
    run,
    'BackupDone',
    `${position ? `${rows} rows at position ${position} lie` : `${rows} in all lie`} in ${into.bucket} as ${object}.`
  );
  // Files and images have no positions.
  const all = position ? `${rows} rows at position ${position}` : `${rows} in all`;
  const says = base === undefined ? all : `${all}, as changes since ${base}`;
  const more = { ...(base === undefined ? {} : { base }), ...(seal === undefined ? {} : { sealed: true }) };
  end(world, run, key, { phase: 'Done', says, position, momentMs, checksum, rows, bytes, key: object, into: { ...into }, ...more });
}

/** Asks for all snapshots of a run in one moment. Gives why that can't be done. */
function takeAll(world: ClusterAccess, run: BackupRun, plan: BackupPlan, key: string): Broken | undefined {
  const namespace = run.metadata.namespace ?? '';
  const { workload, snapshotClass } = plan.spec;
  const at = workloadRef(world.store, namespace, workload);
  const claims = podsRunning(world.store, namespace, workload)
    .flatMap((pod) => pod.spec.volumes ?? [])
    .flatMap((one) => one.persistentVolumeClaim?.claimName ?? []);
  const wanted = [...new Set(claims)].sort().map((claim) => ({ claim, name: `${run.metadata.name}-${claim}` }));
  if (!wanted.length)
    return {
      says: `nothing of ${namespace}/${workload} runs that has a claim`,
      remedy: 'See its root line; the next run tries again.',
      at
    };
  const taken = wanted.find(({ name }) => world.store.get('VolumeSnapshot', namespace, name));
  if (taken)
    return { says: `there is a snapshot ${taken.name} already`, remedy: 'Give the run another name, or take that snapshot away.', at };
  for (const { claim, name } of wanted)
    world.put({
      apiVersion: 'snapshot.storage.k8s.io/v1',
      kind: 'VolumeSnapshot',
      metadata: { name, namespace, annotations: { [ofRunMark]: key } },
      spec: {
        source: { persistentVolumeClaimName: claim },
        ...(snapshotClass === undefined ? {} : { volumeSnapshotClassName: snapshotClass })
      }
    });
  world.put({ ...run, status: { ...run.status!, snapshots: wanted.map(({ name }) => name) } });
  world.after(snapshotPatienceMs, key);
  return undefined;
}

function bySnapshots(world: ClusterAccess, run: BackupRun, plan: BackupPlan, key: string): void {
  const namespace = run.metadata.namespace ?? '';
  const at = workloadRef(world.store, namespace, plan.spec.workload);
  if (!run.status?.snapshots) {
    const broken = takeAll(world, run, plan, key);
    return broken && fail(world, run, key, broken);
  }
  const all = run.status.snapshots.flatMap((name) => world.store.get('VolumeSnapshot', namespace, name) ?? []);
  const stop = (broken: Broken) => {
    for (const one of all) world.remove(refOf(one));
    fail(world, run, key, broken);
  };
  if (all.length < run.status.snapshots.length) return stop({ says: 'one of its snapshots was taken away', remedy: 'Run it again.', at });
  const late = all.filter((one) => !one.status?.readyToUse);
  const leftMs = run.status.beganMs + snapshotPatienceMs - world.nowMs;
  if (late.length && leftMs > 0) return world.after(leftMs, key);
  const worst = late.find((one) => one.status?.error) ?? late[0];
  if (worst) {
    const why = worst.status?.error?.message?.replace(/\.$/, '');
    return stop({
      says: `the snapshot ${worst.metadata.name} is not there after 5 min${why === undefined ? '' : `: ${why}`}`,
      remedy: 'See its root line; the next run tries again.',
      at: { kind: 'PersistentVolumeClaim', namespace, name: worst.spec.source.persistentVolumeClaimName ?? '' }
    });
  }
  const moments = all.map((one) => momentOf(one.status!.creationTime!));
  const [first, last] = [Math.min(...moments), Math.max(...moments)];
  if (last - first > oneMomentMs)
    return stop({
      says: `its snapshots are of different moments: ${Math.round((last - first) / 1_000)} s lie between the first and the last, and members may not agree`,
      remedy: 'See why the late one waited, and run it again.',
      at
    });
  const bytes = all.reduce((sum, one) => sum + bytesOf(one.status?.restoreSize ?? '0'), 0);
  world.event(run, 'BackupDone', `${all.length} snapshots of one moment are ready.`);
  end(world, run, key, { phase: 'Done', says: `${all.length} snapshots of one moment`, momentMs: first, bytes });
}

/** Makes one copy. */
export function reconcileRun(world: ClusterAccess, key: string, id: string): void {
  const run = world.store.get('BackupRun', ...splitKey(id));
  if (!run) {
    world.memory<Hand>('backupHands').delete(key);
    return dropAsks(world, key);
  }
  if (run.status?.phase === 'Done' || run.status?.phase === 'Failed') return;
  const begun = run.status ? run : world.put({ ...run, status: { phase: 'Running' as const, beganMs: world.nowMs } });
  const namespace = run.metadata.namespace ?? '';
  const plan = world.store.get('BackupPlan', namespace, run.spec.plan);
  if (!plan)
    return fail(world, begun, key, {
      says: `there is no plan ${namespace}/${run.spec.plan}`,
      remedy: 'Name one that stands.',
      at: refOf(run)
    });
  if (plan.spec.how === 'snapshots') bySnapshots(world, begun, plan, key);
  else byCopy(world, begun, plan, key);
}

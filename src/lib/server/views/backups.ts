import {
  besideObjects,
  claimsFromSnapshots,
  askedOf,
  figuresOf,
  judgeBackup,
  latestMs,
  nextRunMs,
  returnsOf,
  roomAhead,
  roomsAhead,
  type Asked,
  type BackupFinding,
  type Figures,
  type RoomAhead
} from '$core/backups';
import { writeManifests } from '$core/manifest';
import type { BackupPlan, Facts } from '$core/model';
import { doneOf, engineCards, engineRunning, handsOutLog, isFar, runByHand, runsOf } from '$core/standin';
import { workloadNamed } from '$core/proofs';
import { blueprintOf, workloadsOf, type PlainRef, type Scene } from './scene';

/** One copy, as its sheet shows it. Moments are virtual ms. */
export interface RunShown {
  readonly name: string;
  readonly phase: 'Running' | 'Done' | 'Failed';
  readonly beganMs: number;
  readonly endedMs?: number;
  readonly momentMs?: number;
  readonly says: string;
  readonly remedy: string;
  readonly at?: PlainRef;
  readonly bytes?: number;
  /** The copy that it holds the changes since. */
  readonly base?: string;
}

/** A copy that was put back, or is being. */
export interface ReturnShown {
  readonly name: string;
  readonly phase: 'Waiting' | 'Running' | 'Done' | 'Failed';
  readonly into: string;
  readonly says: string;
  readonly remedy: string;
  readonly at?: PlainRef;
  readonly beganMs: number;
  readonly endedMs?: number;
  readonly steps: readonly { readonly name: string; readonly fromMs: number; readonly toMs?: number }[];
}

/** A plan with what became of it. */
export interface PlanShown {
  readonly name: string;
  readonly how: BackupPlan['spec']['how'];
  readonly schedule: string;
  readonly timeZone: string;
  readonly suspend: boolean;
  /** Where its copies lie; the cluster where that is another one. */
  readonly into?: { readonly namespace: string; readonly store: string; readonly bucket: string; readonly cluster?: string };
  readonly snapshotClass?: string;
  readonly logEverySeconds: number;
  /** Every so many copies one is whole. */
  readonly fullEvery: number;
  /** The secret that copies are sealed with, and the key in it. */
  readonly seal?: { readonly secret: string; readonly key: string };
  readonly keep: { readonly newest: number; readonly days: number; readonly weeks: number; readonly months: number };
  readonly runs: readonly RunShown[];
  /** Pieces of the log, oldest first; what lies between two that don't meet lacks. */
  readonly pieces: readonly { readonly fromMs: number; readonly toMs: number }[];
  readonly figures: {
    readonly losesMs: number | null;
    readonly losesNowMs: number | null;
    /** The worse of the two; null: everything. */
    readonly couldLoseMs: number | null;
    readonly backMs: Figures['backMs'];
    readonly measuredMs: number | null;
    readonly bytes: number;
  };
  /** The room that its copies take from now on. */
  readonly room: {
    readonly points: readonly { readonly atMs: number; readonly copies: number; readonly bytes: number }[];
    readonly overMs: number;
    readonly mostBytes: number;
    /** What the store holds in all; null where copies lie with the volumes, or it can't be seen. */
    readonly storeBytes: number | null;
    readonly othersBytes: number;
  };
  /** The next run that is begun by hand, as text to send. */
  readonly byHand: string;
  readonly nextMs: number | null;
  readonly latestMs: number | null;
  readonly returns: readonly ReturnShown[];
}

/** A workload with the plans that copy it. */
export interface BackedUp {
  readonly namespace: string;
  readonly name: string;
  /** What it is, in a few words. */
  readonly kind: string;
  /** Whether it is known what its programs keep, so that they hand out copies. */
  readonly copies: boolean;
  /** What a part of what it keeps is called, e.g. `topic`: one can come back alone. */
  readonly place?: string;
  /** Whether it hands out its log, too. */
  readonly log: boolean;
  /** Whether it can be made anew beside itself by its manifests: it is a set. */
  readonly beside: boolean;
  readonly asked: Asked;
  /** What copies could be sealed with: names of secrets of its namespace with the keys in them, as `secret/key`. */
  readonly secrets: readonly string[];
  readonly plans: readonly PlanShown[];
  readonly findings: readonly BackupFinding[];
}

/** All workloads with their copies, and the stores that could take some: those of linked clusters too, with the cluster. */
export interface Backups {
  readonly workloads: readonly BackedUp[];
  readonly stores: readonly { readonly namespace: string; readonly name: string; readonly cluster?: string }[];
}

function planShown(facts: Scene['facts'], plan: BackupPlan, rooms: ReadonlyMap<string, RoomAhead>): PlanShown {
  const { name, namespace = '' } = plan.metadata;
  const { how, schedule, timeZone = 'UTC', suspend, into, snapshotClass, logEverySeconds, fullEvery, seal, keep } = plan.spec;
  const { losesMs = null, losesNowMs = null, couldLoseMs = null, backMs, measuredMs = null, bytes } = figuresOf(facts, plan);
  const { newest, days, weeks, months } = keep;
  const ahead = roomAhead(facts, plan, rooms);
  return {
    name,
    how,
    schedule,
    timeZone,
    suspend,
    ...(into
      ? {
          into: {
            namespace: into.namespace,
            store: into.store,
            bucket: into.bucket,
            ...(isFar(facts, into) ? { cluster: into.cluster! } : {})
          }
        }
      : {}),
    ...(snapshotClass === undefined ? {} : { snapshotClass }),
    logEverySeconds,
    fullEvery,
    ...(seal ? { seal: { secret: seal.secret, key: seal.key } } : {}),
    keep: { newest, days, weeks, months },
    runs: runsOf(facts, namespace, name).map(({ metadata, status }) => ({
      name: metadata.name,
      phase: status?.phase ?? 'Running',
      beganMs: status?.beganMs ?? facts.nowMs,
      ...(status?.endedMs === undefined ? {} : { endedMs: status.endedMs }),
      ...(status?.momentMs === undefined ? {} : { momentMs: status.momentMs }),
      says: status?.says ?? 'is under way',
      remedy: status?.remedy ?? '',
      ...(status?.at ? { at: { kind: status.at.kind, namespace: status.at.namespace, name: status.at.name } } : {}),
      ...(status?.bytes === undefined ? {} : { bytes: status.bytes }),
      ...(status?.base === undefined ? {} : { base: status.base })
    })),
    pieces: (plan.status?.pieces ?? []).map(({ fromMs, toMs }) => ({ fromMs, toMs })),
    room: { ...ahead, storeBytes: ahead.storeBytes ?? null },
    figures: { losesMs, losesNowMs, couldLoseMs, backMs, measuredMs, bytes },
    byHand: writeManifests([runByHand(facts, plan)]),
    nextMs: nextRunMs(facts, plan) ?? null,
    latestMs: latestMs(facts, plan) ?? null,
    returns: returnsOf(facts, namespace, name)
      .reverse()
      .map(({ metadata, spec, status }) => ({
        name: metadata.name,
        phase: status?.phase ?? 'Waiting',
        into: spec.into,
        says: status?.says ?? 'has not begun',
        remedy: status?.remedy ?? '',
        ...(status?.at ? { at: { kind: status.at.kind, namespace: status.at.namespace, name: status.at.name } } : {}),
        beganMs: status?.beganMs ?? facts.nowMs,
        ...(status?.endedMs === undefined ? {} : { endedMs: status.endedMs }),
        steps: (status?.steps ?? []).map(({ name: step, fromMs, toMs }) => ({
          name: step,
          fromMs,
          ...(toMs === undefined ? {} : { toMs })
        }))
      }))
  };
}

/** Object stores that run. */
const storesIn = (facts: Facts) => workloadsOf(facts).filter((one) => engineRunning(facts, one.namespace, one.name) === 'object-store');

/** Object stores of the clusters that this one has a link to. */
function farStores(facts: Scene['facts']) {
  const { here, clusters } = facts.elsewhere ?? { here: '', clusters: [] };
  return clusters.flatMap((cluster) => {
    const there =
      cluster === here || !facts.list('Link').some((one) => one.spec.to === cluster) ? undefined : facts.elsewhere!.facts(cluster);
    return there ? storesIn(there).map((one) => ({ ...one, cluster })) : [];
  });
}

/** Every workload that keeps something, with its plans and what is to be said of them. */
export const backupsView = ({ facts }: Scene, _: object): Backups => {
  const plans = facts.list('BackupPlan');
  const rooms = roomsAhead(facts);
  const all = workloadsOf(facts).flatMap(({ namespace, name }): BackedUp[] => {
    const workload = workloadNamed(facts, namespace, name);
    if (!workload) return [];
    const makers = [...workload.sets, ...workload.deployments, ...workload.daemonSets];
    const claims = makers.some(
      (one) =>
        (one.kind === 'StatefulSet' && one.spec.volumeClaimTemplates?.length) ||
        one.spec.template.spec.volumes?.some((two) => two.persistentVolumeClaim)
    );
    if (!claims) return [];
    const mine = plans.filter((one) => one.metadata.namespace === namespace && one.spec.workload === name);
    const engine = engineRunning(facts, namespace, name) ?? workload.engine;
    return [
      {
        namespace,
        name,
        kind: blueprintOf(makers[0]!),
        copies: engine !== undefined,
        log: handsOutLog(engine),
        ...(engine === undefined ? {} : { place: engineCards[engine].place }),
        beside: facts.get('StatefulSet', namespace, name) !== undefined,
        asked: askedOf(facts, namespace, name),
        secrets: facts
          .list('Secret', namespace)
          .flatMap(({ metadata, data = {} }) => Object.keys(data).map((key) => `${metadata.name}/${key}`)),
        plans: mine.map((one) => planShown(facts, one, rooms)),
        findings: judgeBackup(facts, namespace, name, mine, rooms)
      }
    ];
  });
  return { workloads: all, stores: [...storesIn(facts), ...farStores(facts)] };
};

/** The manifests of a workload beside another, as text; '' where there is no set to copy. With a run of snapshots its claims, too. */
export function besideView(
  { facts }: Scene,
  { namespace, workload, to, run }: { namespace: string; workload: string; to: string; run?: string }
): { yaml: string } {
  const objects = besideObjects(facts, namespace, workload, to) ?? [];
  const taken =
    run === undefined
      ? undefined
      : doneOf(runsOf(facts, namespace, facts.get('BackupRun', namespace, run)?.spec.plan ?? '')).find((one) => one.metadata.name === run);
  const claims = taken ? claimsFromSnapshots(facts, taken, workload, to) : [];
  return { yaml: objects.length ? writeManifests([...claims, ...objects]) : '' };
}

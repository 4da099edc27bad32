import { idOf, type Loop } from '../loop';
import { askedFor } from './asking';
import { reconcilePlan } from './plans';
import { reconcileRestore } from './restores';
import { ofRunMark, reconcileRun } from './runs';

const named = (now: { metadata: { namespace?: string | undefined; name: string }; kind: string } | undefined): string[] =>
  now ? [`${now.kind} ${idOf(now as never)}`] : [];

/** Copies of workloads: plans begin runs, take logs away and forget; runs copy; restores put back. The stand-in's own. */
export const backups: Loop = {
  id: 'backups',
  watches: {
    BackupPlan: (now, before) => (now?.spec === before?.spec ? [] : named(now ?? before)),
    BackupRun: (now, before) => [
      ...(now && before && now.spec === before.spec ? [] : named(now ?? before)),
      ...(now?.status?.phase === before?.status?.phase && now && before
        ? []
        : [`BackupPlan ${(now ?? before)!.metadata.namespace}/${(now ?? before)!.spec.plan}`])
    ],
    Restore: (now, before) => (now?.spec === before?.spec ? [] : named(now ?? before)),
    VolumeSnapshot: (now) => {
      const run = now?.metadata.annotations?.[ofRunMark];
      return run === undefined || !(now?.status?.readyToUse || now?.status?.error) ? [] : [run];
    },
    Ask: askedFor
  },
  reconcile(world, key) {
    const space = key.indexOf(' ');
    const [kind, id] = [key.slice(0, space), key.slice(space + 1)];
    if (kind === 'BackupPlan') reconcilePlan(world, key, id);
    else if (kind === 'BackupRun') reconcileRun(world, key, id);
    else reconcileRestore(world, key, id);
  }
};

import type { ApiObject } from '../../../model';
import { idOf, type Loop } from '../loop';
import { askedFor, askedFrom } from './asking';
import { reconcilePlan } from './plans';
import { reconcileReturn } from './returns';
import { ofRunMark, reconcileRun } from './runs';

const keyOf = (one: ApiObject): string => `${one.kind} ${idOf(one)}`;
/** An object whose wish is another. */
const wished = <T extends ApiObject & { spec: object }>(now: T | undefined, before: T | undefined): string[] =>
  now?.spec === before?.spec ? [] : [keyOf((now ?? before)!)];

const ours = (key: string): boolean => key.startsWith('Backup');

/** Copies of workloads: plans begin runs, take logs away and forget; runs copy; returns put back. The stand-in's own. */
export const backups: Loop = {
  id: 'backups',
  watches: {
    BackupPlan: wished,
    BackupRun(now, before) {
      const { metadata, spec } = (now ?? before)!;
      const plan = now && before && now.status?.phase === before.status?.phase ? [] : [`BackupPlan ${metadata.namespace}/${spec.plan}`];
      return [...wished(now, before), ...plan];
    },
    BackupReturn: wished,
    VolumeSnapshot(now, before) {
      const run = (now ?? before)!.metadata.annotations?.[ofRunMark];
      return run === undefined || (now && !now.status?.readyToUse && !now.status?.error) ? [] : [run];
    },
    Ask: (now) => askedFor(now).filter(ours)
  },
  abroad: { Ask: (now) => askedFrom(now).filter(({ key }) => ours(key)) },
  reconcile(world, key) {
    const space = key.indexOf(' ');
    const id = key.slice(space + 1);
    switch (key.slice(0, space)) {
      case 'BackupPlan':
        return reconcilePlan(world, key, id);
      case 'BackupRun':
        return reconcileRun(world, key, id);
      default:
        return reconcileReturn(world, key, id);
    }
  }
};

import type { Drill } from '$core/drills';
import { sumHolds, sumOf } from '../db/sums';
import type { Database } from '../db/connection';

/** A drill that was run, with whose it is. */
export interface KeptDrill extends Drill {
  readonly namespace: string;
  readonly workload: string;
  /** Whether what is expected was written down by somebody, not derived. */
  readonly demanded: boolean;
}

/** Drills that were run, newest last. */
export function drillRepository(db: Database) {
  return {
    async add(rehearsal: string, { namespace, workload, ...drill }: KeptDrill): Promise<void> {
      const body = JSON.stringify(drill);
      const { fault, atMs, state } = drill;
      await db
        .insertInto('drill')
        .values({
          rehearsal,
          namespace,
          workload,
          fault,
          state,
          at_ms: atMs,
          body,
          created_at: new Date().toISOString(),
          sum: sumOf(namespace, workload, fault, atMs, body)
        })
        .execute();
    },
    /** How many of the latest drills came out worse. */
    async worse(rehearsal: string, untilMs: number): Promise<number> {
      const rows = await db
        .selectFrom('drill')
        .select(['namespace', 'workload', 'fault', 'state'])
        .where('rehearsal', '=', rehearsal)
        .where('at_ms', '<=', untilMs)
        .orderBy('id')
        .execute();
      const latest = new Map(rows.map((one) => [`${one.namespace}/${one.workload}/${one.fault}`, one.state]));
      return [...latest.values()].filter((one) => one === 'worse').length;
    },
    /** The latest drill of each fault of each workload, as far as it was run at or before a moment. */
    async latest(rehearsal: string, untilMs: number): Promise<KeptDrill[]> {
      const rows = await db
        .selectFrom('drill')
        .selectAll()
        .where('rehearsal', '=', rehearsal)
        .where('at_ms', '<=', untilMs)
        .orderBy('id')
        .execute();
      const latest = new Map<string, KeptDrill>();
      for (const row of rows) {
        // What isn't as it was written counts as not run.
        if (!sumHolds(row.sum, row.namespace, row.workload, row.fault, row.at_ms, row.body)) continue;
        const drill = JSON.parse(row.body) as Omit<KeptDrill, 'namespace' | 'workload'>;
        latest.set(`${row.namespace}/${row.workload}/${row.fault}`, { ...drill, namespace: row.namespace, workload: row.workload });
      }
      return [...latest.values()];
    }
  };
}

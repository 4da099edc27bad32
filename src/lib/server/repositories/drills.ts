import { sql } from 'kysely';
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

/** What copied the workload then, and its print; what isn't as it was written tells nothing. */
const plansIn = sql<string | null>`case when json_valid(body) then json_extract(body, '$.plans') end`.as('plans');
const standsIn = sql<string | null>`case when json_valid(body) then json_extract(body, '$.stands') end`.as('stands');

/** Drills that were run, newest last. */
export function drillRepository(db: Database) {
  const newest = (rehearsal: string, untilMs: number) =>
    db
      .selectFrom('drill')
      .select(({ fn }) => fn.max('id').as('id'))
      .where('rehearsal', '=', rehearsal)
      .where('at_ms', '<=', untilMs)
      .groupBy(['namespace', 'workload', 'fault']);

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
    /** How the latest drills came out, without what they saw. */
    async verdicts(
      rehearsal: string,
      untilMs: number
    ): Promise<(Pick<KeptDrill, 'namespace' | 'workload' | 'atMs' | 'plans' | 'stands'> & { state: string })[]> {
      const rows = await db
        .selectFrom('drill')
        .select(['namespace', 'workload', 'state', 'at_ms as atMs', plansIn, standsIn])
        .where('id', 'in', newest(rehearsal, untilMs))
        .execute();
      return rows.map(({ plans, stands, ...one }) => ({
        ...one,
        ...(plans === null ? {} : { plans }),
        ...(stands === null ? {} : { stands })
      }));
    },
    /** The latest drill of each fault of each workload, as far as it was run at or before a moment. */
    async latest(rehearsal: string, untilMs: number): Promise<KeptDrill[]> {
      const rows = await db.selectFrom('drill').selectAll().where('id', 'in', newest(rehearsal, untilMs)).orderBy('id').execute();
      // What isn't as it was written counts as not run.
      return rows
        .filter((row) => sumHolds(row.sum, row.namespace, row.workload, row.fault, row.at_ms, row.body))
        .map(({ body, namespace, workload }) => ({
          ...(JSON.parse(body) as Omit<KeptDrill, 'namespace' | 'workload'>),
          namespace,
          workload
        }));
    }
  };
}

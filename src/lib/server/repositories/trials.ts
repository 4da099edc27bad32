import type { Trial } from '$core/proofs';
import { sumHolds, sumOf } from '../db/sums';
import type { Database } from '../db/connection';

/** A trial as it is kept: without the actions, which stand in the rehearsal where it was tried. */
export type KeptTrial = Omit<Trial, 'actions'> & { readonly where: 'fork' | 'trunk' };

/** Trials of classes, newest last. */
export function trialRepository(db: Database) {
  return {
    async add(rehearsal: string, { actions: _, ...trial }: Trial, where: KeptTrial['where']): Promise<void> {
      const body = JSON.stringify({ ...trial, where } satisfies KeptTrial);
      await db
        .insertInto('trial')
        .values({
          rehearsal,
          class_name: trial.class,
          at_ms: trial.atMs,
          body,
          created_at: new Date().toISOString(),
          sum: sumOf(trial.class, trial.atMs, body)
        })
        .execute();
    },
    /** The latest trial of each class, as far as it was made at or before a moment. */
    async latest(rehearsal: string, untilMs: number): Promise<KeptTrial[]> {
      const rows = await db
        .selectFrom('trial')
        .selectAll()
        .where('rehearsal', '=', rehearsal)
        .where('at_ms', '<=', untilMs)
        .orderBy('id')
        .execute();
      const whole = rows.filter((row) => sumHolds(row.sum, row.class_name, row.at_ms, row.body));
      return [...new Map(whole.map((row) => [row.class_name, JSON.parse(row.body) as KeptTrial])).values()];
    }
  };
}

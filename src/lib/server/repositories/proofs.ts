import type { Proof } from '$core/proofs';
import { sumHolds, sumOf } from '../db/sums';
import type { Database } from '../db/connection';

export interface KeptProof extends Proof {
  readonly namespace: string;
  readonly set: string;
}

/** Proofs that were run, newest last. */
export function proofRepository(db: Database) {
  return {
    async add(rehearsal: string, namespace: string, set: string, proofs: readonly Proof[]): Promise<void> {
      const created_at = new Date().toISOString();
      await db
        .insertInto('proof')
        .values(
          proofs.map((one) => {
            const body = JSON.stringify(one);
            return { rehearsal, namespace, set_name: set, at_ms: one.atMs, body, created_at, sum: sumOf(namespace, set, one.atMs, body) };
          })
        )
        .execute();
    },
    /** The latest of each proof of each set, as far as it was run at or before a moment. */
    async latest(rehearsal: string, untilMs: number): Promise<KeptProof[]> {
      const rows = await db
        .selectFrom('proof')
        .selectAll()
        .where('rehearsal', '=', rehearsal)
        .where('at_ms', '<=', untilMs)
        .orderBy('id')
        .execute();
      const latest = new Map<string, KeptProof>();
      for (const row of rows) {
        // Evidence that isn't as it was written is no evidence: the proof counts as not run.
        if (!sumHolds(row.sum, row.namespace, row.set_name, row.at_ms, row.body)) continue;
        const proof = JSON.parse(row.body) as Proof;
        latest.set(`${row.namespace}/${row.set_name}/${proof.id}`, { ...proof, namespace: row.namespace, set: row.set_name });
      }
      return [...latest.values()];
    }
  };
}

import { z } from 'zod';
import { kindOf } from './meta';

/**
 * A workload of this cluster that follows one of another: it takes over, again and again, what was written there. A commit over there
 * doesn't wait for it, so what it lacks at that moment is lost with the other cluster.
 */
export const mirrorSchema = kindOf('standin.example/v1', 'Mirror', {
  spec: z.looseObject({
    /** The workload of the mirror's own namespace that follows. What it follows in takes no other writes while it does. */
    workload: z.string().min(1),
    /** The workload that is followed: of the same engine, in a cluster that this one is linked with. */
    from: z.looseObject({ cluster: z.string().min(1), namespace: z.string().min(1), workload: z.string().min(1) }),
    /** One topic or bucket alone; left out: all of them. Tables are followed as a whole. */
    only: z.string().min(1).max(253).optional(),
    /** How often it looks what is new, in s; bounds and default made up. */
    everySeconds: z.number().int().min(1).max(3_600).default(5),
    /** Whether what is deleted over there is deleted here, too. For objects; tables always are the same, messages are never deleted. */
    deletes: z.boolean().default(true),
    /**
     * `kept`: of an object that is overwritten or deleted over there, what lay here until then stays as `key@version`. For objects; versions
     * that came and went between two looks were never here.
     */
    versions: z.enum(['newest', 'kept']).default('newest'),
    /** It follows no longer and takes writes itself. */
    promoted: z.boolean().default(false)
  }),
  status: z
    .looseObject({
      phase: z.enum(['Starting', 'Follows', 'Behind', 'Promoted']),
      /** What it does, or why it can't. */
      says: z.string(),
      remedy: z.string().optional(),
      /** Where it broke, for its root line. */
      at: z.looseObject({ kind: z.string(), namespace: z.string(), name: z.string() }).optional(),
      /** Since when it is in this phase (virtual ms). */
      sinceMs: z.number(),
      /** It holds all that had been written over there by then (virtual ms). */
      momentMs: z.number().optional(),
      /** The position over there up to which it holds everything, and its own position then. For tables. */
      position: z.number().optional(),
      own: z.number().optional(),
      /** Whether it held the same as the other at that position, by SHA-256. */
      same: z.boolean().optional(),
      /** Of each partition: the next message over there, and where the last one came to lie here. */
      offsets: z.record(z.string(), z.looseObject({ there: z.number(), here: z.number() })).optional(),
      /** What is followed: topics or buckets by name. */
      places: z.array(z.string()).optional(),
      /** What was carried since it was made: times, and bytes. */
      takes: z.number().optional(),
      bytes: z.number().optional(),
      /**
       * What this workload had written itself that the other one never got: given up when it began to follow (of topics: it stays). The first
       * of them, and how many there are.
       */
      unshared: z
        .looseObject({ count: z.number(), stays: z.boolean(), first: z.array(z.looseObject({ what: z.string(), value: z.string() })) })
        .optional()
    })
    .optional()
});

/** A workload that follows one of another cluster. */
export type Mirror = z.infer<typeof mirrorSchema>;

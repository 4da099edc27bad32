import { z } from 'zod';
import { kindOf } from './meta';

const api = 'standin.example/v1';
const copies = z.number().int().min(0).max(1_000);

/** Where copies lie: a bucket of an object store, of this cluster or of one that it is linked with. */
const bucketRef = z.looseObject({
  namespace: z.string(),
  store: z.string(),
  bucket: z.string(),
  /** The cluster that the store stands in, where that is another one. */
  cluster: z.string().min(1).optional()
});

/** What of a workload is copied, how, when, where to, and how long it is kept. */
export const backupPlanSchema = kindOf(api, 'BackupPlan', {
  spec: z.looseObject({
    /** A workload of the plan's namespace. */
    workload: z.string(),
    /** `snapshots`: of all its members' volumes at one moment; `copy`: through the engine; `copy-and-log`: that, and the engine's log behind it. */
    how: z.enum(['snapshots', 'copy', 'copy-and-log']),
    /** Five fields, as a CronJob has them. */
    schedule: z.string(),
    timeZone: z.string().optional(),
    suspend: z.boolean().default(false),
    /** Where copies go; for snapshots left out: they lie where the volumes lie. */
    into: bucketRef.optional(),
    snapshotClass: z.string().optional(),
    /** How often the log is taken away, in s; bounds and default made up. */
    logEverySeconds: z.number().int().min(10).max(86_400).default(45),
    /**
     * Every so many copies one is whole; those between hold what has changed since the one before. 1: all are whole. For copies through an
     * engine. The bound is made up.
     */
    fullEvery: z.number().int().min(1).max(100).default(1),
    /** The secret of the plan's namespace, and the key in it, by which copies and logs are sealed before they go into the bucket. */
    seal: z.looseObject({ secret: z.string(), key: z.string() }).optional(),
    /** How many are kept: the newest so many; one of each of the last so many days, weeks (from Monday), months that have one. Default made up. */
    keep: z
      .looseObject({ newest: copies.min(1), days: copies.default(0), weeks: copies.default(0), months: copies.default(0) })
      .default({ newest: 5, days: 0, weeks: 0, months: 0 })
  }),
  status: z
    .looseObject({
      /** The last moment of the schedule that was begun or missed (virtual ms). */
      scheduledMs: z.number().optional(),
      /** Pieces of the log that lie in the bucket, oldest first; positions after `from` up to `to`, written up to `toMs`. */
      pieces: z
        .array(
          z.looseObject({
            key: z.string(),
            from: z.number(),
            to: z.number(),
            fromMs: z.number(),
            toMs: z.number(),
            checksum: z.string(),
            into: bucketRef,
            /** It begins at a copy, not where the piece before ended: what lay between lacks. */
            anew: z.boolean().optional()
          })
        )
        .optional(),
      /** When the log was last taken away or tried; why it couldn't be; whether it goes on from the next copy only. */
      shipping: z.looseObject({ atMs: z.number(), says: z.string().optional(), torn: z.boolean().optional() }).optional()
    })
    .optional()
});

/** One copy: under way, done or failed. Made by its plan, or sent by hand. */
export const backupRunSchema = kindOf(api, 'BackupRun', {
  spec: z.looseObject({ plan: z.string() }),
  status: z
    .looseObject({
      phase: z.enum(['Running', 'Done', 'Failed']),
      beganMs: z.number(),
      endedMs: z.number().optional(),
      /** Why it failed, or what was copied. */
      says: z.string().optional(),
      remedy: z.string().optional(),
      /** Where it broke, for its root line. */
      at: z.looseObject({ kind: z.string(), namespace: z.string(), name: z.string() }).optional(),
      /** The moment that it shows (virtual ms), and the engine's position. */
      momentMs: z.number().optional(),
      position: z.number().optional(),
      rows: z.number().optional(),
      /** Of what was copied, SHA-256. */
      checksum: z.string().optional(),
      bytes: z.number().optional(),
      /** The object, and the bucket that it lies in; or the snapshots. */
      key: z.string().optional(),
      into: bucketRef.optional(),
      /** The run before it that it holds the changes since; left out where it is whole. */
      base: z.string().optional(),
      sealed: z.boolean().optional(),
      snapshots: z.array(z.string()).optional()
    })
    .optional()
});

/** Puts a copy back, into a workload that stands and holds nothing of its own, or over what stands. */
export const backupReturnSchema = kindOf(api, 'BackupReturn', {
  spec: z.looseObject({
    plan: z.string(),
    /** The cluster that the plan stands in, where that is another one; its namespace is the return's. */
    cluster: z.string().min(1).optional(),
    /** The run; without it the last one that is done before the moment. */
    run: z.string().optional(),
    /** The moment to go back to (RFC 3339); with the log any, else that of a copy. Left out: the latest. */
    to: z.string().optional(),
    /** The workload that takes it. */
    into: z.string(),
    /** Whether what it holds is thrown away; of what is named in `only`, where something is. */
    over: z.boolean().default(false),
    /** One table, collection, topic, database, bucket, directory or image alone; the rest stays as it is. */
    only: z.string().min(1).max(253).optional()
  }),
  status: z
    .looseObject({
      phase: z.enum(['Waiting', 'Running', 'Done', 'Failed']),
      says: z.string(),
      remedy: z.string().optional(),
      at: z.looseObject({ kind: z.string(), namespace: z.string(), name: z.string() }).optional(),
      beganMs: z.number(),
      endedMs: z.number().optional(),
      run: z.string().optional(),
      /** Its steps so far, with when they began and ended. */
      steps: z.array(z.looseObject({ name: z.string(), fromMs: z.number(), toMs: z.number().optional() })).optional(),
      position: z.number().optional(),
      rows: z.number().optional(),
      /** What was to come back, and what was read back, SHA-256. */
      checksum: z.string().optional(),
      proved: z.string().optional()
    })
    .optional()
});

/** What is copied, how, when, where to, how long kept. */
export type BackupPlan = z.infer<typeof backupPlanSchema>;
/** One copy. */
export type BackupRun = z.infer<typeof backupRunSchema>;
/** A copy that is put back. */
export type BackupReturn = z.infer<typeof backupReturnSchema>;

import { z } from 'zod';
import { kindOf } from './meta';

const podRef = z.looseObject({ namespace: z.string(), pod: z.string() });

/** Things that break for as long as it stands. */
export const outageSchema = kindOf('standin.example/v1', 'Outage', {
  spec: z.looseObject({
    /** Nodes without power: what ran there has ended. */
    dark: z.array(z.string()).optional(),
    /** Groups of nodes that reach only their own; nodes in none of them reach each other, and the control members. */
    cut: z.array(z.array(z.string())).optional(),
    /** Nodes whose messages take so much longer, each way. */
    slow: z.array(z.looseObject({ node: z.string(), ms: z.number().int().min(0).max(600_000) })).optional(),
    /** Pods whose programs hang: they answer nobody, and run on. A program that is started again doesn't hang any more. */
    hangs: z.array(podRef).optional(),
    /** Pods that are cut off by themselves: from the other members, or from clients. */
    apart: z.array(podRef.extend({ from: z.enum(['members', 'clients']) })).optional(),
    /** Claims whose volumes have no room left. */
    full: z.array(z.looseObject({ namespace: z.string(), claim: z.string() })).optional(),
    /** Claims to whose volumes each write takes so much longer; writes don't queue behind each other. */
    sluggish: z.array(z.looseObject({ namespace: z.string(), claim: z.string(), ms: z.number().int().min(0).max(600_000) })).optional(),
    /**
     * Links that are out of order from here on: `cut`, nothing comes through; `one-way`, what is called from here arrives and no answer
     * comes back; `nameless`, names of over there aren't found here; `slow`, each message takes so many ms longer.
     */
    links: z
      .array(
        z.looseObject({
          to: z.string(),
          is: z.enum(['cut', 'one-way', 'nameless', 'slow']),
          ms: z.number().int().min(0).max(600_000).optional()
        })
      )
      .optional()
  }),
  /** Which programs hang: those that ran in the pods when it came. */
  status: z.looseObject({ hung: z.array(podRef.extend({ program: z.string(), sinceMs: z.number() })).optional() }).optional()
});

/** What is out of order for a while: nodes, programs, ways, room. */
export type Outage = z.infer<typeof outageSchema>;

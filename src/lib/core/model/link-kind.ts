import { z } from 'zod';
import { kindOf } from './meta';

/** One end of a link between two clusters. Each of the two has one, under the same name; without both nothing comes through. */
export const linkSchema = kindOf('standin.example/v1', 'Link', {
  spec: z.looseObject({
    /** The cluster at the other end. */
    to: z.string().min(1),
    /** How long a message takes one way, in ms; 8 is made up. */
    delayMs: z.number().int().min(0).max(60_000).default(8),
    /** What it carries, in bytes a second; without it as much as is sent. */
    bytesPerSecond: z.number().int().min(1).optional(),
    /** So many of a hundred messages get lost and are sent again. */
    lossPercent: z.number().min(0).max(90).default(0),
    carries: z
      .looseObject({
        /** Addresses of pods and services; their ranges must not overlap then. */
        addresses: z.boolean().default(true),
        /** Names of the other cluster's services are found here. */
        names: z.boolean().default(true)
      })
      .default({ addresses: true, names: true }),
    /** Whether this end talks to the other in secret only; both have to, or none. */
    encrypted: z.boolean().default(true),
    /** The version of the link's own program; those of both ends must begin with the same number. 2.1 is made up. */
    version: z.string().default('2.1'),
    /** Until when the certificate holds that this end shows (RFC 3339). */
    certificateUntil: z.string().datetime({ offset: true }).optional()
  })
});

/** One end of a link between two clusters. */
export type Link = z.infer<typeof linkSchema>;

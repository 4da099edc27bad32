import { z } from 'zod';
import { kindOf } from './meta';

const api = 'standin.example/v1';

/** Says on pods and templates (invented) which engine's part they behave like, as an EngineCard supposes: `engine/part`. */
export const likenessMark = 'standin.example/behaves-as';

/** A span of time as it was seen so many times, in seconds, both ends included. */
export const seenSpan = z.looseObject({
  fromSeconds: z.number().min(0).max(86_400),
  toSeconds: z.number().min(0).max(86_400),
  /** How many times it was seen; 0 where somebody only supposes it. */
  seen: z.int().min(0).default(0)
});

/**
 * What is supposed of a program that the stand-in doesn't ship, by its image: which of the stand-in's engines it behaves like, and how long its
 * starts take. Sets with that image bear the likeness from when they are sent, or taken over from an export.
 */
export const engineCardSchema = kindOf(api, 'EngineCard', {
  spec: z.looseObject({
    /** Host and path of the image, without tag and digest. */
    image: z.string().min(1),
    /** Left out: an ordinary program, of which only the times count. */
    behavesAs: z.looseObject({ engine: z.string(), part: z.string().optional() }).optional(),
    /** Settings that such an engine reads when it starts, where the program's own don't say. */
    settings: z.record(z.string(), z.string()).optional(),
    /** From its start until it is ready. */
    starts: seenSpan.optional(),
    /** From the order until its image is on a node. */
    pulls: seenSpan.optional()
  })
});

/** The calls of a driver whose times a card can tell. */
export const driverSteps = ['provisioning', 'attaching', 'growing', 'copying'] as const;

/** What is supposed of a driver that the stand-in doesn't ship, or seen of any: what it can, and how long its calls take. */
export const driverCardSchema = kindOf(api, 'DriverCard', {
  spec: z.looseObject({
    driver: z.string().min(1),
    /** Access modes that it hands out; left out: any that is asked for. */
    accessModes: z
      .array(z.enum(['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod']))
      .min(1)
      .optional(),
    /** Whether its volumes grow; left out: they do. */
    grows: z.boolean().optional(),
    /** Whether it takes snapshots; left out: it does where a class for them stands. */
    snapshots: z.boolean().optional(),
    times: z.partialRecord(z.enum(driverSteps), seenSpan).optional()
  })
});

/** A call of a driver whose times a card can tell. */
export type DriverStep = (typeof driverSteps)[number];
/** What is supposed of a program by its image. */
export type EngineCardObject = z.infer<typeof engineCardSchema>;
/** What is supposed of a driver. */
export type DriverCardObject = z.infer<typeof driverCardSchema>;
/** A span of time as it was seen. */
export type SeenSpan = z.infer<typeof seenSpan>;

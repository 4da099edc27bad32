import { z } from 'zod';
import { isQuantity } from '../shared';

/** A map of labels or annotations. */
export const textMap = z.record(z.string(), z.string());

/** A quantity as manifests write it: text or number. */
export const quantity = z.union([z.string(), z.number()]).refine((value) => isQuantity(String(value)), { message: 'quantity' });
/** Quantities by the names of resources, e.g. cpu, memory, storage. */
export const quantityMap = z.record(z.string(), quantity);

/** A whole number or a text (ports by name). */
export const intOrText = z.union([z.number().int(), z.string()]);
/** A number of something: whole, and not below 0. */
export const count = z.number().int().min(0);

/** Who made an object, and takes it along (meta/v1). */
export const ownerReference = z.looseObject({
  apiVersion: z.string(),
  kind: z.string(),
  name: z.string(),
  uid: z.string(),
  controller: z.boolean().optional(),
  blockOwnerDeletion: z.boolean().optional()
});

/** Metadata of an object (meta/v1). */
export const objectMeta = z.looseObject({
  name: z.string(),
  namespace: z.string().optional(),
  uid: z.string().optional(),
  resourceVersion: z.string().optional(),
  generation: z.number().optional(),
  creationTimestamp: z.string().nullable().optional(),
  deletionTimestamp: z.string().optional(),
  deletionGracePeriodSeconds: z.number().optional(),
  labels: textMap.optional(),
  annotations: textMap.optional(),
  ownerReferences: z.array(ownerReference).optional(),
  finalizers: z.array(z.string()).optional()
});

/** Asks for labels (meta/v1); empty: all. */
export const labelSelector = z.looseObject({
  matchLabels: textMap.optional(),
  matchExpressions: z
    .array(
      z.looseObject({
        key: z.string(),
        operator: z.enum(['In', 'NotIn', 'Exists', 'DoesNotExist']),
        values: z.array(z.string()).optional()
      })
    )
    .optional()
});

/** One thing that is true, false or unknown of an object (meta/v1's Condition). */
export const condition = z.looseObject({
  type: z.string(),
  status: z.string(),
  reason: z.string().optional(),
  message: z.string().optional(),
  lastTransitionTime: z.string().optional(),
  lastProbeTime: z.string().nullable().optional()
});

/** Asks for labels; empty: all. */
export type LabelSelector = z.infer<typeof labelSelector>;
/** One thing that is true, false or unknown of an object. */
export type Condition = z.infer<typeof condition>;

/** Makes the schema of a kind from its own parts; unknown fields are kept. */
export const kindOf = <K extends string, S extends z.core.$ZodLooseShape>(apiVersion: string, kind: K, shape: S) =>
  z.looseObject({ apiVersion: z.literal(apiVersion), kind: z.literal(kind), metadata: objectMeta, ...shape });

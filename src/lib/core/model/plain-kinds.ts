import { z } from 'zod';
import { kindOf, textMap } from './meta';

/** Namespace (core/v1). */
export const namespaceSchema = kindOf('v1', 'Namespace', {
  spec: z.looseObject({}).optional(),
  status: z.looseObject({ phase: z.string().optional() }).optional()
});

/** ServiceAccount (core/v1). */
export const serviceAccountSchema = kindOf('v1', 'ServiceAccount', { automountServiceAccountToken: z.boolean().optional() });

/** ConfigMap (core/v1). */
export const configMapSchema = kindOf('v1', 'ConfigMap', {
  data: textMap.optional(),
  binaryData: textMap.optional(),
  immutable: z.boolean().optional()
});

/** Secret (core/v1): `data` in base64, `stringData` as it is. */
export const secretSchema = kindOf('v1', 'Secret', {
  type: z.string().optional(),
  data: textMap.optional(),
  stringData: textMap.optional(),
  immutable: z.boolean().optional()
});

/** Event (core/v1), also in the words of events.k8s.io/v1. */
export const eventSchema = kindOf('v1', 'Event', {
  involvedObject: z.looseObject({
    apiVersion: z.string().optional(),
    kind: z.string().optional(),
    namespace: z.string().optional(),
    name: z.string().optional(),
    uid: z.string().optional()
  }),
  reason: z.string().optional(),
  message: z.string().optional(),
  type: z.string().optional(),
  count: z.number().optional(),
  firstTimestamp: z.string().nullable().optional(),
  lastTimestamp: z.string().nullable().optional(),
  source: z.looseObject({ component: z.string().optional() }).optional()
});

/** A namespace. */
export type Namespace = z.infer<typeof namespaceSchema>;
/** An account that programs act under. */
export type ServiceAccount = z.infer<typeof serviceAccountSchema>;
/** Settings by key. */
export type ConfigMap = z.infer<typeof configMapSchema>;
/** Secret values by key. */
export type Secret = z.infer<typeof secretSchema>;
/** What a control loop told about an object. */
export type ClusterEvent = z.infer<typeof eventSchema>;

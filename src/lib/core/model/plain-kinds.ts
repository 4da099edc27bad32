import { z } from 'zod';
import { kindOf, textMap } from './meta';

export const namespaceSchema = kindOf('v1', 'Namespace', {
  spec: z.looseObject({}).optional(),
  status: z.looseObject({ phase: z.string().optional() }).optional()
});

export const serviceAccountSchema = kindOf('v1', 'ServiceAccount', { automountServiceAccountToken: z.boolean().optional() });

export const configMapSchema = kindOf('v1', 'ConfigMap', {
  data: textMap.optional(),
  binaryData: textMap.optional(),
  immutable: z.boolean().optional()
});

export const secretSchema = kindOf('v1', 'Secret', {
  type: z.string().optional(),
  data: textMap.optional(),
  stringData: textMap.optional(),
  immutable: z.boolean().optional()
});

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

export type Namespace = z.infer<typeof namespaceSchema>;
export type ServiceAccount = z.infer<typeof serviceAccountSchema>;
export type ConfigMap = z.infer<typeof configMapSchema>;
export type Secret = z.infer<typeof secretSchema>;
export type ClusterEvent = z.infer<typeof eventSchema>;

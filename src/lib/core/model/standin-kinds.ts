import { z } from 'zod';
import { kindOf, quantity, textMap } from './meta';

/** The stand-in's own kinds: what lies outside the cluster API, at the provider. All invented. */
export const standinApi = 'standin.example/v1';

export const right = z.enum(['create', 'attach', 'detach', 'delete', 'grow', 'snapshot', 'key-use']);

/** Facts of the place: domain, issuer of identities, address ranges. */
export const groundSchema = kindOf(standinApi, 'Ground', {
  spec: z.looseObject({
    clusterDomain: z.string(),
    issuer: z.string(),
    podRange: z.string(),
    serviceRange: z.string(),
    nodeRange: z.string()
  })
});

/** A place where volumes come from. `speed` is per volume: base IOPS, IOPS per GiB, and the most. */
export const backendSchema = kindOf(standinApi, 'Backend', {
  spec: z.looseObject({
    driver: z.string(),
    zones: z.array(z.looseObject({ name: z.string(), capacity: quantity })),
    quotaVolumes: z.number().int().min(0),
    leastSize: quantity.optional(),
    mostSize: quantity.optional(),
    attachLimit: z.number().int().min(1).optional(),
    speed: z.looseObject({ baseIops: z.number(), iopsPerGib: z.number(), mostIops: z.number() }).optional()
  })
});

/** What the provider trusts a service account to do. */
export const identitySchema = kindOf(standinApi, 'Identity', {
  spec: z.looseObject({
    driver: z.string(),
    issuer: z.string(),
    subject: z.string(),
    audience: z.string(),
    rights: z.array(right)
  })
});

/** A place that images are pulled from. */
export const registrySchema = kindOf(standinApi, 'Registry', {
  spec: z.looseObject({
    host: z.string(),
    reachable: z.boolean(),
    bytesPerSecond: z.number().positive().optional(),
    images: z.array(z.string()).optional()
  })
});

/** One volume at the backend, with what its members keep in it. Made by the stand-in, never sent. */
export const assetSchema = kindOf(standinApi, 'Asset', {
  spec: z.looseObject({
    backend: z.string(),
    driver: z.string(),
    zone: z.string(),
    size: quantity,
    fsType: z.string(),
    requestName: z.string(),
    parameters: textMap.optional()
  }),
  status: z
    .looseObject({
      attachedTo: z.array(z.string()),
      store: z.looseObject({ rows: z.array(z.tuple([z.string(), z.string()])), checksum: z.string() }).optional()
    })
    .optional()
});

export type Right = z.infer<typeof right>;
export type Ground = z.infer<typeof groundSchema>;
export type Backend = z.infer<typeof backendSchema>;
export type Identity = z.infer<typeof identitySchema>;
export type Registry = z.infer<typeof registrySchema>;
export type Asset = z.infer<typeof assetSchema>;

import { z } from 'zod';
import { condition, kindOf, quantity } from './meta';
import { enginesApi } from './standin-kinds';

/** How far an operator has come with a custom resource. */
const operated = z.looseObject({ stage: z.string(), conditions: z.array(condition) }).optional();

/** What goes when a custom resource is taken away, beside itself. */
export const takesAlong = z.enum(['nothing', 'set', 'claims', 'all']);

/** An in-memory store: its operator expands it into a set of nodes, services and a secret. */
export const memoryClusterSchema = kindOf(enginesApi, 'MemoryCluster', {
  spec: z.looseObject({
    nodes: z.number().int().min(1).max(35),
    cpu: quantity,
    memory: quantity,
    volume: z.looseObject({ size: quantity, storageClassName: z.string() }),
    /** `nothing`: the set runs on; `set`: it goes, claims stay; `claims`: they go too; `all`: and the secrets. */
    takesAlong: takesAlong.default('set')
  }),
  status: operated
});

/** A database in an in-memory store. */
export const memoryDatabaseSchema = kindOf(enginesApi, 'MemoryDatabase', {
  spec: z.looseObject({ cluster: z.string(), memory: quantity, shards: z.number().int(), replicas: z.number().int() }),
  status: operated
});

/** A document replica set that its operator looks after: certificate, credentials, names and members follow from it. */
export const documentSetSchema = kindOf(enginesApi, 'DocumentSet', {
  spec: z.looseObject({
    members: z.number().int().min(1).max(9),
    cpu: quantity,
    memory: quantity,
    volume: z.looseObject({ size: quantity, storageClassName: z.string() }),
    /** Whether members show each other certificates, issued by an authority of its own. */
    tls: z.boolean().default(true),
    takesAlong: takesAlong.default('set'),
    /** The clusters that its members stand in, the one that leads first; without it the operator's own. `members` are those of all of them. */
    clusters: z
      .array(
        z.looseObject({ cluster: z.string().min(1), members: z.number().int().min(1).max(9), storageClassName: z.string().optional() })
      )
      .min(1)
      .max(9)
      .optional()
  }),
  status: operated
});

/** An operator that is to come from the catalogue: its manager installs it, once for the whole cluster. */
export const operatorOrderSchema = kindOf(enginesApi, 'OperatorOrder', {
  spec: z.looseObject({
    operator: z.string(),
    version: z.string(),
    /** Namespaces that it looks after; none: all. */
    watches: z.array(z.string()).default([]),
    /** Whether somebody has agreed to what it makes, and the rights it takes. */
    agreed: z.boolean().default(false)
  }),
  status: operated
});

/** The definition of a custom resource: without it the cluster API doesn't know its kind. */
export const definitionSchema = kindOf('apiextensions.k8s.io/v1', 'CustomResourceDefinition', {
  spec: z.looseObject({
    group: z.string(),
    names: z.looseObject({ kind: z.string(), plural: z.string() }),
    scope: z.string(),
    versions: z.array(z.looseObject({}))
  }),
  status: z.looseObject({}).optional()
});

/** A custom resource of the stand-in: an in-memory store that its operator makes. */
export type MemoryCluster = z.infer<typeof memoryClusterSchema>;
/** A custom resource of the stand-in: a database of an in-memory store. */
export type MemoryDatabase = z.infer<typeof memoryDatabaseSchema>;
/** A custom resource of the stand-in: a set of documents that its operator makes. */
export type DocumentSet = z.infer<typeof documentSetSchema>;
/** A custom resource of the stand-in: an order to the catalogue's manager. */
export type OperatorOrder = z.infer<typeof operatorOrderSchema>;
/** A CustomResourceDefinition (apiextensions.k8s.io/v1), as far as it is read. */
export type Definition = z.infer<typeof definitionSchema>;

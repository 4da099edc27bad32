import { z } from 'zod';
import { bounds } from './bounds';
import { condition, count, kindOf, quantity, textMap } from './meta';
import { storageClassSchema } from './storage-kinds';

/** The stand-in's own kinds: what lies outside the cluster API, at the provider. All invented. */
export const standinApi = 'standin.example/v1';
/** Custom resources of the stand-in's operators. All invented. */
export const enginesApi = 'engines.standin.example/v1';

/** What a driver's identity may do at its backend. */
export const right = z.enum(['create', 'attach', 'detach', 'delete', 'grow', 'snapshot', 'key-use']);

/** Per volume: base IOPS, IOPS per GiB and the most; the same for throughput in MB/s (10^6 bytes). */
const speed = z.looseObject({
  baseIops: z.number().min(0),
  iopsPerGib: z.number().min(0),
  mostIops: z.number().min(0),
  baseMbps: z.number().min(0).optional(),
  mbpsPerGib: z.number().min(0).optional(),
  mostMbps: z.number().min(0).optional()
});

const backendSpec = z.looseObject({
  driver: z.string(),
  /** Where volumes are made, with the room there: zones, or nodes where `topologyKey` is the host name. */
  zones: z.array(z.looseObject({ name: z.string(), capacity: quantity })).default([]),
  /** The node label that volumes of it are bound to; '' when they can be reached from anywhere. Default: the zone's label. */
  topologyKey: z.string().optional(),
  quotaVolumes: z.number().int().min(0),
  leastSize: quantity.optional(),
  mostSize: quantity.optional(),
  attachLimit: z.number().int().min(1).optional(),
  /** Least time between two growths of one volume. */
  growEverySeconds: count.optional(),
  speed: speed.optional(),
  /** Shared file systems only: handle, mount targets by zone, and from where which port is let in. */
  fileSystem: z.string().optional(),
  mountTargets: z.array(z.looseObject({ zone: z.string() })).optional(),
  letIn: z.array(z.looseObject({ port: z.number().int().min(1).max(65535), from: z.string() })).optional(),
  /** The pool that it draws from, where the cluster itself is the backend. */
  pool: z.string().optional()
});

/** A place where volumes come from. */
export const backendSchema = kindOf(standinApi, 'Backend', { spec: backendSpec });

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

const registrySpec = z.looseObject({
  host: z.string(),
  reachable: z.boolean(),
  bytesPerSecond: z.number().positive().optional(),
  images: z.array(z.string()).optional(),
  /** Who may pull; left out: everybody. */
  logins: z.array(z.looseObject({ user: z.string(), password: z.string() })).optional()
});

/** A place that images are pulled from. */
export const registrySchema = kindOf(standinApi, 'Registry', { spec: registrySpec });

const layoutDisk = z.looseObject({ size: quantity, holds: z.string().optional(), worn: z.boolean().optional() });

/** Nodes that are alike. `speed` is the node's own ceiling for all its volumes together. */
export const nodeGroup = z.looseObject({
  name: z.string(),
  zone: z.string(),
  count: z.number().int().min(1).max(1_000).optional(),
  /** Own names of the nodes; else `<name>-1` and so on. */
  names: z.array(z.string()).optional(),
  cpu: quantity,
  memory: quantity,
  disks: z.array(layoutDisk).optional(),
  speed: z.looseObject({ iops: z.number().min(0), mbps: z.number().min(0) }).optional(),
  /** Nodes that take no daemon set. */
  virtual: z.boolean().optional()
});

const control = z.looseObject({
  shape: z.enum(['small', 'production']),
  /** Members of the quorum store. */
  quorum: z.number().int().min(0),
  /** Control members; with more than one they stand behind a balancer. */
  members: z.number().int().min(0),
  mode: z.enum(['active-passive', 'balanced']).optional(),
  balancer: z.string().optional()
});

/** How the ground is called that an export's cluster is supposed to stand on. */
export const supposedGround = 'supposed';

/**
 * The place as a document: domain, issuer of identities, address ranges and, where it was laid out from answers, everything a stand-in
 * is made of. Nodes, disks, backends, registries and the first class follow from it.
 */
export const groundSchema = kindOf(standinApi, 'Ground', {
  spec: z.looseObject({
    clusterDomain: z.string(),
    issuer: z.string(),
    podRange: z.string(),
    serviceRange: z.string(),
    nodeRange: z.string(),
    /** Version of the cluster API that it serves, `major.minor`. */
    version: z.string().optional(),
    /** Feature gates that were opened beside those that its version opens by itself. */
    featureGates: z.array(z.enum(['MaxUnavailableStatefulSet', 'VolumeAttributesClass'])).optional(),
    control: control.optional(),
    groups: z.array(nodeGroup).optional(),
    registries: z.array(registrySpec.extend({ name: z.string() })).optional(),
    /** Which registries its nodes reach: any, or only those that are named here. Where it doesn't say: those that are named. */
    pulls: z.enum(['any', 'named']).optional(),
    backends: z.array(backendSpec.extend({ name: z.string() })).optional(),
    identities: z
      .array(z.looseObject({ name: z.string(), driver: z.string(), subject: z.string(), audience: z.string(), rights: z.array(right) }))
      .optional(),
    firstClass: storageClassSchema.omit({ apiVersion: true, kind: true, metadata: true }).extend({ name: z.string() }).optional()
  })
});

/** A disk in a node. What it carries decides whether a pool may have it. */
export const diskSchema = kindOf(standinApi, 'Disk', {
  spec: z.looseObject({
    node: z.string(),
    size: quantity,
    /** What it already carries: `system`, a file system, a partition table; nothing when it is raw. */
    holds: z.string().optional(),
    /** It fails when it is written all over. */
    worn: z.boolean().optional(),
    /** It answers nobody any more. Another one put in its place is sent without it, and is empty. */
    dead: z.boolean().optional()
  }),
  status: z.looseObject({ found: z.boolean(), pool: z.string().optional(), prepared: z.boolean(), says: z.string() }).optional()
});

/** Disks of labelled nodes as one store that keeps every piece `copies` times on different nodes. */
export const poolSchema = kindOf(enginesApi, 'Pool', {
  spec: z.looseObject({
    copies: z.number().int().min(1).max(5),
    keepers: z.number().int().min(1).max(9),
    /** Smaller disks are left alone. */
    leastDisk: quantity.optional(),
    /** How fast lost copies are made anew, over the whole pool. */
    recoveryBytesPerSecond: z.number().positive().optional()
  }),
  status: z
    .looseObject({
      rawBytes: z.number(),
      usableBytes: z.number(),
      storedBytes: z.number(),
      /** Nodes that don't answer, and disks (then `disk` names one) that do no more: bytes of copies, and when they are made anew elsewhere. */
      lost: z.array(
        z.looseObject({
          node: z.string(),
          disk: z.string().optional(),
          bytes: z.number(),
          atMs: z.number(),
          doneMs: z.number(),
          healed: z.boolean()
        })
      ),
      conditions: z.array(condition)
    })
    .optional()
});

const rows = z.array(z.tuple([z.string(), z.string()]));

/** One volume (or snapshot) at the backend, with what its members keep in it. Made by the stand-in, never sent. */
export const assetSchema = kindOf(standinApi, 'Asset', {
  spec: z.looseObject({
    backend: z.string(),
    driver: z.string(),
    zone: z.string(),
    size: quantity,
    fsType: z.string(),
    requestName: z.string(),
    parameters: textMap.optional(),
    /** Handle of the volume it is a snapshot of. */
    snapshotOf: z.string().optional(),
    /** The user who owns its top directory; 0 when it is new. */
    owner: count.optional()
  }),
  status: z
    .looseObject({
      attachedTo: z.array(z.string()),
      store: z.looseObject({ rows, checksum: z.string() }).optional(),
      /** What the engine of the member keeps here, in its own form. */
      engine: z.unknown().optional(),
      /** Bytes in it at a moment, and how they grow from there on (virtual ms, bytes per day). */
      fill: z.looseObject({ bytes: z.number(), atMs: z.number(), bytesPerDay: z.number() }).optional(),
      grownAtMs: z.number().optional()
    })
    .optional()
});

/** An object whose server wasn't ready when it was sent; it is sent again until it is. Made by the stand-in, never sent. */
export const heldSchema = kindOf(standinApi, 'Held', {
  spec: z.looseObject({ object: z.looseObject({ kind: z.string() }), waitsFor: z.string() })
});

/** A claim that takes the place of one that is going, and what starts again then. Made by the stand-in, never sent. */
export const restoringSchema = kindOf(standinApi, 'Restoring', {
  spec: z.looseObject({
    from: z.string(),
    claim: z.looseObject({ kind: z.string() }),
    starts: z.array(z.looseObject({ kind: z.string() })),
    replicas: z.array(z.object({ name: z.string(), count: z.number() }))
  })
});

/** A member's program while it runs, and how it stands. Made by the stand-in, never sent. */
export const processSchema = kindOf(standinApi, 'Process', {
  spec: z.looseObject({
    engine: z.string(),
    part: z.string(),
    workload: z.string(),
    /** The pod that it runs in. */
    pod: z.string(),
    /** Settings as they were read at the start. */
    options: textMap,
    /** It ran already when the stand-in took its cluster over. */
    adopted: z.boolean().optional()
  }),
  status: z
    .looseObject({
      role: z.string(),
      ready: z.boolean(),
      says: z.string(),
      position: z.number(),
      lag: z.number().optional(),
      term: z.number().optional(),
      leader: z.string().optional(),
      /** Data of a member without a volume; goes with it. */
      beside: z.unknown().optional()
    })
    .optional()
});

/** How a client gets at a workload. */
export const way = z.enum(['inside', 'outside', 'tunnel']);

const op = z.looseObject({
  do: z.string(),
  place: z.string().optional(),
  key: z.string().optional(),
  value: z.string().optional(),
  count: z.number().optional(),
  bytes: z.number().optional(),
  from: z.enum(['beginning', 'last', 'end']).optional(),
  group: z.string().max(200).optional(),
  acks: z.string().optional(),
  version: z.number().optional()
});

/** Something that a client asks of a workload, and how it was answered. Made by asking, never sent. */
export const askSchema = kindOf(standinApi, 'Ask', {
  spec: z.looseObject({
    workload: z.string(),
    member: z.string().optional(),
    way,
    /** The node that a client stands on, where that matters. */
    node: z.string().optional(),
    /** Whether the client shows the right password, a wrong one, or none. */
    login: z.enum(['right', 'wrong', 'none']),
    /** The account that it shows the password of, where it isn't the first one. */
    account: z.string().optional(),
    op
  }),
  status: z
    .looseObject({
      askedMs: z.number(),
      answeredMs: z.number().optional(),
      outcome: z.enum(['acknowledged', 'refused', 'unknown']).optional(),
      by: z.string().optional(),
      says: z.string().optional(),
      rows: rows.optional(),
      count: z.number().optional(),
      bytes: z.number().optional(),
      checksum: z.string().optional(),
      version: z.number().optional()
    })
    .optional()
});

/** What has failed around the nodes: no power, cut off from each other, or slow to answer. Taking it away mends it. */
/** Nodes that are being emptied, e.g. before they are taken down. Taking it away opens them again. */
export const emptyingSchema = kindOf(standinApi, 'Emptying', {
  spec: z.looseObject({
    nodes: z.array(z.string()),
    /** Whether pods go too that keep something in an ephemeral directory, which is lost. */
    losesDirectories: z.boolean().default(false)
  }),
  status: z
    .looseObject({ left: z.number(), waits: z.array(z.looseObject({ namespace: z.string(), name: z.string(), says: z.string() })) })
    .optional()
});

/** A provider of identities outside the cluster (OpenID Connect): it gives people tokens for the audiences that it knows. */
export const loginProviderSchema = kindOf(standinApi, 'LoginProvider', {
  spec: z.looseObject({ issuer: z.string(), audiences: z.array(z.string()), reachable: z.boolean().default(true) })
});

const level = z.enum(['error', 'warning', 'note', 'off']);

/** House rules: what the checker finds graver or lighter here, what is accepted and why, and rules of one's own. */
export const checkSettingsSchema = kindOf(standinApi, 'CheckSettings', {
  spec: z.strictObject({
    /** Levels by the id of a rule; off: it says nothing. */
    levels: z.record(z.string(), level).optional(),
    /** Bounds by the id of a rule that has one, in its own unit. */
    thresholds: z.record(z.string(), z.number()).optional(),
    accepted: z
      .array(
        z.strictObject({
          rule: z.string(),
          /** `Kind namespace/name`; `*` stands for any part of a name. */
          object: z.string(),
          reason: z.string().min(1),
          /** The last day on which it counts, e.g. 2027-03-31. */
          until: z.iso.date().optional()
        })
      )
      .max(bounds.entries)
      .optional(),
    rules: z
      .array(
        z.strictObject({
          id: z.string().regex(/^[a-z][a-z0-9-]{0,60}$/, 'lower-case letters, digits and "-"'),
          level: z.enum(['error', 'warning', 'note']).default('warning'),
          kinds: z.array(z.string()).min(1),
          /** In the common expression language; `object` is the object. True: nothing is wrong. */
          expression: z.string().min(1).max(2_000),
          message: z.string().min(1).max(300),
          remedy: z.string().max(300).default(''),
          /** A manifest that the rule finds. */
          bad: z.string().optional(),
          /** One that it doesn't. */
          good: z.string().optional()
        })
      )
      .max(100)
      .optional()
  })
});

/** A temporary private path from outside to what a service stands for. */
export const tunnelSchema = kindOf(standinApi, 'Tunnel', {
  spec: z.looseObject({ service: z.string(), port: z.number().int().min(1).max(65535).optional() })
});

/** A wish for a topic of a log broker; its helper makes it. */
export const topicSchema = kindOf(enginesApi, 'Topic', {
  spec: z.looseObject({
    workload: z.string(),
    partitions: z.number().int().min(1).max(256),
    copies: z.number().int().min(1).max(9),
    /** Least number of caught-up replicas for a write with all acknowledgements. */
    least: z.number().int().min(1).max(9)
  }),
  status: z.looseObject({ conditions: z.array(condition) }).optional()
});

/** A wish for an account of a log broker: who may write and read which topics (`*`: all of them). Its helper makes it, with a password. */
export const accountSchema = kindOf(enginesApi, 'Account', {
  spec: z.looseObject({
    workload: z.string(),
    /** Secret with its user and password; made where it isn't there. */
    secret: z.string(),
    write: z.array(z.string()).default([]),
    read: z.array(z.string()).default([])
  }),
  status: z.looseObject({ made: z.string().optional(), conditions: z.array(condition) }).optional()
});

/** A workload at rest: its members were stopped in order and start in order when this is taken away. */
export const restSchema = kindOf(standinApi, 'Rest', {
  spec: z.looseObject({ workload: z.string() }),
  status: z.looseObject({ stage: z.string() }).optional()
});

/** What a driver's identity may do at its backend. */
export type Right = z.infer<typeof right>;
/** Nodes that are alike. */
export type NodeGroup = z.infer<typeof nodeGroup>;
/** The place of a stand-in as a document. */
export type Ground = z.infer<typeof groundSchema>;
/** Where volumes come from. */
export type Backend = z.infer<typeof backendSchema>;
/** Who a driver is at its backend, and what it may do there. */
export type Identity = z.infer<typeof identitySchema>;
/** Where images are pulled from. */
export type Registry = z.infer<typeof registrySchema>;
/** A disk in a node. */
export type Disk = z.infer<typeof diskSchema>;
/** Disks of nodes that hand out volumes together. */
export type Pool = z.infer<typeof poolSchema>;
/** A volume or snapshot as the backend keeps it, whatever the cluster knows of it. */
export type Asset = z.infer<typeof assetSchema>;
/** An object that waits for whoever serves its kind. */
export type Held = z.infer<typeof heldSchema>;
/** A restore that is under way. */
export type Restoring = z.infer<typeof restoringSchema>;
/** A program of an engine that runs in a member's container. */
export type Process = z.infer<typeof processSchema>;
/** What a client asked of a workload, and the answer. */
export type AskObject = z.infer<typeof askSchema>;
/** How a client comes to a workload. */
export type Way = z.infer<typeof way>;
/** A node that is being emptied. */
export type Emptying = z.infer<typeof emptyingSchema>;
/** Who knows names and passwords outside the cluster. */
export type LoginProvider = z.infer<typeof loginProviderSchema>;
/** House rules of the checker. */
export type CheckSettings = z.infer<typeof checkSettingsSchema>;
/** A way from the reader to a service. */
export type Tunnel = z.infer<typeof tunnelSchema>;
/** A topic that a log broker's helper keeps. */
export type Topic = z.infer<typeof topicSchema>;
/** An account that a log broker's helper keeps. */
export type Account = z.infer<typeof accountSchema>;
/** A workload that was stopped in order, its volumes kept. */
export type Rest = z.infer<typeof restSchema>;

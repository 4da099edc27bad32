import { z } from 'zod';
import { condition, kindOf, labelSelector, quantity, quantityMap, textMap } from './meta';
import { accessMode, claimSpec, volumeMode } from './claim-spec';
import { nodeTerm } from './pod-kinds';

const reclaim = z.enum(['Delete', 'Retain', 'Recycle']);

/** StorageClass (storage.k8s.io/v1). */
export const storageClassSchema = kindOf('storage.k8s.io/v1', 'StorageClass', {
  provisioner: z.string(),
  parameters: textMap.optional(),
  reclaimPolicy: reclaim.optional(),
  volumeBindingMode: z.enum(['Immediate', 'WaitForFirstConsumer']).optional(),
  allowVolumeExpansion: z.boolean().optional(),
  mountOptions: z.array(z.string()).optional(),
  allowedTopologies: z
    .array(z.looseObject({ matchLabelExpressions: z.array(z.looseObject({ key: z.string(), values: z.array(z.string()) })).optional() }))
    .optional()
});

/** CSIDriver (storage.k8s.io/v1). */
export const csiDriverSchema = kindOf('storage.k8s.io/v1', 'CSIDriver', {
  spec: z.looseObject({
    attachRequired: z.boolean().optional(),
    podInfoOnMount: z.boolean().optional(),
    fsGroupPolicy: z.string().optional(),
    storageCapacity: z.boolean().optional(),
    volumeLifecycleModes: z.array(z.string()).optional()
  })
});

/** VolumeAttributesClass (storage.k8s.io/v1): what of a volume can change while it is in use. */
export const attributesClassSchema = kindOf('storage.k8s.io/v1', 'VolumeAttributesClass', {
  driverName: z.string(),
  parameters: textMap.optional()
});

/** CSIStorageCapacity (storage.k8s.io/v1): how much room a driver has for a class where some nodes are. */
export const capacitySchema = kindOf('storage.k8s.io/v1', 'CSIStorageCapacity', {
  storageClassName: z.string(),
  nodeTopology: labelSelector.optional(),
  capacity: quantity.optional(),
  maximumVolumeSize: quantity.optional()
});

/** CSINode (storage.k8s.io/v1). */
export const csiNodeSchema = kindOf('storage.k8s.io/v1', 'CSINode', {
  spec: z.looseObject({
    drivers: z.array(
      z.looseObject({
        name: z.string(),
        nodeID: z.string(),
        topologyKeys: z.array(z.string()).nullable().optional(),
        allocatable: z.looseObject({ count: z.number().optional() }).optional()
      })
    )
  })
});

/** PersistentVolumeClaim (core/v1). */
export const claimSchema = kindOf('v1', 'PersistentVolumeClaim', {
  spec: claimSpec,
  status: z
    .looseObject({
      phase: z.string().optional(),
      accessModes: z.array(z.string()).optional(),
      capacity: quantityMap.optional(),
      conditions: z.array(condition).optional(),
      currentVolumeAttributesClassName: z.string().optional(),
      /** Pending: what it waits for isn't there; InProgress; Infeasible: the driver refuses it. */
      modifyVolumeStatus: z.looseObject({ targetVolumeAttributesClassName: z.string().optional(), status: z.string() }).optional()
    })
    .optional()
});

/** PersistentVolume (core/v1). */
export const volumeSchema = kindOf('v1', 'PersistentVolume', {
  spec: z.looseObject({
    capacity: z.looseObject({ storage: quantity }),
    accessModes: z.array(accessMode).min(1),
    storageClassName: z.string().optional(),
    volumeAttributesClassName: z.string().optional(),
    persistentVolumeReclaimPolicy: reclaim.optional(),
    volumeMode: volumeMode.optional(),
    /** null when sent: frees a Released volume. */
    claimRef: z.looseObject({ namespace: z.string().optional(), name: z.string().optional(), uid: z.string().optional() }).nullish(),
    csi: z
      .looseObject({
        driver: z.string(),
        volumeHandle: z.string(),
        fsType: z.string().optional(),
        volumeAttributes: textMap.optional()
      })
      .optional(),
    nodeAffinity: z.looseObject({ required: z.looseObject({ nodeSelectorTerms: z.array(nodeTerm) }).optional() }).optional()
  }),
  status: z.looseObject({ phase: z.string().optional(), reason: z.string().optional(), message: z.string().optional() }).optional()
});

/** VolumeAttachment (storage.k8s.io/v1). */
export const attachmentSchema = kindOf('storage.k8s.io/v1', 'VolumeAttachment', {
  spec: z.looseObject({
    attacher: z.string(),
    nodeName: z.string(),
    source: z.looseObject({ persistentVolumeName: z.string().optional() })
  }),
  status: z
    .looseObject({
      attached: z.boolean(),
      attachError: z.looseObject({ message: z.string().optional(), time: z.string().optional() }).optional(),
      detachError: z.looseObject({ message: z.string().optional(), time: z.string().optional() }).optional()
    })
    .optional()
});

/** How volumes are made. */
export type StorageClass = z.infer<typeof storageClassSchema>;
/** What of volumes can change while they are in use. */
export type AttributesClass = z.infer<typeof attributesClassSchema>;
/** How much room a driver has, and from where it is reached. */
export type StorageCapacity = z.infer<typeof capacitySchema>;
/** What a driver says of itself. */
export type CSIDriver = z.infer<typeof csiDriverSchema>;
/** Drivers that a node has, and how many volumes of each it takes. */
export type CSINode = z.infer<typeof csiNodeSchema>;
/** A claim on a volume. */
export type Claim = z.infer<typeof claimSchema>;
/** A volume as the cluster knows it. */
export type Volume = z.infer<typeof volumeSchema>;
/** A volume that is attached to a node, or is to be. */
export type Attachment = z.infer<typeof attachmentSchema>;

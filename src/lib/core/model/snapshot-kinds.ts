import { z } from 'zod';
import { kindOf, quantity, textMap } from './meta';

/** The published group of snapshots (CSI snapshotter's custom resources, `v1`). */
export const snapshotApi = 'snapshot.storage.k8s.io/v1';

/** VolumeSnapshotClass (snapshot.storage.k8s.io/v1). */
export const snapshotClassSchema = kindOf(snapshotApi, 'VolumeSnapshotClass', {
  driver: z.string(),
  deletionPolicy: z.enum(['Delete', 'Retain']),
  parameters: textMap.optional()
});

const snapshotError = z.looseObject({ message: z.string().optional(), time: z.string().optional() });

/** VolumeSnapshot (snapshot.storage.k8s.io/v1). */
export const snapshotSchema = kindOf(snapshotApi, 'VolumeSnapshot', {
  spec: z.looseObject({
    source: z.looseObject({ persistentVolumeClaimName: z.string().optional(), volumeSnapshotContentName: z.string().optional() }),
    volumeSnapshotClassName: z.string().optional()
  }),
  status: z
    .looseObject({
      boundVolumeSnapshotContentName: z.string().optional(),
      creationTime: z.string().optional(),
      readyToUse: z.boolean().optional(),
      restoreSize: quantity.optional(),
      error: snapshotError.optional()
    })
    .optional()
});

/** VolumeSnapshotContent (snapshot.storage.k8s.io/v1). */
export const snapshotContentSchema = kindOf(snapshotApi, 'VolumeSnapshotContent', {
  spec: z.looseObject({
    driver: z.string(),
    deletionPolicy: z.enum(['Delete', 'Retain']),
    source: z.looseObject({ volumeHandle: z.string().optional(), snapshotHandle: z.string().optional() }),
    volumeSnapshotClassName: z.string().optional(),
    volumeSnapshotRef: z.looseObject({ namespace: z.string().optional(), name: z.string().optional(), uid: z.string().optional() })
  }),
  status: z
    .looseObject({
      snapshotHandle: z.string().optional(),
      creationTime: z.number().optional(),
      readyToUse: z.boolean().optional(),
      restoreSize: z.number().optional()
    })
    .optional()
});

/** How snapshots are made. */
export type SnapshotClass = z.infer<typeof snapshotClassSchema>;
/** A snapshot that somebody asked for. */
export type Snapshot = z.infer<typeof snapshotSchema>;
/** What the backend keeps of a snapshot. */
export type SnapshotContent = z.infer<typeof snapshotContentSchema>;

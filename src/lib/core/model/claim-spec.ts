import { z } from 'zod';
import { labelSelector, quantity, quantityMap } from './meta';

/** How a volume may be mounted (core/v1). */
export const accessMode = z.enum(['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod']);
/** Whether a volume is a directory or a device (core/v1). */
export const volumeMode = z.enum(['Filesystem', 'Block']);

/** What a claim asks for (core/v1, PersistentVolumeClaimSpec). */
export const claimSpec = z.looseObject({
  accessModes: z.array(accessMode).min(1),
  resources: z.looseObject({ requests: z.looseObject({ storage: quantity }), limits: quantityMap.optional() }),
  storageClassName: z.string().optional(),
  volumeAttributesClassName: z.string().optional(),
  volumeName: z.string().optional(),
  volumeMode: volumeMode.optional(),
  selector: labelSelector.optional(),
  dataSource: z.looseObject({ apiGroup: z.string().optional(), kind: z.string(), name: z.string() }).optional(),
  dataSourceRef: z
    .looseObject({ apiGroup: z.string().optional(), kind: z.string(), name: z.string(), namespace: z.string().optional() })
    .optional()
});

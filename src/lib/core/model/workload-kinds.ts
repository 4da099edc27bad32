import { z } from 'zod';
import { condition, count, intOrText, kindOf, labelSelector, objectMeta } from './meta';
import { podTemplate } from './pod-kinds';
import { claimSpec } from './claim-spec';

/** What the claims of a set are made from. */
export const claimTemplate = z.looseObject({ metadata: objectMeta, spec: claimSpec });

/** StatefulSet (apps/v1). */
export const statefulSetSchema = kindOf('apps/v1', 'StatefulSet', {
  spec: z.looseObject({
    replicas: count.optional(),
    serviceName: z.string().optional(),
    selector: labelSelector,
    template: podTemplate,
    volumeClaimTemplates: z.array(claimTemplate).optional(),
    podManagementPolicy: z.enum(['OrderedReady', 'Parallel']).optional(),
    updateStrategy: z
      .looseObject({
        type: z.enum(['RollingUpdate', 'OnDelete']).optional(),
        rollingUpdate: z.looseObject({ partition: count.optional(), maxUnavailable: intOrText.optional() }).optional()
      })
      .optional(),
    persistentVolumeClaimRetentionPolicy: z
      .looseObject({ whenDeleted: z.enum(['Retain', 'Delete']).optional(), whenScaled: z.enum(['Retain', 'Delete']).optional() })
      .optional(),
    ordinals: z.looseObject({ start: count.optional() }).optional(),
    minReadySeconds: count.optional(),
    revisionHistoryLimit: count.optional()
  }),
  status: z
    .looseObject({
      replicas: z.number().optional(),
      readyReplicas: z.number().optional(),
      currentReplicas: z.number().optional(),
      updatedReplicas: z.number().optional(),
      availableReplicas: z.number().optional(),
      currentRevision: z.string().optional(),
      updateRevision: z.string().optional(),
      observedGeneration: z.number().optional()
    })
    .optional()
});

/** ControllerRevision (apps/v1): a template that a set had, or has. */
export const controllerRevisionSchema = kindOf('apps/v1', 'ControllerRevision', {
  data: z.looseObject({ spec: z.looseObject({ template: podTemplate }) }).optional(),
  revision: z.number()
});

/** Deployment (apps/v1). */
export const deploymentSchema = kindOf('apps/v1', 'Deployment', {
  spec: z.looseObject({
    replicas: count.optional(),
    paused: z.boolean().optional(),
    revisionHistoryLimit: count.optional(),
    minReadySeconds: count.optional(),
    progressDeadlineSeconds: count.optional(),
    selector: labelSelector,
    template: podTemplate,
    strategy: z
      .looseObject({
        type: z.enum(['RollingUpdate', 'Recreate']).optional(),
        rollingUpdate: z.looseObject({ maxSurge: intOrText.optional(), maxUnavailable: intOrText.optional() }).optional()
      })
      .optional()
  }),
  status: z
    .looseObject({
      replicas: z.number().optional(),
      readyReplicas: z.number().optional(),
      updatedReplicas: z.number().optional(),
      availableReplicas: z.number().optional(),
      unavailableReplicas: z.number().optional(),
      observedGeneration: z.number().optional(),
      conditions: z.array(condition).optional()
    })
    .optional()
});

/** DaemonSet (apps/v1). */
export const daemonSetSchema = kindOf('apps/v1', 'DaemonSet', {
  spec: z.looseObject({
    selector: labelSelector,
    template: podTemplate,
    minReadySeconds: count.optional(),
    updateStrategy: z
      .looseObject({
        type: z.enum(['RollingUpdate', 'OnDelete']).optional(),
        rollingUpdate: z.looseObject({ maxSurge: intOrText.optional(), maxUnavailable: intOrText.optional() }).optional()
      })
      .optional()
  }),
  status: z
    .looseObject({
      currentNumberScheduled: z.number().optional(),
      desiredNumberScheduled: z.number().optional(),
      numberMisscheduled: z.number().optional(),
      numberReady: z.number().optional(),
      numberAvailable: z.number().optional(),
      numberUnavailable: z.number().optional(),
      updatedNumberScheduled: z.number().optional(),
      observedGeneration: z.number().optional()
    })
    .optional()
});

/** Job (batch/v1). */
export const jobSchema = kindOf('batch/v1', 'Job', {
  spec: z.looseObject({
    template: podTemplate,
    completions: count.optional(),
    parallelism: count.optional(),
    backoffLimit: count.optional(),
    suspend: z.boolean().optional(),
    activeDeadlineSeconds: count.optional(),
    ttlSecondsAfterFinished: count.optional()
  }),
  status: z
    .looseObject({
      active: z.number().optional(),
      succeeded: z.number().optional(),
      failed: z.number().optional(),
      startTime: z.string().optional(),
      completionTime: z.string().optional(),
      conditions: z.array(condition).optional()
    })
    .optional()
});

/** CronJob (batch/v1): jobs by the clock. */
export const cronJobSchema = kindOf('batch/v1', 'CronJob', {
  spec: z.looseObject({
    schedule: z.string(),
    timeZone: z.string().optional(),
    suspend: z.boolean().optional(),
    concurrencyPolicy: z.string().optional(),
    startingDeadlineSeconds: count.optional(),
    successfulJobsHistoryLimit: count.optional(),
    failedJobsHistoryLimit: count.optional(),
    jobTemplate: z.looseObject({ metadata: objectMeta.partial().optional(), spec: jobSchema.shape.spec })
  }),
  status: z
    .looseObject({
      active: z
        .array(z.looseObject({ kind: z.string().optional(), namespace: z.string().optional(), name: z.string().optional() }))
        .optional(),
      lastScheduleTime: z.string().optional(),
      lastSuccessfulTime: z.string().optional()
    })
    .optional()
});

/** Jobs by the clock. */
export type CronJob = z.infer<typeof cronJobSchema>;
/** Pods that end. */
export type Job = z.infer<typeof jobSchema>;
/** Members with names and claims of their own. */
export type StatefulSet = z.infer<typeof statefulSetSchema>;
/** Pods that are alike. */
export type Deployment = z.infer<typeof deploymentSchema>;
/** One pod on each node. */
export type DaemonSet = z.infer<typeof daemonSetSchema>;
/** A template that a set had, or has. */
export type ControllerRevision = z.infer<typeof controllerRevisionSchema>;

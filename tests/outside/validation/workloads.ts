import { claimSpec, good, podSpec, type Row, type Section } from './table';

const of = (kind: keyof typeof good, name: string, rows: readonly Row[], at = 'spec'): Section => ({
  of: name,
  base: good[kind],
  at,
  rows
});
const template = (spec: object): Row[0] => ({ template: { metadata: { labels: { app: 'one' } }, spec: { ...podSpec, ...spec } } });
const job = (spec: object): Row[0] => ({ template: { spec: { ...podSpec, ...spec } } });
const rolling = (one: object): Row[0] => ({ strategy: { type: 'RollingUpdate', rollingUpdate: one } });
const daemons = (one: object): Row[0] => ({ updateStrategy: { type: 'RollingUpdate', rollingUpdate: one } });

export const workloads: readonly Section[] = [
  of('StatefulSet', 'StatefulSetSpec v1 apps', [
    [{ replicas: 0 }],
    [{ replicas: -1 }, 'replicas'],
    [{ replicas: 1.5 }, 'replicas'],
    [{ selector: { matchLabels: { app: 'two' } } }, 'selector'],
    [{ selector: {} }, 'selector'],
    [
      { selector: { matchExpressions: [{ key: 'app', operator: 'In' }], matchLabels: { app: 'one' } } },
      'selector.matchExpressions[0].values'
    ],
    [{ podManagementPolicy: 'Parallel' }],
    [{ podManagementPolicy: 'Together' }, 'podManagementPolicy'],
    [{ updateStrategy: { type: 'OnDelete' } }],
    [{ updateStrategy: { type: 'OnDelete', rollingUpdate: { partition: 1 } } }, 'updateStrategy.rollingUpdate'],
    [{ updateStrategy: { type: 'Recreate' } }, 'updateStrategy.type'],
    [{ updateStrategy: { rollingUpdate: { partition: -1 } } }, 'updateStrategy.rollingUpdate.partition'],
    [{ updateStrategy: { rollingUpdate: { maxUnavailable: 0 } } }, 'updateStrategy.rollingUpdate.maxUnavailable'],
    [{ updateStrategy: { rollingUpdate: { maxUnavailable: '101%' } } }, 'updateStrategy.rollingUpdate.maxUnavailable'],
    [template({ restartPolicy: 'Always' })],
    [template({ restartPolicy: 'OnFailure' }), 'template.spec.restartPolicy'],
    [template({ activeDeadlineSeconds: 60 }), 'template.spec.activeDeadlineSeconds'],
    [template({ nodeSelector: { a: 'b c' } }), 'template.spec.nodeSelector.a'],
    [{ template: { metadata: { labels: { app: 'one', b: 'c d' } }, spec: podSpec } }, 'template.metadata.labels.b'],
    [{ minReadySeconds: -1 }, 'minReadySeconds'],
    [{ revisionHistoryLimit: -1 }, 'revisionHistoryLimit'],
    [{ ordinals: { start: 3 } }],
    [{ ordinals: { start: -1 } }, 'ordinals.start'],
    [{ persistentVolumeClaimRetentionPolicy: { whenDeleted: 'Keep' } }, 'persistentVolumeClaimRetentionPolicy.whenDeleted'],
    [{ volumeClaimTemplates: [{ metadata: { name: 'data' }, spec: claimSpec }] }],
    [
      { volumeClaimTemplates: [{ metadata: { name: 'data' }, spec: { ...claimSpec, accessModes: [] } }] },
      'volumeClaimTemplates[0].spec.accessModes'
    ],
    [
      { volumeClaimTemplates: [{ metadata: { name: 'data' }, spec: { ...claimSpec, volumeMode: 'Raw' } }] },
      'volumeClaimTemplates[0].spec.volumeMode'
    ],
    [
      {
        volumeClaimTemplates: [{ metadata: { name: 'data' }, spec: claimSpec }],
        ...template({ containers: [{ ...podSpec.containers[0], volumeMounts: [{ name: 'data', mountPath: '/data' }] }] })
      }
    ],
    [
      template({ containers: [{ ...podSpec.containers[0], volumeMounts: [{ name: 'data', mountPath: '/data' }] }] }),
      'template.spec.containers[0].volumeMounts[0].name'
    ]
  ]),
  of('Deployment', 'DeploymentSpec v1 apps', [
    [{ strategy: { type: 'Recreate' } }],
    [{ strategy: { type: 'Recreate', rollingUpdate: { maxSurge: 1 } } }, 'strategy.rollingUpdate'],
    [{ strategy: { type: 'Replace' } }, 'strategy.type'],
    [rolling({ maxSurge: '25%', maxUnavailable: 1 })],
    [rolling({ maxSurge: '25' }), 'strategy.rollingUpdate.maxSurge'],
    [rolling({ maxSurge: '150%' })],
    [rolling({ maxUnavailable: '101%' }), 'strategy.rollingUpdate.maxUnavailable'],
    [rolling({ maxUnavailable: -1 }), 'strategy.rollingUpdate.maxUnavailable'],
    [rolling({ maxSurge: 0, maxUnavailable: 0 }), 'strategy.rollingUpdate.maxUnavailable'],
    [rolling({ maxSurge: '0%', maxUnavailable: '0%' }), 'strategy.rollingUpdate.maxUnavailable'],
    [rolling({ maxSurge: 0, maxUnavailable: 1 })],
    [{ minReadySeconds: 10, progressDeadlineSeconds: 11 }],
    [{ minReadySeconds: 10, progressDeadlineSeconds: 10 }, 'progressDeadlineSeconds'],
    [{ minReadySeconds: 600 }, 'progressDeadlineSeconds'],
    [{ replicas: -2 }, 'replicas'],
    [{ paused: 'yes' }, 'paused'],
    [template({ restartPolicy: 'Never' }), 'template.spec.restartPolicy'],
    [template({ activeDeadlineSeconds: 60 }), 'template.spec.activeDeadlineSeconds']
  ]),
  of('DaemonSet', 'DaemonSetSpec v1 apps', [
    [{ updateStrategy: { type: 'OnDelete' } }],
    [{ updateStrategy: { type: 'Rolling' } }, 'updateStrategy.type'],
    [daemons({ maxUnavailable: 2 })],
    [daemons({ maxUnavailable: 0 }), 'updateStrategy.rollingUpdate.maxUnavailable'],
    [daemons({ maxUnavailable: 0, maxSurge: 1 })],
    [daemons({ maxUnavailable: 1, maxSurge: 1 }), 'updateStrategy.rollingUpdate.maxSurge'],
    [{ minReadySeconds: -5 }, 'minReadySeconds'],
    [template({ restartPolicy: 'OnFailure' }), 'template.spec.restartPolicy']
  ]),
  of('Job', 'JobSpec v1 batch', [
    [{ parallelism: 0 }],
    [{ parallelism: -1 }, 'parallelism'],
    [{ completions: -1 }, 'completions'],
    [{ backoffLimit: -1 }, 'backoffLimit'],
    [{ activeDeadlineSeconds: -1 }, 'activeDeadlineSeconds'],
    [{ ttlSecondsAfterFinished: 0 }],
    [{ completionMode: 'Indexed', completions: 3 }],
    [{ completionMode: 'Indexed' }, 'completions'],
    [{ completionMode: 'Sorted' }, 'completionMode'],
    [{ selector: { matchLabels: { a: 'b' } } }, 'selector'],
    [job({ restartPolicy: 'OnFailure' })],
    [job({}), 'template.spec.restartPolicy'],
    [job({ restartPolicy: 'Always' }), 'template.spec.restartPolicy'],
    [{ suspend: 1 }, 'suspend']
  ]),
  of('PodDisruptionBudget', 'PodDisruptionBudgetSpec v1 policy', [
    [{ minAvailable: '50%' }],
    [{ minAvailable: '150%' }, 'minAvailable'],
    [{ minAvailable: 'half' }, 'minAvailable'],
    [{ minAvailable: -1 }, 'minAvailable'],
    [{ maxUnavailable: 1 }, 'maxUnavailable'],
    [{ minAvailable: undefined, maxUnavailable: 1 }],
    [{ unhealthyPodEvictionPolicy: 'AlwaysAllow' }],
    [{ unhealthyPodEvictionPolicy: 'Never' }, 'unhealthyPodEvictionPolicy'],
    [{ selector: { matchExpressions: [{ key: 'a', operator: 'Near' }] } }, 'selector.matchExpressions[0].operator']
  ])
];

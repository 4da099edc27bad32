import { claimSpec, good, podSpec, type Row, type Section } from './table';

const section = (of: string, rows: readonly Row[], at = 'spec'): Section => ({ of, base: good.Pod, at, rows });
const volume = (one: object): Row[0] => ({ volumes: [{ name: 'v', ...one }] });
const starts = (one: object): Row[0] => ({ initContainers: [{ name: 'first', image: 'one:1', ...one }] });
const tolerates = (one: object): Row[0] => ({ tolerations: [one] });
const spread = (one: object): Row[0] => ({
  topologySpreadConstraints: [
    { maxSkew: 1, topologyKey: 'topology.kubernetes.io/zone', whenUnsatisfiable: 'DoNotSchedule', labelSelector: {}, ...one }
  ]
});
const required = 'requiredDuringSchedulingIgnoredDuringExecution';
const preferred = 'preferredDuringSchedulingIgnoredDuringExecution';
const nodes = (expression: object): Row[0] => ({
  affinity: { nodeAffinity: { [required]: { nodeSelectorTerms: [{ matchExpressions: [expression] }] } } }
});
const apart = (one: object): Row[0] => ({
  affinity: { podAntiAffinity: { [required]: [{ topologyKey: 'kubernetes.io/hostname', ...one }] } }
});
const expressions = `affinity.nodeAffinity.${required}.nodeSelectorTerms[0].matchExpressions[0]`;
const apartAt = `affinity.podAntiAffinity.${required}[0]`;
const projected = (one: object): Row[0] => volume({ projected: { sources: [one] } });

export const pods: readonly Section[] = [
  section('PodSpec v1 core', [
    [{ restartPolicy: 'OnFailure' }],
    [{ restartPolicy: 'Sometimes' }, 'restartPolicy'],
    [{ restartPolicy: 'always' }, 'restartPolicy'],
    [{ terminationGracePeriodSeconds: 0 }],
    [{ terminationGracePeriodSeconds: -1 }, 'terminationGracePeriodSeconds'],
    [{ activeDeadlineSeconds: 60 }],
    [{ activeDeadlineSeconds: 0 }, 'activeDeadlineSeconds'],
    [{ dnsPolicy: 'Default' }],
    [{ dnsPolicy: 'Cluster' }, 'dnsPolicy'],
    [{ dnsPolicy: 'None' }, 'dnsConfig.nameservers'],
    [{ dnsPolicy: 'None', dnsConfig: { nameservers: ['10.0.0.10'] } }],
    [{ dnsConfig: { nameservers: ['a', '10.0.0.1'] } }, 'dnsConfig.nameservers[0]'],
    [{ dnsConfig: { nameservers: ['10.0.0.1', '10.0.0.2', '10.0.0.3', '10.0.0.4'] } }, 'dnsConfig.nameservers'],
    [{ hostAliases: [{ ip: '10.0.0.4', hostnames: ['a.test'] }] }],
    [{ hostAliases: [{ ip: 'ten', hostnames: ['a.test'] }] }, 'hostAliases[0].ip'],
    [{ hostname: 'h' }],
    [{ hostname: 'h'.repeat(64) }, 'hostname'],
    [{ hostname: 'a.b' }, 'hostname'],
    [{ subdomain: 'A' }, 'subdomain'],
    [{ serviceAccountName: 'Robot' }, 'serviceAccountName'],
    [{ nodeName: 'Node_1' }, 'nodeName'],
    [{ nodeSelector: { 'topology.kubernetes.io/zone': 'a' } }],
    [{ nodeSelector: { 'a b': 'c' } }, 'nodeSelector.a b'],
    [{ nodeSelector: { zone: 'a b' } }, 'nodeSelector.zone'],
    [{ preemptionPolicy: 'Never' }],
    [{ preemptionPolicy: 'Maybe' }, 'preemptionPolicy'],
    [{ schedulingGates: [{ name: 'example.test/quota' }] }],
    [{ schedulingGates: [{ name: 'a' }, { name: 'a' }] }, 'schedulingGates[1]'],
    [{ schedulingGates: [{ name: 'a' }], nodeName: 'node-1' }, 'nodeName'],
    [{ readinessGates: [{ conditionType: 'a b' }] }, 'readinessGates[0].conditionType'],
    [{ shareProcessNamespace: true, hostPID: true }, 'shareProcessNamespace'],
    [{ securityContext: { fsGroup: 2000, fsGroupChangePolicy: 'OnRootMismatch' } }],
    [{ securityContext: { fsGroupChangePolicy: 'Never' } }, 'securityContext.fsGroupChangePolicy'],
    [{ securityContext: { supplementalGroups: [-4] } }, 'securityContext.supplementalGroups[0]'],
    [{ os: { name: 'plan9' } }, 'os.name'],
    [{ imagePullSecrets: [{}] }, 'imagePullSecrets[0].name'],
    [{ ephemeralContainers: [{ name: 'debug', image: 'one:1' }] }, 'ephemeralContainers'],
    [{ containers: [] }, 'containers'],
    [{ containers: [...podSpec.containers, ...podSpec.containers] }, 'containers[1].name'],
    [
      { hostNetwork: true, containers: [{ name: 'a', image: 'b', ports: [{ containerPort: 80, hostPort: 81 }] }] },
      'containers[0].ports[0].hostPort'
    ],
    [{ enableServiceLinks: 'no' }, 'enableServiceLinks'],
    [{ priority: 'high' }, 'priority']
  ]),
  section('"Init Containers", "Sidecar Containers"', [
    [starts({})],
    [starts({ name: 'main' }), 'initContainers[0].name'],
    [starts({ restartPolicy: 'Always', readinessProbe: { tcpSocket: { port: 80 } } })],
    [starts({ restartPolicy: 'Never' }), 'initContainers[0].restartPolicy'],
    [starts({ readinessProbe: { tcpSocket: { port: 80 } } }), 'initContainers[0].readinessProbe'],
    [starts({ lifecycle: { preStop: { exec: { command: ['a'] } } } }), 'initContainers[0].lifecycle']
  ]),
  section('Volume v1 core', [
    [volume({})],
    [volume({ emptyDir: {} })],
    [volume({ name: 'V' }), 'volumes[0].name'],
    [{ volumes: [{ name: 'v' }, { name: 'v' }] }, 'volumes[1]'],
    [volume({ emptyDir: {}, hostPath: { path: '/a' } }), 'volumes[0].hostPath'],
    [volume({ persistentVolumeClaim: { claimName: 'c' } })],
    [volume({ persistentVolumeClaim: { claimName: '' } }), 'volumes[0].persistentVolumeClaim.claimName'],
    [volume({ emptyDir: { medium: 'Memory', sizeLimit: '1Gi' } })],
    [volume({ emptyDir: { medium: 'Disk' } }), 'volumes[0].emptyDir.medium'],
    [volume({ emptyDir: { sizeLimit: 'much' } }), 'volumes[0].emptyDir.sizeLimit'],
    [volume({ hostPath: { path: '/a', type: 'Directory' } })],
    [volume({ hostPath: { path: '/a', type: 'Folder' } }), 'volumes[0].hostPath.type'],
    [volume({ hostPath: { path: '/a/../b' } }), 'volumes[0].hostPath.path'],
    [volume({ configMap: {} }), 'volumes[0].configMap.name'],
    [volume({ configMap: { name: 'c', defaultMode: 0o644 } })],
    [volume({ configMap: { name: 'c', defaultMode: 0o1000 } }), 'volumes[0].configMap.defaultMode'],
    [volume({ configMap: { name: 'c', items: [{ key: 'k', path: '../x' }] } }), 'volumes[0].configMap.items[0].path'],
    [volume({ configMap: { name: 'c', items: [{ key: 'k', path: '/x' }] } }), 'volumes[0].configMap.items[0].path'],
    [volume({ configMap: { name: 'c', items: [{ path: 'x' }] } }), 'volumes[0].configMap.items[0].key'],
    [volume({ secret: {} }), 'volumes[0].secret.secretName'],
    [volume({ secret: { secretName: 's', items: [{ key: 'k', path: 'x', mode: 0o400 }] } })],
    [volume({ csi: { driver: '' } }), 'volumes[0].csi.driver'],
    [volume({ nfs: { server: 'files.test', path: 'exports' } }), 'volumes[0].nfs.path'],
    [volume({ ephemeral: { volumeClaimTemplate: { spec: claimSpec } } })],
    [volume({ ephemeral: {} }), 'volumes[0].ephemeral.volumeClaimTemplate'],
    [
      volume({ ephemeral: { volumeClaimTemplate: { spec: { ...claimSpec, accessModes: [] } } } }),
      'volumes[0].ephemeral.volumeClaimTemplate.spec.accessModes'
    ],
    [volume({ downwardAPI: { items: [{ path: 'l', fieldRef: { fieldPath: 'metadata.labels' } }] } })],
    [
      volume({ downwardAPI: { items: [{ path: 'l', fieldRef: { fieldPath: 'spec.nodeName' } }] } }),
      'volumes[0].downwardAPI.items[0].fieldRef.fieldPath'
    ],
    [volume({ downwardAPI: { items: [{ path: 'l' }] } }), 'volumes[0].downwardAPI.items[0]']
  ]),
  section('ProjectedVolumeSource v1 core', [
    [projected({ serviceAccountToken: { path: 'token', expirationSeconds: 3600 } })],
    [
      projected({ serviceAccountToken: { path: 'token', expirationSeconds: 60 } }),
      'volumes[0].projected.sources[0].serviceAccountToken.expirationSeconds'
    ],
    [projected({ serviceAccountToken: {} }), 'volumes[0].projected.sources[0].serviceAccountToken.path'],
    [projected({}), 'volumes[0].projected.sources[0]'],
    [projected({ secret: { name: 's' }, configMap: { name: 'c' } }), 'volumes[0].projected.sources[0].configMap'],
    [
      volume({
        projected: {
          sources: [
            { secret: { name: 's', items: [{ key: 'a', path: 'x' }] } },
            { configMap: { name: 'c', items: [{ key: 'a', path: 'x' }] } }
          ]
        }
      }),
      'volumes[0].projected.sources[1].configMap.items[0].path'
    ]
  ]),
  section('Toleration v1 core', [
    [tolerates({ key: 'a', operator: 'Equal', value: 'b', effect: 'NoSchedule' })],
    [tolerates({ operator: 'Exists' })],
    [tolerates({ operator: 'Equal' }), 'tolerations[0].operator'],
    [tolerates({ key: 'a', operator: 'Exists', value: 'b' }), 'tolerations[0].value'],
    [tolerates({ key: 'a', operator: 'Is' }), 'tolerations[0].operator'],
    [tolerates({ key: 'a', effect: 'NoRun' }), 'tolerations[0].effect'],
    [tolerates({ key: 'a', operator: 'Exists', effect: 'NoExecute', tolerationSeconds: 60 })],
    [tolerates({ key: 'a', operator: 'Exists', effect: 'NoSchedule', tolerationSeconds: 60 }), 'tolerations[0].tolerationSeconds'],
    [tolerates({ key: 'a b', operator: 'Exists' }), 'tolerations[0].key'],
    [tolerates({ key: 'a', value: 'b c' }), 'tolerations[0].value']
  ]),
  section('TopologySpreadConstraint v1 core', [
    [spread({})],
    [spread({ maxSkew: 0 }), 'topologySpreadConstraints[0].maxSkew'],
    [spread({ topologyKey: '' }), 'topologySpreadConstraints[0].topologyKey'],
    [spread({ whenUnsatisfiable: 'Maybe' }), 'topologySpreadConstraints[0].whenUnsatisfiable'],
    [spread({ minDomains: 2 })],
    [spread({ minDomains: 0 }), 'topologySpreadConstraints[0].minDomains'],
    [spread({ minDomains: 2, whenUnsatisfiable: 'ScheduleAnyway' }), 'topologySpreadConstraints[0].minDomains'],
    [spread({ nodeTaintsPolicy: 'Honor', nodeAffinityPolicy: 'Ignore' })],
    [spread({ nodeTaintsPolicy: 'Yes' }), 'topologySpreadConstraints[0].nodeTaintsPolicy'],
    [spread({ labelSelector: { matchLabels: { app: 'a' } }, matchLabelKeys: ['app'] }), 'topologySpreadConstraints[0].matchLabelKeys[0]'],
    [
      { topologySpreadConstraints: [1, 2].map(() => ({ maxSkew: 1, topologyKey: 'z', whenUnsatisfiable: 'DoNotSchedule' })) },
      'topologySpreadConstraints[1]'
    ]
  ]),
  section('NodeAffinity v1 core', [
    [nodes({ key: 'zone', operator: 'In', values: ['a'] })],
    [nodes({ key: 'zone', operator: 'In' }), `${expressions}.values`],
    [nodes({ key: 'zone', operator: 'Exists', values: ['a'] }), `${expressions}.values`],
    [nodes({ key: 'zone', operator: 'Exists' })],
    [nodes({ key: 'zone', operator: 'Gt', values: ['1'] })],
    [nodes({ key: 'zone', operator: 'Lt', values: ['1', '2'] }), `${expressions}.values`],
    [nodes({ key: 'zone', operator: 'Has', values: ['a'] }), `${expressions}.operator`],
    [nodes({ key: 'a b', operator: 'Exists' }), `${expressions}.key`],
    [{ affinity: { nodeAffinity: { [required]: { nodeSelectorTerms: [] } } } }, `affinity.nodeAffinity.${required}.nodeSelectorTerms`],
    [{ affinity: { nodeAffinity: { [preferred]: [{ weight: 1, preference: {} }] } } }],
    [{ affinity: { nodeAffinity: { [preferred]: [{ weight: 0, preference: {} }] } } }, `affinity.nodeAffinity.${preferred}[0].weight`],
    [{ affinity: { nodeAffinity: { [preferred]: [{ weight: 101, preference: {} }] } } }, `affinity.nodeAffinity.${preferred}[0].weight`],
    [
      {
        affinity: {
          nodeAffinity: { [required]: { nodeSelectorTerms: [{ matchFields: [{ key: 'metadata.uid', operator: 'In', values: ['a'] }] }] } }
        }
      },
      `affinity.nodeAffinity.${required}.nodeSelectorTerms[0].matchFields[0].key`
    ]
  ]),
  section('PodAffinityTerm v1 core', [
    [apart({ labelSelector: { matchLabels: { app: 'one' } } })],
    [apart({ topologyKey: '' }), `${apartAt}.topologyKey`],
    [apart({ namespaces: ['Space'] }), `${apartAt}.namespaces[0]`],
    [apart({ labelSelector: { matchExpressions: [{ key: 'a', operator: 'In' }] } }), `${apartAt}.labelSelector.matchExpressions[0].values`],
    [
      apart({ labelSelector: { matchExpressions: [{ key: 'a', operator: 'Exists', values: ['x'] }] } }),
      `${apartAt}.labelSelector.matchExpressions[0].values`
    ],
    [apart({ namespaceSelector: { matchLabels: { a: 'b c' } } }), `${apartAt}.namespaceSelector.matchLabels.a`],
    [apart({ matchLabelKeys: ['app'] }), `${apartAt}.matchLabelKeys[0]`],
    [
      { affinity: { podAffinity: { [preferred]: [{ weight: 0, podAffinityTerm: { topologyKey: 'z' } }] } } },
      `affinity.podAffinity.${preferred}[0].weight`
    ],
    [
      { affinity: { podAffinity: { [preferred]: [{ weight: 5, podAffinityTerm: {} }] } } },
      `affinity.podAffinity.${preferred}[0].podAffinityTerm.topologyKey`
    ]
  ]),
  section(
    'ObjectMeta v1 meta; "Labels and Selectors", "Annotations", "Finalizers"',
    [
      [{ labels: { 'example.test/a': 'b', c: '' } }],
      [{ labels: { a: 'x'.repeat(64) } }, 'labels.a'],
      [{ labels: { a: 'x/y' } }, 'labels.a'],
      [{ labels: { a: 'x y' } }, 'labels.a'],
      [{ labels: { a: '-x' } }, 'labels.a'],
      [{ labels: { '/a': 'x' } }, 'labels./a'],
      [{ labels: { 'a/b/c': 'x' } }, 'labels.a/b/c'],
      [{ labels: { ['k'.repeat(64)]: 'x' } }, `labels.${'k'.repeat(64)}`],
      [{ labels: { a: 1.2 } }, 'labels.a'],
      [{ annotations: { 'example.test/a': 'any text at all / even this' } }],
      [{ annotations: { 'a b': 'x' } }, 'annotations.a b'],
      [{ annotations: { a: 'x'.repeat(262_143) } }],
      [{ annotations: { a: 'x'.repeat(262_144) } }, 'annotations'],
      [{ finalizers: ['example.test/keep'] }],
      [{ finalizers: ['keep'] }, 'finalizers[0]'],
      [{ finalizers: ['foregroundDeletion'] }],
      [{ ownerReferences: [{ apiVersion: 'v1', kind: 'Pod', name: 'a', uid: '' }] }, 'ownerReferences[0].uid'],
      [
        { ownerReferences: [1, 2].map((n) => ({ apiVersion: 'v1', kind: 'Pod', name: `p${n}`, uid: `u${n}`, controller: true })) },
        'ownerReferences[1].controller'
      ]
    ],
    'metadata'
  )
];

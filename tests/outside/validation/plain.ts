import { good, podSpec, type Row, type Section } from './table';

const of = (kind: keyof typeof good, name: string, rows: readonly Row[], at = ''): Section => ({ of: name, base: good[kind], at, rows });
const rule = (one: object): Row[0] => ({ rules: [{ apiGroups: [''], resources: ['pods'], verbs: ['get'], ...one }] });
const subject = (one: object): Row[0] => ({ subjects: [{ kind: 'ServiceAccount', name: 'default', namespace: 'space', ...one }] });
const role = (one: object): Row[0] => ({ roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'Role', name: 'one', ...one } });
const hook = (one: object): Row[0] => ({ webhooks: [{ ...good.ValidatingWebhookConfiguration.webhooks[0], ...one }] });
const taint = (...list: object[]): Row[0] => ({ taints: list });

export const plain: readonly Section[] = [
  of('ConfigMap', 'ConfigMap v1 core; "ConfigMaps"', [
    [{ data: { 'a.b-c_D': '' } }],
    [{ data: { 'a b': '' } }, 'data.a b'],
    [{ data: { 'a/b': '' } }, 'data.a/b'],
    [{ data: { '..': '' } }, 'data...'],
    [{ data: { ['k'.repeat(254)]: '' } }, `data.${'k'.repeat(254)}`],
    [{ data: { a: 5 } }, 'data.a'],
    [{ binaryData: { a: 'aGk=' } }],
    [{ binaryData: { a: '***' } }, 'binaryData.a'],
    // RFC 4648, section 3.3: what is outside the alphabet is refused, and a blank is.
    [{ binaryData: { a: 'aG k=' } }, 'binaryData.a'],
    [{ binaryData: { a: 'aGk=\naGk=\n' } }, 'binaryData.a'],
    [{ binaryData: { 'one.conf': 'aGk=' } }, 'binaryData.one.conf'],
    [{ data: { a: 'x'.repeat(2 ** 20) } }],
    [{ data: { a: 'x'.repeat(2 ** 20 + 1) } }, 'data'],
    [{ data: { a: 'é'.repeat(2 ** 19 + 1) } }, 'data'],
    [{ immutable: 'yes' }, 'immutable']
  ]),
  of('Secret', 'Secret v1 core; "Secrets", types of secret', [
    [{ data: { a: 'aGk=' } }],
    [{ data: { a: 'hi' } }, 'data.a'],
    [{ data: { 'a b': 'aGk=' } }, 'data.a b'],
    [{ stringData: { 'a b': 'x' } }, 'stringData.a b'],
    [{ stringData: { a: 'x'.repeat(2 ** 20 + 1) } }, 'stringData'],
    [{ type: 'kubernetes.io/tls', stringData: { 'tls.crt': 'c', 'tls.key': 'k' } }],
    [{ type: 'kubernetes.io/tls', stringData: { 'tls.crt': 'c' } }, 'data.tls.key'],
    [{ type: 'kubernetes.io/basic-auth', stringData: { username: 'u' } }],
    [{ type: 'kubernetes.io/basic-auth' }, 'data.username'],
    [{ type: 'kubernetes.io/ssh-auth' }, 'data.ssh-privatekey'],
    [{ type: 'kubernetes.io/dockerconfigjson', stringData: { '.dockerconfigjson': '{}' } }],
    [{ type: 'kubernetes.io/dockerconfigjson', stringData: { '.dockerconfigjson': '{' } }, 'stringData..dockerconfigjson'],
    [{ type: 'kubernetes.io/service-account-token' }, 'metadata.annotations.kubernetes.io/service-account.name'],
    [{ type: 'example.test/own' }]
  ]),
  of(
    'Node',
    'Taint v1 core',
    [
      [taint({ key: 'a', effect: 'NoSchedule' }, { key: 'a', effect: 'NoExecute' })],
      [taint({ key: 'a', effect: 'NoSchedule' }, { key: 'a', effect: 'NoSchedule', value: 'b' }), 'taints[1]'],
      [taint({ key: 'a', effect: 'NoRun' }), 'taints[0].effect'],
      [taint({ key: 'a b', effect: 'NoSchedule' }), 'taints[0].key'],
      [{ podCIDR: '10.0.0' }, 'podCIDR']
    ],
    'spec'
  ),
  of(
    'ResourceQuota',
    'ResourceQuotaSpec v1 core',
    [
      [{ hard: { 'requests.storage': '40Gi', 'count/pods': '4', 'fast.storageclass.storage.k8s.io/requests.storage': '4Gi' } }],
      [{ hard: { pods: 'many' } }, 'hard.pods'],
      [{ hard: { 'a b': '4' } }, 'hard.a b'],
      [{ hard: { pods: '-1' } }, 'hard.pods'],
      [{ hard: { pods: '1.5' } }, 'hard.pods'],
      [{ hard: { 'count/jobs.batch': '500m' } }, 'hard.count/jobs.batch'],
      [{ hard: { 'requests.cpu': '500m' } }],
      [{ scopes: ['BestEffort'] }],
      [{ scopes: ['Best'] }, 'scopes[0]']
    ],
    'spec'
  ),
  of(
    'LimitRange',
    'LimitRangeItem v1 core; "Limit Ranges"',
    [
      [
        { limits: [{ type: 'Container', default: { cpu: '1' }, defaultRequest: { cpu: '500m' }, max: { cpu: '2' }, min: { cpu: '100m' } }] }
      ],
      [{ limits: [{ type: 'Pod', max: { memory: '1Gi' }, maxLimitRequestRatio: { memory: '2' } }] }],
      [{ limits: [{ type: 'PersistentVolumeClaim', min: { storage: '1Gi' } }] }],
      [{ limits: [{ type: 'Volume' }] }, 'limits[0].type'],
      [{ limits: [{ type: 'Container', max: { cpu: 'much' } }] }, 'limits[0].max.cpu'],
      [{ limits: [{ type: 'Pod', default: { cpu: '1' } }] }, 'limits[0].default'],
      [{ limits: [{ type: 'Pod', defaultRequest: { cpu: '1' } }] }, 'limits[0].defaultRequest'],
      [{ limits: [{ type: 'Container', min: { cpu: '2' }, max: { cpu: '1' } }] }, 'limits[0].min.cpu'],
      [{ limits: [{ type: 'Container', default: { cpu: '2' }, max: { cpu: '1' } }] }, 'limits[0].default.cpu'],
      [{ limits: [{ type: 'Container', default: { cpu: '1' }, defaultRequest: { cpu: '2' } }] }, 'limits[0].defaultRequest.cpu'],
      [{ limits: [{ type: 'PersistentVolumeClaim', max: { cpu: '1' } }] }, 'limits[0]']
    ],
    'spec'
  ),
  of('PriorityClass', 'PriorityClass v1 scheduling.k8s.io; "Pod Priority and Preemption"', [
    [{ value: -5, globalDefault: true, preemptionPolicy: 'Never', description: 'last' }],
    [{ value: 1_000_000_000 }],
    [{ value: 1_000_000_001 }, 'value'],
    [{ value: undefined }, 'value'],
    [{ value: 'high' }, 'value'],
    [{ preemptionPolicy: 'Always' }, 'preemptionPolicy'],
    [{ metadata: { name: 'system-mine' } }, '/metadata.name']
  ]),
  of(
    'CronJob',
    'CronJobSpec v1 batch; "CronJob"',
    [
      [{ schedule: '*/5 1-4 * * mon', timeZone: 'Europe/Berlin', suspend: true, concurrencyPolicy: 'Forbid', startingDeadlineSeconds: 60 }],
      [{ schedule: '@hourly', successfulJobsHistoryLimit: 0, failedJobsHistoryLimit: 0 }],
      [{ schedule: '' }, 'schedule'],
      [{ schedule: '5 4 * *' }, 'schedule'],
      [{ schedule: '5 24 * * *' }, 'schedule'],
      [{ schedule: 'TZ=UTC 5 4 * * *' }, 'schedule'],
      [{ timeZone: 'Moon/Base' }, 'timeZone'],
      [{ concurrencyPolicy: 'Wait' }, 'concurrencyPolicy'],
      [{ startingDeadlineSeconds: -1 }, 'startingDeadlineSeconds'],
      [{ successfulJobsHistoryLimit: -1 }, 'successfulJobsHistoryLimit'],
      [
        { jobTemplate: { spec: { template: { spec: { ...podSpec, restartPolicy: 'Always' } } } } },
        'jobTemplate.spec.template.spec.restartPolicy'
      ],
      [{ jobTemplate: undefined }, 'jobTemplate']
    ],
    'spec'
  ),
  of('EndpointSlice', 'EndpointSlice v1 discovery.k8s.io', [
    [{ addressType: 'FQDN', endpoints: [{ addresses: ['store.example.test'] }] }],
    [{ addressType: 'IPv5' }, 'addressType'],
    [{ endpoints: [{ addresses: [] }] }, 'endpoints[0].addresses'],
    [{ endpoints: [{ addresses: ['nowhere'] }] }, 'endpoints[0].addresses[0]'],
    [{ endpoints: [{ addresses: ['10.61.4.7'], hostname: 'A b' }] }, 'endpoints[0].hostname'],
    [
      {
        ports: [
          { name: 'a', port: 1 },
          { name: 'a', port: 2 }
        ]
      },
      'ports[1]'
    ],
    [{ ports: [{ name: 'a', port: 70_000 }] }, 'ports[0].port'],
    [{ ports: [{ name: 'a', port: 1, protocol: 'ICMP' }] }, 'ports[0].protocol']
  ]),
  of(
    'VolumeSnapshotContent',
    'VolumeSnapshotContent v1 snapshot.storage.k8s.io',
    [
      [{ source: { volumeHandle: 'v-1' }, sourceVolumeMode: 'Filesystem' }],
      [{ driver: '' }, 'driver'],
      [{ driver: 'Block Driver' }, 'driver'],
      [{ deletionPolicy: 'Recycle' }, 'deletionPolicy'],
      [{ source: {} }, 'source'],
      [{ source: { volumeHandle: 'a', snapshotHandle: 'b' } }, 'source.snapshotHandle'],
      [{ volumeSnapshotRef: { name: 'then' } }, 'volumeSnapshotRef.namespace'],
      [{ volumeSnapshotRef: { namespace: 'space' } }, 'volumeSnapshotRef.name'],
      [{ sourceVolumeMode: 'Tape' }, 'sourceVolumeMode']
    ],
    'spec'
  ),
  of('Role', 'PolicyRule v1 rbac.authorization.k8s.io', [
    [rule({ resourceNames: ['a'] })],
    [rule({ verbs: [] }), 'rules[0].verbs'],
    [rule({ apiGroups: [] }), 'rules[0].apiGroups'],
    [rule({ resources: [] }), 'rules[0].resources'],
    [rule({ resources: undefined, apiGroups: undefined, nonResourceURLs: ['/metrics'] }), 'rules[0].nonResourceURLs'],
    [rule({ verbs: 'get' }), 'rules[0].verbs']
  ]),
  of('ClusterRole', 'PolicyRule v1 rbac.authorization.k8s.io, in the whole cluster', [
    [rule({ resources: undefined, apiGroups: undefined, nonResourceURLs: ['/metrics'] })],
    [rule({ nonResourceURLs: ['/metrics'] }), 'rules[0].resources']
  ]),
  of('RoleBinding', 'RoleBinding v1 rbac.authorization.k8s.io', [
    [role({ kind: 'ClusterRole' })],
    [role({ kind: 'Account' }), 'roleRef.kind'],
    [role({ apiGroup: '' }), 'roleRef.apiGroup'],
    [role({ name: '' }), 'roleRef.name'],
    [subject({ kind: 'User', apiGroup: 'rbac.authorization.k8s.io', name: 'ines', namespace: undefined })],
    [subject({ kind: 'Robot' }), 'subjects[0].kind'],
    [subject({ namespace: undefined }), 'subjects[0].namespace'],
    [subject({ apiGroup: 'rbac.authorization.k8s.io' }), 'subjects[0].apiGroup'],
    [subject({ name: '' }), 'subjects[0].name']
  ]),
  of('ValidatingWebhookConfiguration', 'ValidatingWebhook v1 admissionregistration.k8s.io', [
    [hook({ failurePolicy: 'Ignore', timeoutSeconds: 10 })],
    [hook({ name: 'check' }), 'webhooks[0].name'],
    [hook({ sideEffects: undefined }), 'webhooks[0].sideEffects'],
    [hook({ sideEffects: 'Some' }), 'webhooks[0].sideEffects'],
    [hook({ admissionReviewVersions: [] }), 'webhooks[0].admissionReviewVersions'],
    [hook({ timeoutSeconds: 31 }), 'webhooks[0].timeoutSeconds'],
    [hook({ failurePolicy: 'Retry' }), 'webhooks[0].failurePolicy'],
    [hook({ clientConfig: {} }), 'webhooks[0].clientConfig'],
    [hook({ clientConfig: { url: 'https://a.test', service: { name: 'a', namespace: 'b' } } }), 'webhooks[0].clientConfig.service']
  ])
];

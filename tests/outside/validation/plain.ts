import { good, type Row, type Section } from './table';

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
      [{ scopes: ['BestEffort'] }],
      [{ scopes: ['Best'] }, 'scopes[0]']
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

/*
 * Limits, quotas and network policies as they are drawn: what they let in. As in told.test.ts digests are held against those written down;
 * that each is right is shown elsewhere (obeys/limits, obeys/policies).
 */
import { test } from 'vitest';
import type { ApiObject, Claim, Pod, ResourceQuota } from '$core/model';
import { drawInt } from '$core/shared';
import { Store } from '$core/standin';
import { claimShut, podShut, quotaShut, usedOf, withLimits } from '$core/standin/admit/limits';
import { policyFault } from '$core/standin/provider/policies';
import { one, told } from './told-help';

/** A store that holds some objects, as they are written. */
function holding(list: readonly unknown[]): Store {
  const store = new Store(false);
  for (const object of list) store.place(undefined, object as ApiObject);
  return store;
}
const meta = (name: string, more: object = {}) => ({ name, namespace: 'space', ...more });

test('limit ranges and quotas, as they are drawn, over pods, claims, services and others', () => {
  const amounts = { cpu: ['100m', '250m', '1', '2'], memory: ['64Mi', '128Mi', '1Gi', '3Gi'] } as const;
  const drawn = (what: string, share = 2): Record<string, string> =>
    Object.fromEntries(
      (['cpu', 'memory'] as const).flatMap((name) =>
        drawInt(10, `${what} ${name}`, 0, share) ? [[name, one(amounts[name], `${what} ${name} of`)]] : []
      )
    );
  const container = (name: string, what: string) => ({
    name,
    image: 'shelf.standin.example/tools/t:1',
    ...(drawInt(10, `${what} said`, 0, 4) ? { resources: { requests: drawn(`${what} r`), limits: drawn(`${what} l`) } } : {})
  });
  const podOf = (what: string): Pod =>
    ({
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: meta(what.replaceAll(' ', '-')),
      spec: {
        containers: [container('main', `${what} main`), ...(drawInt(10, what, 0, 1) ? [container('beside', `${what} beside`)] : [])],
        ...(drawInt(10, `${what} i`, 0, 2) ? {} : { initContainers: [container('first', `${what} first`)] }),
        ...(drawInt(10, `${what} p`, 0, 2)
          ? {}
          : { priorityClassName: one(['high', 'low', 'none', 'system-node-critical'], `${what} class`) }),
        ...(drawInt(10, `${what} d`, 0, 2) ? {} : { activeDeadlineSeconds: 60 })
      },
      ...(drawInt(10, `${what} over`, 0, 4) ? {} : { status: { phase: 'Succeeded' } })
    }) as never;
  const claimOf = (what: string): Claim =>
    ({
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: meta(what.replaceAll(' ', '-')),
      spec: {
        accessModes: ['ReadWriteOnce'],
        ...(drawInt(10, `${what} c`, 0, 1) ? { storageClassName: one(['steady', 'other', ''], what) } : {}),
        resources: { requests: { storage: one(['1Gi', '5Gi', '40Gi'], `${what} s`) } }
      }
    }) as never;
  const others = (what: string): ApiObject[] =>
    [
      { apiVersion: 'v1', kind: 'Secret', metadata: meta(`${what}-s`) },
      {
        apiVersion: 'v1',
        kind: 'Service',
        metadata: meta(`${what}-v`),
        spec: { type: one(['ClusterIP', 'NodePort', 'LoadBalancer', undefined], what), ports: [{ port: 7110 }, { port: 7111 }] }
      },
      { apiVersion: 'v1', kind: 'ResourceQuota', metadata: meta(`${what}-q`) }
    ] as never;
  const rangeOf = (what: string) => ({
    apiVersion: 'v1',
    kind: 'LimitRange',
    metadata: meta('bounds'),
    spec: {
      limits: (['Container', 'Pod', 'PersistentVolumeClaim'] as const).flatMap((type): object[] => {
        const of = `${what} ${type}`;
        if (drawInt(10, of, 0, 2) === 0) return [];
        if (type === 'PersistentVolumeClaim') return [{ type, max: { storage: '20Gi' }, min: { storage: one(['1Gi', '2Gi'], of) } }];
        const part = (field: string, share: number) =>
          drawInt(10, `${of} ${field}`, 0, share) ? {} : { [field]: drawn(`${of} ${field} v`) };
        const ratio = drawInt(10, `${of} ratio`, 0, 3) ? {} : { maxLimitRequestRatio: { cpu: '2', memory: '4' } };
        return [{ type, ...part('min', 2), ...part('max', 1), ...part('default', 1), ...part('defaultRequest', 1), ...ratio }];
      })
    }
  });
  const hards = {
    pods: '3',
    'count/pods': '4',
    cpu: '2',
    'requests.cpu': '1500m',
    'limits.memory': '4Gi',
    memory: '3Gi',
    'requests.storage': '30Gi',
    'steady.storageclass.storage.k8s.io/requests.storage': '5Gi',
    'other.storageclass.storage.k8s.io/persistentvolumeclaims': '1',
    'count/secrets': '1',
    services: '1',
    'services.nodeports': '3',
    'services.loadbalancers': '0',
    resourcequotas: '2',
    'requests.example.com/lane': '1'
  };
  const scopes = [
    {},
    {},
    { scopes: ['BestEffort'] },
    { scopes: ['NotBestEffort', 'NotTerminating'] },
    { scopes: ['Terminating'] },
    { scopeSelector: { matchExpressions: [{ scopeName: 'PriorityClass', operator: 'In', values: ['high'] }] } },
    { scopeSelector: { matchExpressions: [{ scopeName: 'PriorityClass', operator: 'NotIn', values: ['high'] }] } },
    { scopeSelector: { matchExpressions: [{ scopeName: 'PriorityClass', operator: 'Exists' }] } },
    { scopeSelector: { matchExpressions: [{ scopeName: 'PriorityClass', operator: 'DoesNotExist' }] } }
  ];
  const quotaOf = (what: string): ResourceQuota =>
    ({
      apiVersion: 'v1',
      kind: 'ResourceQuota',
      metadata: meta(what.replaceAll(' ', '-')),
      spec: {
        hard: Object.fromEntries(Object.entries(hards).filter(([name]) => drawInt(10, `${what} ${name}`, 0, 3) === 0)),
        ...one(scopes, what)
      }
    }) as never;
  const priority = (name: string, value: number, more: object = {}) => ({
    apiVersion: 'scheduling.k8s.io/v1',
    kind: 'PriorityClass',
    metadata: { name },
    value,
    ...more
  });
  told(
    Array.from({ length: 220 }, (_, nth) => {
      const standing = [podOf(`a ${nth}`), podOf(`b ${nth}`), claimOf(`c ${nth}`), claimOf(`d ${nth}`), ...others(`e${nth}`)];
      const quotas = nth % 4 ? [quotaOf(`q ${nth}`), ...(nth % 3 ? [] : [quotaOf(`r ${nth}`)])] : [];
      const facts = holding([
        { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space' } },
        priority('high', 1_000),
        priority('low', 10, nth % 5 ? {} : { globalDefault: true, preemptionPolicy: 'Never' }),
        {
          apiVersion: 'storage.k8s.io/v1',
          kind: 'StorageClass',
          metadata: { name: 'steady', annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' } },
          provisioner: 'block.standin.example'
        },
        ...standing,
        ...quotas,
        rangeOf(`${nth}`)
      ]);
      const pods = [podOf(`f ${nth}`), podOf(`g ${nth}`)].map((pod) => withLimits(pod, facts));
      return [
        pods,
        pods.map((pod) => podShut(facts, pod)),
        claimShut(facts, claimOf(`h ${nth}`)),
        claimShut(facts, { ...claimOf(`c ${nth}`), ...claimOf(`i ${nth}`) }, claimOf(`c ${nth}`)),
        others(`z${nth}`).map((object) => quotaShut(facts, object)),
        quotas.map((quota) => usedOf(facts, quota))
      ];
    })
  );
});

test('network policies as they are drawn, between pods of two namespaces and from outside', () => {
  const labels = [{ app: 'db' }, { app: 'web', tier: 'front' }, {}];
  const selectors = [
    {},
    { matchLabels: { app: 'db' } },
    { matchExpressions: [{ key: 'tier', operator: 'Exists' }] },
    { matchExpressions: [{ key: 'app', operator: 'NotIn', values: ['db'] }] }
  ];
  const pods = ['space', 'other'].flatMap((namespace, n) =>
    labels.map((own, i) => ({
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: `p${i}`, namespace, labels: own },
      spec: { containers: [{ name: 'main', image: 'x', ports: [{ name: 'data', containerPort: 7110 }] }] },
      status: { podIP: `10.61.${n}.${i + 1}` }
    }))
  ) as unknown as Pod[];
  const peer = (what: string): object => {
    const block = { ipBlock: { cidr: one(['10.61.0.0/24', '0.0.0.0/0', '10.61.1.0/24', 'none'], `${what} b`) } };
    const except = { ipBlock: { ...block.ipBlock, except: ['10.61.0.2/32'] } };
    const space = { namespaceSelector: one([{}, { matchLabels: { team: 'blue' } }], `${what} n`) };
    const pod = { podSelector: one(selectors, `${what} p`) };
    return one([block, except, space, pod, { ...space, ...pod }], what);
  };
  const port = (what: string): object =>
    one(
      [
        { port: 7110 },
        { port: 'data' },
        { port: 'gone' },
        { port: 7100, endPort: 7109 },
        { port: 7100, endPort: 7110 },
        { port: 7110, protocol: 'UDP' },
        { protocol: 'TCP' }
      ],
      what
    );
  const some = <T>(make: (what: string) => T, what: string, most: number): T[] =>
    Array.from({ length: drawInt(12, what, 0, most) }, (_, i) => make(`${what} ${i}`));
  const rule = (side: 'from' | 'to') => (what: string) => ({
    ...(drawInt(12, `${what} peers`, 0, 3) ? { [side]: some(peer, `${what} who`, 2) } : {}),
    ...(drawInt(12, `${what} ports`, 0, 2) ? { ports: some(port, `${what} at`, 2) } : {})
  });
  const policy = (what: string) => ({
    apiVersion: 'networking.k8s.io/v1',
    kind: 'NetworkPolicy',
    metadata: { name: what.replaceAll(' ', '-'), namespace: one(['space', 'other'], what) },
    spec: {
      podSelector: one(selectors, `${what} own`),
      ...one([{}, {}, { policyTypes: ['Egress'] }, { policyTypes: ['Ingress', 'Egress'] }, { policyTypes: ['Ingress'] }], `${what} types`),
      ...(drawInt(12, `${what} in`, 0, 2) ? { ingress: some(rule('from'), `${what} i`, 2) } : {}),
      ...(drawInt(12, `${what} out`, 0, 2) ? { egress: some(rule('to'), `${what} e`, 2) } : {})
    }
  });
  told(
    Array.from({ length: 160 }, (_, nth) => {
      const facts = holding([
        { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space', labels: { team: 'blue' } } },
        { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'other' } },
        ...pods,
        ...some(policy, `${nth}`, 3)
      ]);
      const callers = [
        ...pods.map(({ metadata, status }) => ({
          namespace: metadata.namespace!,
          labels: metadata.labels!,
          name: metadata.name,
          address: status!.podIP
        })),
        { outside: true as const },
        { outside: true as const, address: '10.61.1.9' }
      ];
      return callers.map((caller) => pods.map((pod) => policyFault(facts, caller, pod, [7110, 7105]) ?? ''));
    })
  );
});

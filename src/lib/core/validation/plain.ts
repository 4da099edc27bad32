import { decode } from 'js-base64';
import { isQuantity, milliCpuOf } from '../shared';
import type { At } from './at';
import { base64, dataKey, label, qualified, range, sizeOf, subdomain } from './words';

/** Bytes that a config map, or a secret, may hold. Source: "ConfigMaps", "Secrets". */
const mostBytes = 2 ** 20;

function keys(at: At): void {
  for (const [key, value] of at.entries) {
    const fault = dataKey(key);
    if (fault) value.refuse(`has a key that ${fault}`, 'Write letters, digits, "-", "_" and "." in keys.');
  }
}

const decodedSize = (text: string): number => Math.floor((text.replace(/[\s=]/g, '').length * 3) / 4);

function whole(at: At, bytes: number, what: string): void {
  if (bytes > mostBytes)
    at.refuse(`holds ${bytes.toLocaleString('en')} bytes; a ${what} takes at most 1,048,576`, 'Split it.', 'too-large');
}

/** Source: ConfigMap v1 core. */
export function configMap(at: At): void {
  const [data, binary] = [at.of('data'), at.of('binaryData')];
  keys(data);
  keys(binary);
  let bytes = 0;
  for (const [, value] of data.entries) bytes += sizeOf(value.text ?? '');
  for (const [key, value] of binary.entries) {
    value.follows(base64, 'Write base64, or put plain text under data.');
    if (data.of(key).there) value.refuse('has a key that stands under data, too', 'Keep one of the two.');
    bytes += decodedSize(value.text ?? '');
  }
  whole(data.there ? data : binary, bytes, 'config map');
}

/** Keys that a secret of a type must have. Source: "Types of Secret". */
const typed: Readonly<Record<string, readonly string[]>> = {
  'kubernetes.io/tls': ['tls.crt', 'tls.key'],
  'kubernetes.io/ssh-auth': ['ssh-privatekey'],
  'kubernetes.io/dockerconfigjson': ['.dockerconfigjson'],
  'kubernetes.io/dockercfg': ['.dockercfg']
};

/** Source: Secret v1 core. */
export function secret(at: At): void {
  const [data, plain] = [at.of('data'), at.of('stringData')];
  keys(data);
  keys(plain);
  let bytes = 0;
  for (const [key, value] of data.entries) {
    value.follows(base64, 'Put plain text under stringData instead.');
    if (!plain.of(key).there) bytes += decodedSize(value.text ?? '');
  }
  for (const [, value] of plain.entries) bytes += sizeOf(value.text ?? '');
  whole(data.there ? data : plain, bytes, 'secret');
  const type = at.of('type').text ?? '';
  const has = (key: string) => data.of(key).there || plain.of(key).there;
  for (const key of typed[type] ?? [])
    if (!has(key)) data.of(key).refuse(`is missing; a secret of type ${type} has it`, 'Add it under data or stringData.', 'missing-field');
  if (type === 'kubernetes.io/basic-auth' && !has('username') && !has('password'))
    data
      .of('username')
      .refuse('is missing, and password too; one of the two is asked for', 'Add username, password or both.', 'missing-field');
  if (type === 'kubernetes.io/service-account-token')
    at.of('metadata', 'annotations', 'kubernetes.io/service-account.name').need('default');
  for (const key of type.startsWith('kubernetes.io/dockerc') ? (typed[type] ?? []) : []) {
    const text = plain.of(key).text ?? decode(data.of(key).text ?? '');
    if (has(key) && !isJson(text))
      (plain.of(key).there ? plain : data).of(key).refuse('holds no JSON', 'Write the file of the registries as JSON.');
  }
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** Source: NodeSpec v1 core. */
export function node(at: At): void {
  at.of('spec', 'podCIDR').follows(range, 'Write a range, e.g. 10.61.4.0/24.');
  at.of('spec', 'taints').unique((one) => `${one.of('key').text}:${one.of('effect').text}`, 'taint');
  for (const one of at.of('spec', 'taints').items) {
    if (one.of('key').need('example.com/reserved')) one.of('key').follows(qualified, 'Write a name.');
    if (one.of('effect').need('NoSchedule')) one.of('effect').oneOf(['NoSchedule', 'PreferNoSchedule', 'NoExecute']);
  }
}

/** What a quota counts one by one. Source: "Resource Quotas", object count quota. */
const wholeCounts = /^(count\/.*|pods|services(\..*)?|secrets|configmaps|persistentvolumeclaims|resourcequotas|replicationcontrollers)$/;

/** Source: ResourceQuotaSpec v1 core. */
export function quota(at: At): void {
  for (const [name, value] of at.of('spec', 'hard').entries) {
    const fault = qualified(name.replace(/^count\//, ''));
    if (fault) value.refuse(`has a name that ${fault}`, 'Write, say, requests.storage or count/pods.');
    if (!isQuantity(String(value.value))) value.refuseValue('is no quantity', 'Write a number with a suffix, e.g. 40Gi.', 'bad-quantity');
    else if (milliCpuOf(value.value as string) < 0) value.refuseValue('is less than nothing', 'Write 0 or more.', 'bad-quantity');
    else if (wholeCounts.test(name) && milliCpuOf(value.value as string) % 1_000 !== 0)
      value.refuseValue('is no whole number', 'Write how many.', 'bad-quantity');
  }
  at.of('spec', 'scopes').items.forEach((one) =>
    one.oneOf(['Terminating', 'NotTerminating', 'BestEffort', 'NotBestEffort', 'PriorityClass', 'CrossNamespacePodAffinity'])
  );
}

const rbac = 'rbac.authorization.k8s.io';

/** Source: PolicyRule v1 rbac.authorization.k8s.io. */
export function rights(at: At, wide: boolean): void {
  for (const one of at.of('rules').items) {
    if (!one.of('verbs').items.length) one.of('verbs').refuse('is empty', 'Name at least one, e.g. get.', 'missing-field');
    const paths = one.of('nonResourceURLs').items.length > 0;
    const resources = one.of('resources').items.length > 0;
    if (paths) {
      if (!wide) one.of('nonResourceURLs').refuse("can't be given within a namespace", 'Write a ClusterRole.');
      if (resources) one.of('resources').refuse('stands beside nonResourceURLs', 'Write two rules.');
      continue;
    }
    if (!one.of('apiGroups').items.length)
      one.of('apiGroups').refuse('is empty', 'Name at least one; "" is the core group.', 'missing-field');
    if (!resources) one.of('resources').refuse('is empty', 'Name at least one, e.g. pods.', 'missing-field');
  }
}

/** Source: RoleBinding v1 rbac.authorization.k8s.io. */
export function binding(at: At, wide: boolean): void {
  const role = at.of('roleRef');
  if (role.of('apiGroup').text !== rbac) role.of('apiGroup').refuseValue(`must be ${rbac}`, `Write ${rbac}.`);
  role.of('kind').oneOf(wide ? ['ClusterRole'] : ['Role', 'ClusterRole']);
  role.of('name').need('reader');
  for (const one of at.of('subjects').items) {
    const kind = one.of('kind');
    kind.oneOf(['ServiceAccount', 'User', 'Group']);
    if (one.of('name').need('default') && kind.text === 'ServiceAccount')
      one.of('name').follows(subdomain, 'Write the name of an account.', 'bad-name');
    if (kind.text === 'ServiceAccount') {
      if (one.of('namespace').need('default')) one.of('namespace').follows(label, 'Write the name of a namespace.', 'bad-name');
      if (one.of('apiGroup').text) one.of('apiGroup').refuse('is "" for accounts', 'Leave it out.');
    } else if (one.of('apiGroup').text !== undefined && one.of('apiGroup').text !== rbac)
      one.of('apiGroup').refuseValue(`must be ${rbac}`, `Write ${rbac}.`);
  }
}

/** Source: ValidatingWebhook and MutatingWebhook v1 admissionregistration.k8s.io. */
export function hooks(at: At): void {
  at.of('webhooks').unique((one) => one.of('name').text, 'hook called');
  for (const one of at.of('webhooks').items) {
    if (one.of('name').need('check.example.com'))
      one
        .of('name')
        .follows(
          (text) => subdomain(text) ?? (text.split('.').length < 3 ? 'has fewer than three parts' : undefined),
          'Write at least three parts, e.g. check.example.com.',
          'bad-name'
        );
    one.of('failurePolicy').oneOf(['Fail', 'Ignore']);
    one.of('matchPolicy').oneOf(['Exact', 'Equivalent']);
    if (one.of('sideEffects').need('None')) one.of('sideEffects').oneOf(['None', 'NoneOnDryRun']);
    if (!one.of('admissionReviewVersions').items.length)
      one.of('admissionReviewVersions').refuse('is empty', 'Write [v1].', 'missing-field');
    one.of('timeoutSeconds').between(1, 30);
    one.of('clientConfig').choice(['url', 'service'], true, 'target');
    one.of('clientConfig', 'service', 'port').between(1, 65_535);
  }
}

/** Source: LimitRangeItem v1 core; "Limit Ranges". */
export function limitRange(at: At): void {
  for (const one of at.of('spec', 'limits').items) {
    if (one.of('type').need('Container')) one.of('type').oneOf(['Container', 'Pod', 'PersistentVolumeClaim']);
    const type = one.of('type').text;
    for (const field of ['max', 'min', 'default', 'defaultRequest', 'maxLimitRequestRatio'])
      for (const [, value] of one.of(field).entries)
        if (!isQuantity(String(value.value)))
          value.refuseValue('is no quantity', 'Write a number with a suffix, e.g. 2Gi.', 'bad-quantity');
    if (type !== 'Container')
      for (const field of ['default', 'defaultRequest'])
        one.of(field).forbid(`stands in an item of the type ${type}; only containers get what they don't say`);
    const ordered = ['min', 'defaultRequest', 'default', 'max'];
    for (const [i, low] of ordered.entries())
      for (const high of ordered.slice(i + 1))
        for (const [name, value] of one.of(low).entries) {
          const top = one.of(high).of(name);
          if (!top.there || !isQuantity(String(value.value)) || !isQuantity(String(top.value))) continue;
          if (milliCpuOf(value.value as string) > milliCpuOf(top.value as string))
            value.refuse(
              `is ${String(value.value)}, more than ${high}, ${String(top.value)}`,
              'Keep min, defaultRequest, default and max in this order.'
            );
        }
    if (type === 'PersistentVolumeClaim' && !one.of('min', 'storage').there && !one.of('max', 'storage').there)
      one.refuse('bounds neither min.storage nor max.storage', 'Add one of them.', 'missing-field');
  }
}

/** Source: PriorityClass v1 scheduling.k8s.io. Largest value of a class of one's own: "Pod Priority and Preemption". */
export function priorityClass(at: At): void {
  at.of('value').between(-2_147_483_648, 1_000_000_000);
  at.of('preemptionPolicy').oneOf(['PreemptLowerPriority', 'Never']);
  if (at.of('metadata', 'name').text?.startsWith('system-'))
    at.of('metadata', 'name').refuse('begins with system-, which the cluster keeps for itself', 'Give it another name.', 'bad-name');
}

/*
 * What a namespace refuses of its pods. Source: the cluster API's "Pod Security Standards", the tables of baseline and restricted, each
 * control once as allowed and once as refused; written down from memory of that page.
 */
import { expect, test } from 'vitest';
import { levelOf, securityFaults, type securityLevels } from '$core/validation';

type SecurityLevel = (typeof securityLevels)[number];

type Fields = Readonly<Record<string, unknown>>;
const fine: Fields = {
  allowPrivilegeEscalation: false,
  runAsNonRoot: true,
  capabilities: { drop: ['ALL'] },
  seccompProfile: { type: 'RuntimeDefault' }
};
const pod = (container: Fields, spec: Fields = {}, of = 'containers'): Fields => ({
  ...(of === 'containers' ? {} : { containers: [{ name: 'main', image: 'a:1', securityContext: fine }] }),
  [of]: [{ name: 'one', image: 'a:1', securityContext: fine, ...container }],
  ...spec
});
const security = (more: Fields): Fields => pod({ securityContext: { ...fine, ...more } });
const whole = (more: Fields): Fields => pod({}, { securityContext: more });
const volume = (kind: string): Fields => pod({}, { volumes: [{ name: 'v', [kind]: {} }] });
const refusedBy = (spec: Fields, level: SecurityLevel): string[] => securityFaults(spec, level).map((one) => one.field.join('.'));
const main = 'spec.containers.0.securityContext';

/** Refused by the baseline, and so by restricted, too. */
test.each<[string, Fields, string]>([
  ['host process', security({ windowsOptions: { hostProcess: true } }), `${main}.windowsOptions.hostProcess`],
  ['host process of the pod', whole({ windowsOptions: { hostProcess: true } }), 'spec.securityContext.windowsOptions.hostProcess'],
  ['host network', pod({}, { hostNetwork: true }), 'spec.hostNetwork'],
  ['host processes', pod({}, { hostPID: true }), 'spec.hostPID'],
  ['host memory', pod({}, { hostIPC: true }), 'spec.hostIPC'],
  ['privileged', security({ privileged: true }), `${main}.privileged`],
  ['a capability beyond', security({ capabilities: { add: ['SYS_ADMIN'], drop: ['ALL'] } }), `${main}.capabilities.add.0`],
  ['a directory of the node', volume('hostPath'), 'spec.volumes.0.hostPath'],
  ['a port of the node', pod({ ports: [{ containerPort: 80, hostPort: 80 }] }), 'spec.containers.0.ports.0.hostPort'],
  ['armour undone', security({ appArmorProfile: { type: 'Unconfined' } }), `${main}.appArmorProfile.type`],
  ['another label type', security({ seLinuxOptions: { type: 'spc_t' } }), `${main}.seLinuxOptions.type`],
  ['a label user', whole({ seLinuxOptions: { user: 'system_u' } }), 'spec.securityContext.seLinuxOptions.user'],
  ['a label role', whole({ seLinuxOptions: { role: 'system_r' } }), 'spec.securityContext.seLinuxOptions.role'],
  ['all of /proc', security({ procMount: 'Unmasked' }), `${main}.procMount`],
  ['calls unfiltered', security({ seccompProfile: { type: 'Unconfined' } }), `${main}.seccompProfile.type`],
  [
    'a setting beyond',
    whole({ sysctls: [{ name: 'net.ipv4.tcp_syncookies' }, { name: 'kernel.msgmax' }] }),
    'spec.securityContext.sysctls.1.name'
  ],
  [
    'privileged, beforehand',
    pod({ securityContext: { ...fine, privileged: true } }, {}, 'initContainers'),
    'spec.initContainers.0.securityContext.privileged'
  ],
  [
    'privileged, put in later',
    pod({ securityContext: { ...fine, privileged: true } }, {}, 'ephemeralContainers'),
    'spec.ephemeralContainers.0.securityContext.privileged'
  ]
])('%s is refused by both', (_, spec, path) => {
  expect([refusedBy(spec, 'privileged'), refusedBy(spec, 'baseline'), refusedBy(spec, 'restricted')]).toEqual([[], [path], [path]]);
});

/** Allowed by the baseline, refused by restricted. */
test.each<[string, Fields, string]>([
  ['a volume of another type', volume('nfs'), 'spec.volumes.0.nfs'],
  ['rights that grow', security({ allowPrivilegeEscalation: undefined }), `${main}.allowPrivilegeEscalation`],
  ['rights that may grow', security({ allowPrivilegeEscalation: true }), `${main}.allowPrivilegeEscalation`],
  ['maybe as root', security({ runAsNonRoot: undefined }), `${main}.runAsNonRoot`],
  [
    'root, whatever the pod says',
    { ...security({ runAsNonRoot: false }), securityContext: { runAsNonRoot: true } },
    `${main}.runAsNonRoot`
  ],
  ['user 0', security({ runAsUser: 0 }), `${main}.runAsUser`],
  ['user 0 of the pod', whole({ runAsUser: 0 }), 'spec.securityContext.runAsUser'],
  ['no filter of calls', security({ seccompProfile: undefined }), `${main}.seccompProfile`],
  ['capabilities kept', security({ capabilities: { drop: ['CHOWN'] } }), `${main}.capabilities.drop`],
  [
    'a capability of the list',
    security({ capabilities: { add: ['NET_BIND_SERVICE', 'CHOWN'], drop: ['ALL'] } }),
    `${main}.capabilities.add.1`
  ]
])('%s is refused by restricted alone', (_, spec, path) => {
  expect([refusedBy(spec, 'baseline'), refusedBy(spec, 'restricted')]).toEqual([[], [path]]);
});

/** Allowed by restricted. */
test.each<[string, Fields]>([
  ['as it should be', pod({})],
  ['no host process', security({ windowsOptions: { hostProcess: false } })],
  ['armour by default', security({ appArmorProfile: { type: 'RuntimeDefault' } })],
  ['armour of the node', security({ appArmorProfile: { type: 'Localhost', localhostProfile: 'x' } })],
  ['label types of containers', security({ seLinuxOptions: { type: 'container_kvm_t', level: 's0' } })],
  ['/proc by default', security({ procMount: 'Default' })],
  ['a filter of the node', security({ seccompProfile: { type: 'Localhost', localhostProfile: 'x' } })],
  ['a low port', security({ capabilities: { add: ['NET_BIND_SERVICE'], drop: ['ALL'] } })],
  ['safe settings', whole({ sysctls: [{ name: 'kernel.shm_rmid_forced' }, { name: 'net.ipv4.ip_unprivileged_port_start' }] })],
  ['another user', security({ runAsUser: 1_000 })],
  [
    'said for the whole pod',
    {
      ...security({ runAsNonRoot: undefined, seccompProfile: undefined }),
      securityContext: { runAsNonRoot: true, seccompProfile: { type: 'RuntimeDefault' } }
    }
  ],
  ...['configMap', 'csi', 'downwardAPI', 'emptyDir', 'ephemeral', 'persistentVolumeClaim', 'projected', 'secret'].map(
    (kind): [string, Fields] => [`a volume of the type ${kind}`, volume(kind)]
  )
])('%s is allowed by restricted', (_, spec) => {
  expect(refusedBy(spec, 'restricted')).toEqual([]);
});

test('the level is what the label of the namespace says; without one, or with a word that is none, all is let in', () => {
  const of = (level: string) => levelOf({ 'pod-security.kubernetes.io/enforce': level });
  expect([of('baseline'), of('restricted'), of('privileged'), of('strict'), levelOf({}), levelOf(undefined)]).toEqual([
    'baseline',
    'restricted',
    'privileged',
    'privileged',
    'privileged',
    'privileged'
  ]);
});

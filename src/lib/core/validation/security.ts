import { At, type FieldFault } from './at';

/** How much a namespace lets its pods do. Source: the cluster API's "Pod Security Standards". */
export const securityLevels = ['privileged', 'baseline', 'restricted'] as const;
/** One of the three levels. */
export type SecurityLevel = (typeof securityLevels)[number];

/** The label of a namespace that says what is refused in it. Source: "Pod Security Admission", labels for namespaces. */
export const enforceLabel = 'pod-security.kubernetes.io/enforce';

/** The level that a namespace's labels ask for; privileged where they don't. */
export const levelOf = (labels: Readonly<Record<string, string>> | undefined): SecurityLevel =>
  securityLevels.find((one) => one === labels?.[enforceLabel]) ?? 'privileged';

// The lists below are those of the published standards, from memory.
const plainCapabilities = new Set(
  'AUDIT_WRITE CHOWN DAC_OVERRIDE FOWNER FSETID KILL MKNOD NET_BIND_SERVICE SETFCAP SETGID SETPCAP SETUID SYS_CHROOT'.split(' ')
);
const plainSettings = new Set([
  'kernel.shm_rmid_forced',
  'net.ipv4.ip_local_port_range',
  'net.ipv4.ip_local_reserved_ports',
  'net.ipv4.ip_unprivileged_port_start',
  'net.ipv4.ping_group_range',
  'net.ipv4.tcp_fin_timeout',
  'net.ipv4.tcp_keepalive_intvl',
  'net.ipv4.tcp_keepalive_probes',
  'net.ipv4.tcp_keepalive_time',
  'net.ipv4.tcp_syncookies'
]);
const plainLabels = new Set(['container_t', 'container_init_t', 'container_kvm_t', 'container_engine_t']);
const restrictedVolumes = new Set('configMap csi downwardAPI emptyDir ephemeral persistentVolumeClaim projected secret name'.split(' '));

const containersIn = (spec: At): At[] => [
  ...spec.of('initContainers').items,
  ...spec.of('containers').items,
  ...spec.of('ephemeralContainers').items
];

function everywhere(security: At): void {
  const refuse = (at: At, why: string) => at.refuse(why, 'Leave it out.');
  if (security.of('windowsOptions', 'hostProcess').isTrue)
    refuse(security.of('windowsOptions', 'hostProcess'), "is the host's own process");
  const armor = security.of('appArmorProfile', 'type');
  if (armor.text !== undefined && !['RuntimeDefault', 'Localhost'].includes(armor.text)) refuse(armor, `is ${armor.text}`);
  const labels = security.of('seLinuxOptions');
  if (labels.of('type').text && !plainLabels.has(labels.of('type').text!)) refuse(labels.of('type'), `is ${labels.of('type').text}`);
  for (const field of ['user', 'role']) if (labels.of(field).text) refuse(labels.of(field), 'is set');
  const profile = security.of('seccompProfile', 'type');
  if (profile.text === 'Unconfined') profile.refuse('is Unconfined', 'Write RuntimeDefault.');
}

function baseline(spec: At): void {
  for (const field of ['hostNetwork', 'hostPID', 'hostIPC']) if (spec.of(field).isTrue) spec.of(field).refuse('is true', 'Leave it out.');
  everywhere(spec.of('securityContext'));
  for (const one of spec.of('securityContext', 'sysctls').items)
    if (!plainSettings.has(one.of('name').text ?? '')) one.of('name').refuse(`is ${one.of('name').text}`, 'Leave it out.');
  for (const one of spec.of('volumes').items)
    if (one.of('hostPath').there) one.of('hostPath').refuse("is the node's own directory", 'Use a claim.');
  for (const container of containersIn(spec)) {
    const security = container.of('securityContext');
    everywhere(security);
    if (security.of('privileged').isTrue) security.of('privileged').refuse('is true', 'Leave it out.');
    for (const one of security.of('capabilities', 'add').items)
      if (!plainCapabilities.has(one.text ?? '')) one.refuse(`adds ${one.text}`, 'Leave it out.');
    const mounts = security.of('procMount');
    if (mounts.text !== undefined && mounts.text !== 'Default') mounts.refuse(`is ${mounts.text}`, 'Leave it out.');
    for (const port of container.of('ports').items)
      if (port.of('hostPort').number) port.of('hostPort').refuse(`is ${port.of('hostPort').number}`, 'Leave it out.');
  }
}

function restricted(spec: At): void {
  const whole = spec.of('securityContext');
  for (const one of spec.of('volumes').items)
    for (const [kind, at] of one.entries)
      if (!restrictedVolumes.has(kind) && kind !== 'hostPath') at.refuse(`is a volume of the type ${kind}`, 'Use a claim.');
  if (whole.of('runAsUser').number === 0) whole.of('runAsUser').refuse('is 0', 'Write another user.');
  for (const container of containersIn(spec)) {
    const own = container.of('securityContext');
    const escalates = own.of('allowPrivilegeEscalation');
    if (escalates.value !== false) escalates.refuse('is not false', 'Write false.');
    if (own.of('runAsNonRoot').value !== true && (own.of('runAsNonRoot').there || !whole.of('runAsNonRoot').isTrue))
      own.of('runAsNonRoot').refuse('is not true, here or for the pod', 'Write true.');
    if (own.of('runAsUser').number === 0) own.of('runAsUser').refuse('is 0', 'Write another user.');
    const profile = own.of('seccompProfile', 'type').text ?? whole.of('seccompProfile', 'type').text;
    if (profile === undefined) own.of('seccompProfile').refuse('is missing, here or for the pod', 'Write {type: RuntimeDefault}.');
    const dropped = own.of('capabilities', 'drop').items.map((one) => one.text);
    if (!dropped.includes('ALL')) own.of('capabilities', 'drop').refuse("doesn't name ALL", 'Write [ALL].');
    for (const one of own.of('capabilities', 'add').items)
      if (plainCapabilities.has(one.text ?? '') && one.text !== 'NET_BIND_SERVICE') one.refuse(`adds ${one.text}`, 'Leave it out.');
  }
}

/**
 * What a level refuses of a pod's spec. Source: the cluster API's "Pod Security Standards", baseline and restricted.
 * @param path where the spec stands
 */
export function securityFaults(spec: unknown, level: SecurityLevel, path: readonly (string | number)[] = ['spec']): FieldFault[] {
  const found: FieldFault[] = [];
  const at = new At(spec, path, found);
  if (level !== 'privileged') baseline(at);
  if (level === 'restricted') restricted(at);
  return found;
}

import { bytesOf, isQuantity, milliCpuOf } from '../shared';
import type { At } from './at';
import { fieldRef, keyRef, lifecycle, probe, resourceFieldRef } from './probes';
import { address, climbs, label, portName, prefixed, qualified, relativePath, subdomain, variable } from './words';

/** What the rules of containers have to know of their pod. */
export interface PodHere {
  /** Names of volumes, those of claim templates too, and whether each can be handed in as a device. */
  readonly volumes: ReadonlyMap<string, boolean>;
  readonly hostNetwork: boolean;
  readonly graceSeconds: number;
}

const plainResources = ['cpu', 'memory', 'ephemeral-storage', 'storage'];
/** The most that an identity of a user or a group can be. Source: PodSecurityContext v1 core. */
export const mostId = 2 ** 31 - 1;

const wholeQuantity = /^\+?\d+([kMGTPE]|[KMGTPE]i|[eE]\d+)?$/;

/** Resources with a prefix of somebody else are counted whole and aren't promised twice. */
const hasPlace = (name: string): boolean => name.includes('/') && !/^([^/]+\.)?kubernetes\.io\//.test(name);

function resourceName(at: At, name: string): void {
  if (plainResources.includes(name) || name.startsWith('hugepages-')) return;
  const fault = name.includes('/') ? prefixed(name) : 'is neither cpu, memory nor ephemeral-storage and has no prefix';
  if (fault) at.refuse(`names the resource "${name}", which ${fault}`, 'Write cpu, memory, ephemeral-storage, or a name with a prefix.');
}

const amount = (name: string, value: unknown): number =>
  (typeof value === 'string' || typeof value === 'number') && isQuantity(String(value))
    ? name === 'cpu'
      ? milliCpuOf(value)
      : bytesOf(value)
    : NaN;

/** Source: ResourceRequirements v1 core; "Resource Management for Pods and Containers". */
export function resources(at: At): void {
  const limits = at.of('limits');
  const known = new Map<string, At>(limits.entries);
  for (const [name, value] of [...limits.entries, ...at.of('requests').entries]) {
    resourceName(value, name);
    if (amount(name, value.value) < 0) value.refuse('is less than 0', 'Ask for 0 or more.', 'bad-quantity');
  }
  for (const [name, value] of at.of('requests').entries) {
    const limit = known.get(name);
    const [asked, most] = [amount(name, value.value), limit ? amount(name, limit.value) : Infinity];
    if (asked > most)
      value.refuse(
        `is more than its limit of ${String(limit!.value)}`,
        'Ask for less, or raise the limit.',
        'bad-value',
        limit!.to(value.value as string)
      );
    else if ((hasPlace(name) || name.startsWith('hugepages-')) && asked !== most)
      value.refuse(`differs from its limit; ${name} can't be promised to several`, 'Give request and limit the same value.');
  }
  for (const [name, value] of [...limits.entries, ...at.of('requests').entries])
    if (hasPlace(name) && !wholeQuantity.test(String(value.value)))
      value.refuse('must be a whole number', 'Write 1 or more.', 'bad-quantity');
}

function ports(at: At, here: PodHere): void {
  at.unique((one) => one.of('name').text, 'port called');
  for (const one of at.items) {
    if (one.of('name').there) one.of('name').follows(portName, 'Write up to 15 lower-case letters, digits and "-", e.g. sql.');
    one.of('protocol').oneOf(['TCP', 'UDP', 'SCTP']);
    const host = one.of('hostPort');
    if (host.number !== 0) host.between(1, 65_535);
    if (here.hostNetwork && host.number && host.number !== one.of('containerPort').number)
      host.refuse("must be the container's port, for the pod has its node's network", `Write ${one.of('containerPort').number}.`);
    one.of('hostIP').follows((text) => (text === '' ? undefined : address(text)), 'Write an address, e.g. 10.0.0.4.');
  }
}

/** Ports of the node that containers of one pod ask for. */
export function hostPorts(containers: readonly At[]): void {
  const seen = new Set<string>();
  for (const container of containers)
    for (const port of container.of('ports').items) {
      const host = port.of('hostPort').number;
      if (!host) continue;
      const key = `${port.of('protocol').text ?? 'TCP'} ${port.of('hostIP').text ?? ''} ${host}`;
      if (seen.has(key)) port.of('hostPort').refuse(`is ${host}, which another port of this pod asks for`, 'Ask for it once.');
      seen.add(key);
    }
}

function variables(at: At): void {
  for (const one of at.items) {
    if (one.of('name').need('DATA_DIR')) one.of('name').follows(variable, 'Write letters, digits and "_".');
    const from = one.of('valueFrom');
    if (!from.there) continue;
    if (one.of('value').text) from.refuse('stands beside a value that is not empty', 'Keep one of the two.');
    const way = from.choice(['fieldRef', 'resourceFieldRef', 'configMapKeyRef', 'secretKeyRef'], true, 'source');
    if (way === 'fieldRef') fieldRef(from.of(way), false);
    else if (way === 'resourceFieldRef') resourceFieldRef(from.of(way), false);
    else if (way !== undefined) keyRef(from.of(way));
  }
}

function variablesFrom(at: At): void {
  for (const one of at.items) {
    const prefix = one.of('prefix');
    if (prefix.text) prefix.follows(variable, 'Write letters, digits and "_".');
    const way = one.choice(['configMapRef', 'secretRef'], true, 'source');
    if (way !== undefined && one.of(way, 'name').need('settings'))
      one.of(way, 'name').follows(subdomain, 'Write the name of an object.', 'bad-name');
  }
}

function mounts(at: At, here: PodHere, privileged: boolean): void {
  at.unique((one) => one.of('mountPath').text, 'mount at');
  for (const one of at.items) {
    const [name, path] = [one.of('name'), one.of('mountPath')];
    if (name.need('data') && !here.volumes.has(name.text ?? ''))
      name.refuse(
        `is "${String(name.value)}", which names no volume of this pod`,
        `Write one of: ${[...here.volumes.keys()].join(', ') || '(the pod has no volumes)'}.`,
        'mount-without-volume'
      );
    if (path.need('/data')) path.follows((text) => (text.includes(':') ? 'may not hold ":"' : undefined), 'Write a path such as /data.');
    const [sub, expression] = [one.of('subPath'), one.of('subPathExpr')];
    if (sub.text) sub.follows(relativePath, 'Write a path below the volume, e.g. data/main.');
    if (expression.text) {
      expression.follows(relativePath, 'Write a path below the volume.');
      if (sub.text) expression.refuse('stands beside subPath', 'Keep one of the two.');
    }
    const spread = one.of('mountPropagation');
    spread.oneOf(['None', 'HostToContainer', 'Bidirectional']);
    if (spread.text === 'Bidirectional' && !privileged)
      spread.refuse(
        'is Bidirectional, which only a privileged container may have',
        'Set securityContext.privileged, or write HostToContainer.'
      );
    const deep = one.of('recursiveReadOnly');
    deep.oneOf(['Disabled', 'IfPossible', 'Enabled']);
    if ((deep.text === 'IfPossible' || deep.text === 'Enabled') && !one.of('readOnly').isTrue)
      deep.refuse('asks for a mount that is read-only', 'Set readOnly: true.');
  }
}

function devices(at: At, here: PodHere, mountsAt: At): void {
  const mounted = new Set(mountsAt.items.map((one) => one.of('name').text));
  const paths = new Set(mountsAt.items.map((one) => one.of('mountPath').text));
  at.unique((one) => one.of('devicePath').text, 'device at');
  at.unique((one) => one.of('name').text, 'device of');
  for (const one of at.items) {
    const [name, path] = [one.of('name'), one.of('devicePath')];
    if (name.need('data')) {
      const may = here.volumes.get(name.text ?? '');
      if (may === undefined)
        name.refuse(
          `is "${String(name.value)}", which names no volume of this pod`,
          `Write one of: ${[...here.volumes.keys()].join(', ') || '(the pod has no volumes)'}.`,
          'mount-without-volume'
        );
      else if (!may) name.refuse('names a volume that is no claim; only claims can be handed in as devices', 'Mount it instead.');
      if (mounted.has(name.text)) name.refuse('is mounted too; a volume is either a directory or a device', 'Keep one of the two.');
    }
    if (path.need('/dev/data')) path.follows(climbs, 'Write a path such as /dev/data.');
    if (paths.has(path.text)) path.refuse('is the path of a mount, too', 'Choose another path.');
  }
}

function containerSecurity(at: At): void {
  for (const field of ['runAsUser', 'runAsGroup']) at.of(field).between(0, mostId);
  at.of('procMount').oneOf(['Default', 'Unmasked']);
  const own = at.of('allowPrivilegeEscalation');
  const admin = at.of('capabilities', 'add').items.some((one) => one.value === 'CAP_SYS_ADMIN');
  if (own.value === false && (at.of('privileged').isTrue || admin))
    own.refuse(`is false beside ${admin ? 'CAP_SYS_ADMIN' : 'privileged'}, which goes beyond it`, 'Keep one of the two.');
  seccomp(at.of('seccompProfile'));
}

/** Source: SeccompProfile v1 core. */
export function seccomp(at: At): void {
  if (!at.there) return;
  const type = at.of('type');
  if (type.need('RuntimeDefault')) type.oneOf(['RuntimeDefault', 'Unconfined', 'Localhost']);
  const file = at.of('localhostProfile');
  if (type.text === 'Localhost') file.need('profiles/main.json');
  else file.forbid('goes with type Localhost only');
}

/** Source: Container v1 core. `at` is the list; `starting` those that run before the others. */
export function containers(at: At, here: PodHere, names: Set<string>, starting = false): void {
  for (const one of at.items) {
    const name = one.of('name');
    if (name.need('main')) {
      name.follows(label, 'Write lower-case letters, digits and "-".', 'bad-name');
      if (names.has(name.text ?? ''))
        name.refuse(`is "${name.text}", as another container is called`, 'Give each its own name.', 'bad-name');
      names.add(name.text ?? '');
    }
    const image = one.of('image');
    if (image.text !== undefined && image.text.trim() !== image.text) image.refuse('begins or ends with a blank', 'Take the blank out.');
    else if (image.text === '') image.refuse('is empty', 'Name an image.');
    one.of('imagePullPolicy').oneOf(['Always', 'IfNotPresent', 'Never']);
    one.of('terminationMessagePolicy').oneOf(['File', 'FallbackToLogsOnError']);
    const restart = one.of('restartPolicy');
    if (starting) restart.oneOf(['Always']);
    else restart.forbid('is taken on init containers only');
    ports(one.of('ports'), here);
    variables(one.of('env'));
    variablesFrom(one.of('envFrom'));
    resources(one.of('resources'));
    mounts(one.of('volumeMounts'), here, one.of('securityContext', 'privileged').isTrue);
    devices(one.of('volumeDevices'), here, one.of('volumeMounts'));
    containerSecurity(one.of('securityContext'));
    const runsOn = !starting || restart.text === 'Always';
    for (const kind of ['livenessProbe', 'readinessProbe', 'startupProbe'])
      if (runsOn) probe(one.of(kind), kind);
      else one.of(kind).forbid('is not taken on an init container that ends', 'Leave it out, or set restartPolicy: Always on it.');
    if (runsOn) lifecycle(one.of('lifecycle'), here.graceSeconds);
    else one.of('lifecycle').forbid('is not taken on an init container that ends', 'Leave it out, or set restartPolicy: Always on it.');
    for (const policy of one.of('resizePolicy').items) {
      policy.of('resourceName').oneOf(['cpu', 'memory']);
      policy.of('restartPolicy').oneOf(['NotRequired', 'RestartContainer']);
    }
  }
}

/** Key of an annotation-like name that conditions and gates bear. */
export const gateName = (at: At): boolean => at.follows(qualified, 'Write a name such as example.com/ready.');

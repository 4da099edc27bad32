import type { At } from './at';
import { dataKey, portName } from './words';

const portHelp = 'Write a number from 1 to 65535, or the name of a port.';

/** A port by number or by name. */
export function portOrName(at: At): void {
  if (!at.there) return;
  if (Number.isInteger(at.value)) at.between(1, 65_535);
  else if (at.text === undefined) at.refuseValue('is neither a number nor a name', portHelp, 'wrong-type');
  else at.follows(portName, portHelp);
}

function headers(at: At): void {
  for (const one of at.items) {
    if (one.of('name').need('Accept'))
      one
        .of('name')
        .follows((text) => (/^[-A-Za-z0-9]+$/.test(text) ? undefined : 'is no name of a header'), 'Write letters, digits and "-".');
  }
}

/** What a probe or a hook does: one of the ways it may have. */
function action(at: At, ways: readonly string[], what: string): void {
  const way = at.choice(ways, true, what);
  const here = way === undefined ? undefined : at.of(way);
  if (!here) return;
  if (way === 'exec' && !here.of('command').items.length) here.of('command').refuse('is empty', 'Name the command.', 'missing-field');
  if (way === 'httpGet') {
    if (here.of('path').value === '') here.of('path').refuse('is empty', 'Write a path, e.g. /ready.');
    if (here.of('port').need('8080')) portOrName(here.of('port'));
    here.of('scheme').oneOf(['HTTP', 'HTTPS']);
    headers(here.of('httpHeaders'));
  }
  if (way === 'tcpSocket' && here.of('port').need('8080')) portOrName(here.of('port'));
  if (way === 'grpc' && here.of('port').need('8080')) here.of('port').between(1, 65_535);
  if (way === 'sleep' && here.of('seconds').need('5')) here.of('seconds').between(1);
}

/** Source: Probe v1 core; `kind` is the field's name. */
export function probe(at: At, kind: string): void {
  if (!at.there) return;
  action(at, ['exec', 'httpGet', 'tcpSocket', 'grpc'], 'handler');
  for (const field of ['initialDelaySeconds', 'timeoutSeconds', 'periodSeconds', 'successThreshold', 'failureThreshold'])
    at.of(field).between(0);
  const grace = at.of('terminationGracePeriodSeconds');
  if (kind === 'readinessProbe') grace.forbid('has no meaning for readiness, which stops nothing');
  else grace.between(1);
  const success = at.of('successThreshold').number;
  if (kind !== 'readinessProbe' && success !== undefined && success > 1)
    at.of('successThreshold').refuse(`is ${success}; it must be 1 for ${kind === 'livenessProbe' ? 'liveness' : 'startup'}`, 'Write 1.');
}

/** Source: Lifecycle v1 core. */
export function lifecycle(at: At, graceSeconds: number): void {
  for (const hook of ['postStart', 'preStop']) {
    const here = at.of(hook);
    if (!here.there) continue;
    action(here, ['exec', 'httpGet', 'tcpSocket', 'sleep'], 'handler');
    const seconds = here.of('sleep', 'seconds');
    if (seconds.number !== undefined && seconds.number > graceSeconds)
      seconds.refuse(`is ${seconds.number}; a member has ${graceSeconds} s to end`, 'Write less, or raise terminationGracePeriodSeconds.');
  }
}

const fieldPaths = [
  'metadata.name',
  'metadata.namespace',
  'metadata.uid',
  'spec.nodeName',
  'spec.serviceAccountName',
  'status.hostIP',
  'status.hostIPs',
  'status.podIP',
  'status.podIPs'
];
const volumeFieldPaths = ['metadata.name', 'metadata.namespace', 'metadata.uid', 'metadata.labels', 'metadata.annotations'];
const resourceFields = /^(limits|requests)\.(cpu|memory|ephemeral-storage|hugepages-.+)$/;

/** A field of the pod itself. Source: ObjectFieldSelector v1 core. */
export function fieldRef(at: At, inVolume: boolean): void {
  const path = at.of('fieldPath');
  if (!path.need('metadata.name')) return;
  const text = path.text ?? '';
  const keyed = /^metadata\.(labels|annotations)\['.+'\]$/.test(text);
  const allowed = inVolume ? volumeFieldPaths : fieldPaths;
  if (!keyed && !allowed.includes(text)) path.refuseValue('is no field that can be handed in', `Write one of: ${allowed.join(', ')}.`);
}

/** An amount of a container. Source: ResourceFieldSelector v1 core. */
export function resourceFieldRef(at: At, inVolume: boolean): void {
  if (inVolume) at.of('containerName').need('the name of a container');
  const resource = at.of('resource');
  if (resource.need('limits.memory'))
    resource.follows((text) => (resourceFields.test(text) ? undefined : 'is no amount of a container'), 'Write, say, limits.memory.');
}

/** A key of a config map or a secret. */
export function keyRef(at: At): void {
  if (at.of('key').need('user')) at.of('key').follows(dataKey, 'Write letters, digits, "-", "_" and ".".');
}

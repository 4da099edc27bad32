import type { At } from './at';
import { containers, gateName, hostPorts, mostId, resources, seccomp } from './containers';
import { labels, templateMetadata } from './metadata';
import { affinity, spread, toleration } from './placing';
import { volumes } from './volumes';
import { address, label, qualified, subdomain } from './words';

/** How long a pod may take to end where it doesn't say. Source: PodSpec v1 core, terminationGracePeriodSeconds. */
const usualGrace = 30;

function names(at: At): void {
  const follows = (field: string, rule: typeof label) => {
    if (at.of(field).text) at.of(field).follows(rule, 'Write lower-case letters, digits and "-".', 'bad-name');
  };
  follows('nodeName', subdomain);
  follows('serviceAccountName', subdomain);
  follows('hostname', label);
  follows('subdomain', label);
  follows('runtimeClassName', subdomain);
  follows('priorityClassName', subdomain);
  at.of('imagePullSecrets').items.forEach((one) => one.of('name').need('pull-key'));
}

function dns(at: At): void {
  at.of('dnsPolicy').oneOf(['ClusterFirst', 'ClusterFirstWithHostNet', 'Default', 'None']);
  const servers = at.of('dnsConfig', 'nameservers');
  if (at.of('dnsPolicy').text === 'None' && !servers.items.length)
    servers.refuse('is empty; dnsPolicy None leaves a pod without any', 'Name at least one server.', 'missing-field');
  if (servers.items.length > 3) servers.refuse(`holds ${servers.items.length}; at most 3 are taken`, 'Name at most 3.');
  servers.items.forEach((one) => one.follows(address, 'Write an address, e.g. 10.0.0.10.'));
  const searches = at.of('dnsConfig', 'searches');
  if (searches.items.length > 32) searches.refuse(`holds ${searches.items.length}; at most 32 are taken`, 'Name at most 32.');
  searches.items.forEach((one) =>
    one.follows((text) => (text === '.' ? undefined : subdomain(text.replace(/\.$/, ''))), 'Write a domain.')
  );
  at.of('hostAliases').items.forEach((one) => {
    if (one.of('ip').need('10.0.0.4')) one.of('ip').follows(address, 'Write an address.');
    one.of('hostnames').items.forEach((name) => name.follows(subdomain, 'Write a host name.', 'bad-name'));
  });
}

function security(at: At): void {
  for (const field of ['runAsUser', 'runAsGroup', 'fsGroup']) at.of(field).between(0, mostId);
  at.of('supplementalGroups').items.forEach((one) => one.between(0, mostId));
  at.of('fsGroupChangePolicy').oneOf(['OnRootMismatch', 'Always']);
  at.of('supplementalGroupsPolicy').oneOf(['Merge', 'Strict']);
  at.of('sysctls').unique((one) => one.of('name').text, 'setting of');
  seccomp(at.of('seccompProfile'));
}

/**
 * Source: PodSpec v1 core.
 * @param provided volumes that come from outside, e.g. from claim templates
 */
export function podSpec(at: At, provided: readonly string[] = []): void {
  const known = volumes(at.of('volumes'));
  for (const name of provided) known.set(name, true);
  const graceSeconds = at.of('terminationGracePeriodSeconds').number ?? usualGrace;
  const here = { volumes: known, hostNetwork: at.of('hostNetwork').isTrue, graceSeconds };
  const taken = new Set<string>();
  containers(at.of('containers'), here, taken);
  containers(at.of('initContainers'), here, taken, true);
  hostPorts(at.of('containers').items);
  if (at.of('ephemeralContainers').items.length)
    at.of('ephemeralContainers').refuse("can't be sent with a pod; they are added to one that runs", 'Leave it out.');
  at.of('restartPolicy').oneOf(['Always', 'OnFailure', 'Never']);
  at.of('terminationGracePeriodSeconds').between(0);
  at.of('activeDeadlineSeconds').between(1, mostId);
  at.of('preemptionPolicy').oneOf(['PreemptLowerPriority', 'Never']);
  at.of('os', 'name').oneOf(['linux', 'windows']);
  names(at);
  dns(at);
  security(at.of('securityContext'));
  resources(at.of('resources'));
  labels(at.of('nodeSelector'));
  affinity(at.of('affinity'));
  at.of('tolerations').items.forEach(toleration);
  spread(at.of('topologySpreadConstraints'));
  at.of('readinessGates').items.forEach((one) => one.of('conditionType').need('example.com/ready') && gateName(one.of('conditionType')));
  const gates = at.of('schedulingGates');
  gates.unique((one) => one.of('name').text, 'gate called');
  gates.items.forEach((one) => one.of('name').need('example.com/quota') && one.of('name').follows(qualified, 'Write a name.'));
  if (gates.items.length && at.of('nodeName').text)
    at.of('nodeName').refuse('is set while schedulingGates hold the pod', 'Leave one of them out.');
  if (at.of('shareProcessNamespace').isTrue && at.of('hostPID').isTrue)
    at.of('shareProcessNamespace').refuse('is true beside hostPID', 'Keep one of the two.');
}

/**
 * Source: PodTemplateSpec v1 core.
 * @param restart policies that the owner's pods may have
 */
export function podTemplate(at: At, restart: readonly string[], provided: readonly string[] = []): void {
  templateMetadata(at.of('metadata'));
  podSpec(at.of('spec'), provided);
  const policy = at.of('spec', 'restartPolicy');
  const stands = policy.text ?? 'Always';
  if (!restart.includes(stands) && ['Always', 'OnFailure', 'Never'].includes(stands))
    policy.refuse(
      policy.there
        ? `is ${stands}; pods made from this template may have ${restart.join(' or ')}`
        : `is missing; ${restart.join(' or ')} is asked for`,
      `Write ${restart.join(' or ')}.`
    );
}

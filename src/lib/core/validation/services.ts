import type { At } from './at';
import { labels } from './metadata';
import { portOrName } from './probes';
import { address, label, qualified, range, subdomain } from './words';

/** Ports of nodes that services are given, both ends included. Source: the cluster API's "Service", type NodePort: default range. */
export const nodePorts: readonly [first: number, last: number] = [30_000, 32_767];
const outside = ['NodePort', 'LoadBalancer'];

function ports(at: At, type: string): void {
  const many = at.items.length > 1;
  const open = outside.includes(type);
  at.unique((one) => one.of('name').text || undefined, 'port called');
  at.unique((one) => `${one.of('protocol').text ?? 'TCP'} ${one.of('port').number}`, 'port');
  if (open)
    at.unique(
      (one) => (one.of('nodePort').number ? `${one.of('protocol').text ?? 'TCP'} ${one.of('nodePort').number}` : undefined),
      'node port'
    );
  for (const one of at.items) {
    const name = one.of('name');
    if (many && !name.text) name.refuse('is missing; with several ports each has a name', 'Name each port.', 'missing-field');
    if (name.text) name.follows(label, 'Write lower-case letters, digits and "-", e.g. sql.', 'bad-name');
    one.of('protocol').oneOf(['TCP', 'UDP', 'SCTP']);
    const target = one.of('targetPort');
    if (target.there && target.value !== 0 && target.value !== '') portOrName(target);
    const node = one.of('nodePort');
    if (node.number) {
      if (open) node.between(...nodePorts);
      else node.refuse(`is ${node.number}; a service of type ${type} has no port on nodes`, 'Leave it out, or set type: NodePort.');
    }
    if (one.of('appProtocol').text) one.of('appProtocol').follows(qualified, 'Write a name.');
  }
}

function traffic(spec: At, type: string): void {
  const reached = outside.includes(type) || spec.of('externalIPs').items.length > 0;
  const external = spec.of('externalTrafficPolicy');
  external.oneOf(['Cluster', 'Local']);
  if (external.text && !reached) external.refuse(`goes with what is reached from outside, not with type ${type}`, 'Leave it out.');
  spec.of('internalTrafficPolicy').oneOf(['Cluster', 'Local']);
  const health = spec.of('healthCheckNodePort');
  if (health.number && (type !== 'LoadBalancer' || external.text !== 'Local'))
    health.refuse('goes with type LoadBalancer and externalTrafficPolicy Local only', 'Leave it out.');
  spec.of('trafficDistribution').oneOf(['PreferClose', 'PreferSameZone', 'PreferSameNode']);
  const affinity = spec.of('sessionAffinity');
  affinity.oneOf(['None', 'ClientIP']);
  const settings = spec.of('sessionAffinityConfig');
  if (settings.there && affinity.text !== 'ClientIP') settings.refuse('goes with sessionAffinity ClientIP only', 'Leave it out.');
  settings.of('clientIP', 'timeoutSeconds').between(1, 86_400);
}

function balancing(spec: At, type: string): void {
  const only = (field: string) => {
    if (spec.of(field).there && type !== 'LoadBalancer')
      spec.of(field).refuse(`goes with type LoadBalancer only, not with ${type}`, 'Leave it out.');
  };
  for (const field of ['loadBalancerClass', 'allocateLoadBalancerNodePorts']) only(field);
  if (spec.of('loadBalancerSourceRanges').items.length) only('loadBalancerSourceRanges');
  if (spec.of('loadBalancerClass').text) spec.of('loadBalancerClass').follows(qualified, 'Write a name.');
  spec.of('loadBalancerSourceRanges').items.forEach((one) => one.follows((text) => range(text.trim()), 'Write a range, e.g. 10.4.0.0/16.'));
}

function addresses(spec: At, type: string): void {
  const own = spec.of('clusterIP');
  if (own.text && own.text !== 'None') own.follows(address, 'Write an address of the range of services, or None.');
  if (own.text === 'None' && outside.includes(type))
    own.refuse(
      `is None; a service of type ${type} needs an address of its own`,
      'Leave clusterIP out, or set type: ClusterIP.',
      'bad-value',
      own.out
    );
  if (own.text && type === 'ExternalName') own.refuse('goes with no service of type ExternalName', 'Leave it out.');
  spec.of('externalIPs').items.forEach((one) => one.follows(address, 'Write an address.'));
  spec.of('ipFamilies').unique((one) => one.text, 'family');
  spec.of('ipFamilies').items.forEach((one) => one.oneOf(['IPv4', 'IPv6']));
  spec.of('ipFamilyPolicy').oneOf(['SingleStack', 'PreferDualStack', 'RequireDualStack']);
  const all = spec.of('clusterIPs');
  if (all.items.length > 2) all.refuse(`holds ${all.items.length}; at most one of each family is taken`, 'Name at most two.');
  if (own.text && all.items.length && all.of(0).text !== own.text)
    all.of(0).refuse(`differs from clusterIP ${own.text}`, 'Give both the same.');
}

/** Source: ServiceSpec v1 core. */
export function service(at: At): void {
  const spec = at.of('spec');
  spec.of('type').oneOf(['ClusterIP', 'NodePort', 'LoadBalancer', 'ExternalName']);
  const type = spec.of('type').text ?? 'ClusterIP';
  const name = spec.of('externalName');
  if (type === 'ExternalName') {
    if (name.need('files.example.com')) name.follows((text) => subdomain(text.replace(/\.$/, '')), 'Write a host name.', 'bad-name');
  } else if (spec.of('clusterIP').text !== 'None' && !spec.of('ports').items.length)
    spec.of('ports').refuse('is empty; only a headless service may go without', 'Name a port, or write clusterIP: None.', 'missing-field');
  labels(spec.of('selector'));
  ports(spec.of('ports'), type);
  traffic(spec, type);
  balancing(spec, type);
  addresses(spec, type);
}

function policyPorts(at: At): void {
  for (const one of at.items) {
    one.of('protocol').oneOf(['TCP', 'UDP', 'SCTP']);
    const [port, end] = [one.of('port'), one.of('endPort')];
    if (port.there) portOrName(port);
    if (!end.there) continue;
    if (port.number === undefined) end.refuse('stands without a port by number', 'Write port as a number.');
    else end.between(port.number, 65_535);
  }
}

function peers(at: At, select: (at: At) => void): void {
  for (const one of at.items) {
    const block = one.of('ipBlock');
    if (block.there && one.having(['podSelector', 'namespaceSelector']).length)
      block.refuse('stands beside a selector', 'Keep one of the two.');
    if (!one.having(['ipBlock', 'podSelector', 'namespaceSelector']).length)
      one.refuse('names nobody', 'Add podSelector, say.', 'missing-field');
    if (block.there && block.of('cidr').need('10.4.0.0/16')) block.of('cidr').follows(range, 'Write a range, e.g. 10.4.0.0/16.');
    block.of('except').items.forEach((cidr) => cidr.follows(range, 'Write a range.'));
    select(one.of('podSelector'));
    select(one.of('namespaceSelector'));
  }
}

/** Source: NetworkPolicySpec v1 networking.k8s.io. */
export function networkPolicy(at: At, select: (at: At) => void): void {
  const spec = at.of('spec');
  select(spec.of('podSelector'));
  if (spec.of('policyTypes').items.length > 2) spec.of('policyTypes').refuse('holds more than two', 'Name Ingress, Egress or both.');
  spec.of('policyTypes').items.forEach((one) => one.oneOf(['Ingress', 'Egress']));
  for (const [field, side] of [
    ['ingress', 'from'],
    ['egress', 'to']
  ] as const)
    for (const rule of spec.of(field).items) {
      policyPorts(rule.of('ports'));
      peers(rule.of(side), select);
    }
}

/** Source: EndpointSlice v1 discovery.k8s.io. */
export function endpointSlice(at: At): void {
  if (at.of('addressType').need('IPv4')) at.of('addressType').oneOf(['IPv4', 'IPv6', 'FQDN']);
  const { items } = at.of('endpoints');
  if (items.length > 1_000) at.of('endpoints').refuse(`holds ${items.length}; at most 1000 are taken`, 'Write several slices.');
  for (const one of items) {
    const list = one.of('addresses');
    if (!list.items.length) list.refuse('is empty', 'Name an address.', 'missing-field');
    if (list.items.length > 100) list.refuse(`holds ${list.items.length}; at most 100 are taken`, 'Write several endpoints.');
    for (const each of list.items)
      if (at.of('addressType').text === 'FQDN') each.follows(subdomain, 'Write a host name.', 'bad-name');
      else each.follows(address, 'Write an address, e.g. 10.61.4.7.');
    if (one.of('hostname').text) one.of('hostname').follows(label, 'Write a host name.', 'bad-name');
  }
  const ports = at.of('ports');
  if (ports.items.length > 100) ports.refuse(`holds ${ports.items.length}; at most 100 are taken`, 'Write several slices.');
  ports.unique((one) => one.of('name').text ?? '', 'port called');
  for (const one of ports.items) {
    one.of('port').between(1, 65_535);
    one.of('protocol').oneOf(['TCP', 'UDP', 'SCTP']);
  }
}

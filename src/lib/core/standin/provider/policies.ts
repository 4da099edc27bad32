import { rangeFault, rangeHolds } from '../../shared';
import { selectorMatches, type Facts, type NetworkPolicy, type Pod } from '../../model';
import { imageCard, enginePartOf, isSupposed } from './images';

type Labels = Readonly<Record<string, string>>;

/** Who is at the other end of a call: a pod (also one that the stand-in doesn't know), or somebody outside the cluster. */
export type Caller =
  | { readonly namespace: string; readonly labels: Labels; readonly name: string; readonly address?: string | undefined }
  | { readonly outside: true; readonly address?: string | undefined };

export const callerOf = ({ metadata, status }: Pod): Caller => ({
  namespace: metadata.namespace ?? '',
  labels: metadata.labels ?? {},
  name: metadata.name,
  address: status?.podIP
});

/** The client that asks from inside stands in the workload's own namespace and bears no labels. */
export const plainClient = (namespace: string): Caller => ({ namespace, labels: {}, name: 'a pod without labels in the same namespace' });

type Side = 'Ingress' | 'Egress';
type Spec = NonNullable<NetworkPolicy['spec']>;
type Peer = NonNullable<NonNullable<Spec['ingress']>[number]['from']>[number];
type Port = NonNullable<NonNullable<Spec['ingress']>[number]['ports']>[number];

/** Which sides a policy rules. Source: NetworkPolicySpec v1 networking.k8s.io, policyTypes. */
const sidesOf = (spec: Spec): readonly string[] => spec.policyTypes ?? ['Ingress', ...(spec.egress?.length ? ['Egress'] : [])];

/** The policies that keep a pod apart on one side. Source: the cluster API's "Network Policies", isolation. */
const policiesOn = (facts: Facts, pod: Caller & { namespace: string; labels: Labels }, side: Side): NetworkPolicy[] =>
  facts
    .list('NetworkPolicy', pod.namespace)
    .filter(({ spec }) => spec && sidesOf(spec).includes(side) && selectorMatches(spec.podSelector, pod.labels));

function isPeer(facts: Facts, policy: NetworkPolicy, peer: Peer, other: Caller): boolean {
  if (peer.ipBlock) {
    const { cidr, except = [] } = peer.ipBlock;
    // Nobody knows where a caller from outside comes from: only a block that holds every address holds it for sure.
    const { address } = other;
    if ('outside' in other && address === undefined) return cidr === '0.0.0.0/0' && !except.length;
    return address !== undefined && !rangeFault(cidr) && rangeHolds(cidr, address) && !except.some((one) => rangeHolds(one, address));
  }
  if ('outside' in other) return false;
  const space = peer.namespaceSelector
    ? selectorMatches(peer.namespaceSelector, facts.get('Namespace', '', other.namespace)?.metadata.labels)
    : other.namespace === (policy.metadata.namespace ?? '');
  return space && (!peer.podSelector || selectorMatches(peer.podSelector, other.labels));
}

/** Whether a rule is about a port of the pod that is called. All engines talk TCP. */
function isPort({ port, endPort, protocol }: Port, called: number, target: Pod | undefined): boolean {
  if ((protocol ?? 'TCP') !== 'TCP') return false;
  if (port === undefined) return true;
  const number =
    typeof port === 'number'
      ? port
      : target?.spec.containers.flatMap((one) => one.ports ?? []).find((one) => one.name === port)?.containerPort;
  return number !== undefined && (endPort === undefined ? number === called : number <= called && called <= endPort);
}

function sideFault(
  facts: Facts,
  side: Side,
  here: Caller & { namespace: string; labels: Labels },
  other: Caller,
  target: Pod,
  port: number
): string | undefined {
  const policies = policiesOn(facts, here, side);
  if (!policies.length) return undefined;
  const [list, peers] = side === 'Ingress' ? (['ingress', 'from'] as const) : (['egress', 'to'] as const);
  const open = policies.some((policy) =>
    (policy.spec?.[list] ?? []).some((rule) => {
      const who = (rule as Record<string, Peer[] | undefined>)[peers];
      return (
        (!who?.length || who.some((peer) => isPeer(facts, policy, peer, other))) &&
        (!rule.ports?.length || rule.ports.some((one) => isPort(one, port, target)))
      );
    })
  );
  return open ? undefined : policies.map((one) => one.metadata.name).join(', ');
}

/** The ports of a pod's program at which clients ask, and those at which members talk among themselves; nothing where the program isn't known. */
export function portsOf(pod: Pod): { readonly clients: readonly number[]; readonly members: readonly number[] } {
  if (isSupposed(pod)) {
    // Of a program that isn't known its containers say the ports.
    const said = pod.spec.containers.flatMap((one) => one.ports ?? []).map((one) => one.containerPort);
    return { clients: said.slice(0, 1), members: said.length > 1 ? said.slice(1) : said };
  }
  const cards = pod.spec.containers.map((one) => imageCard(one.image)).filter((one) => one.enginePart);
  const safe = cards.find((one) => one.tlsPort !== undefined)?.tlsPort;
  const ports = cards.flatMap((one) => one.ports ?? []).filter((one) => one !== safe);
  const shows =
    safe !== undefined && pod.spec.containers.some((one) => one.env?.some(({ name, value }) => name === 'TLS' && value === 'on'));
  return { clients: shows ? [safe] : ports.slice(0, 1), members: ports.length > 1 ? ports.slice(1) : ports };
}

/**
 * Why network policies keep a call from a pod; undefined where they let it through. What a node calls on its own pods (probes, tunnels) is
 * never kept. Source: the cluster API's "Network Policies".
 */
export function policyFault(facts: Facts, from: Caller, to: Pod, ports: readonly number[]): string | undefined {
  if (!facts.list('NetworkPolicy').length) return undefined;
  const target = callerOf(to) as Caller & { namespace: string; labels: Labels };
  const who = 'outside' in from ? 'a caller from outside' : from.name;
  for (const port of ports) {
    const out = 'outside' in from ? undefined : sideFault(facts, 'Egress', from, target, to, port);
    if (out) return `${who} may not call ${to.metadata.name} at port ${port}: no rule of the network policy ${out} lets it out`;
    const into = sideFault(facts, 'Ingress', target, from, to, port);
    if (into) return `${who} may not call ${to.metadata.name} at port ${port}: no rule of the network policy ${into} lets it in`;
  }
  return undefined;
}

/**
 * Why a pod may not call one in another cluster, as the policies of both clusters say; undefined where it may. Labels aren't known over a
 * link, addresses are.
 */
export function farFault(facts: Facts, from: Pod, there: Facts, to: Pod): string | undefined {
  const far = (pod: Pod): Caller => ({ outside: true, address: pod.status?.podIP });
  for (const port of portsOf(to).members) {
    const out = sideFault(facts, 'Egress', callerOf(from) as Caller & { namespace: string; labels: Labels }, far(to), to, port);
    if (out) return `no rule of the network policy ${out} lets ${from.metadata.name} call ${to.metadata.name} at port ${port}`;
    const into = sideFault(there, 'Ingress', callerOf(to) as Caller & { namespace: string; labels: Labels }, far(from), to, port);
    if (into) return `no rule of the network policy ${into} lets ${from.metadata.name} come to ${to.metadata.name} at port ${port}`;
  }
  return undefined;
}

/** Why one member may not call another; undefined where it may. Another part of the workload asks as a client does. */
export function memberFault(facts: Facts, from: Pod, to: Pod): string | undefined {
  const alike = enginePartOf(from)?.part === enginePartOf(to)?.part;
  const { clients, members } = portsOf(to);
  return policyFault(facts, callerOf(from), to, alike ? members : clients);
}

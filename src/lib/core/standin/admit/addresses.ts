import { addressAt, hash32, prefixSize, rangeFault } from '../../shared';
import type { Service } from '../../model';
import type { ClusterAccess } from '../control/loop';

/** Where services get their addresses while the ground names no usable range; made up. */
const spareRange = '10.63.0.0/16';

function withAddress(world: ClusterAccess, service: Service): Service {
  if (service.spec.clusterIP || service.spec.type === 'ExternalName') return service;
  const told = world.store.list('Ground')[0]?.spec.serviceRange;
  const range = told === undefined || rangeFault(told) ? spareRange : told;
  const counter = world.memory<number>('serviceAddresses');
  const next = (counter.get('next') ?? 10) + 1;
  counter.set('next', next);
  const address = addressAt(range, next % prefixSize(range));
  return { ...service, spec: { ...service.spec, clusterIP: address, clusterIPs: [address] } };
}

/** Ports of nodes that are handed out, both ends included. Source: the cluster API's "Service", type NodePort: default range. */
const nodePorts = { first: 30_000, last: 32_767 } as const;
/** Those below are left to whoever asks for one. Source: as above, reserving node port ranges: min(max(16, size / 32), 128) ports. */
const handedFrom = nodePorts.first + Math.floor((nodePorts.last - nodePorts.first + 1) / 32);

type Port = NonNullable<Service['spec']['ports']>[number];
const numbersOf = (services: readonly Service[], protocol: string): Set<number> =>
  new Set(
    services.flatMap((one) =>
      (one.spec.ports ?? []).flatMap((two) => ((two.protocol ?? 'TCP') === protocol && two.nodePort ? [two.nodePort] : []))
    )
  );

/** Whether a service gets a port on every node for each of its own. Source: ServiceSpec v1 core, type and allocateLoadBalancerNodePorts. */
const opensNodes = ({ spec }: Service): boolean =>
  spec.type === 'NodePort' || (spec.type === 'LoadBalancer' && spec.allocateLoadBalancerNodePorts !== false);

/** Ports of a service that still get one on the nodes. */
export const portsToOpen = (service: Service): readonly Port[] =>
  opensNodes(service) ? (service.spec.ports ?? []).filter((one) => !one.nodePort) : [];

/** Whether so many more node ports can't be handed out. */
export function nodePortsShort(services: readonly Service[], service: Service): boolean {
  const wanted = portsToOpen(service);
  if (!wanted.length) return false;
  const size = nodePorts.last - nodePorts.first + 1;
  return wanted.some(({ protocol = 'TCP' }) => numbersOf(services, protocol).size + wanted.length > size);
}

/** @param kept services whose own numbers are not handed out, though they aren't there yet */
function withNodePorts(world: ClusterAccess, service: Service, kept: readonly Service[]): Service {
  if (!portsToOpen(service).length) return service;
  const others = [...world.store.list('Service'), ...kept, service];
  const taken = new Map<string, Set<number>>();
  const size = nodePorts.last - nodePorts.first + 1;
  const ports = service.spec.ports!.map((port) => {
    if (port.nodePort) return port;
    const { protocol = 'TCP' } = port;
    let mine = taken.get(protocol);
    if (!mine) taken.set(protocol, (mine = numbersOf(others, protocol)));
    const { namespace = '', name } = service.metadata;
    const handed = nodePorts.last - handedFrom + 1;
    const drawn = hash32(`${namespace}/${name} ${protocol} ${port.port}`, world.seed) % handed;
    // First those that nobody chooses, then the rest.
    for (let i = 0; i < size; i += 1) {
      const nodePort = i < handed ? handedFrom + ((drawn + i) % handed) : nodePorts.first + (i - handed);
      if (mine.has(nodePort)) continue;
      mine.add(nodePort);
      return { ...port, nodePort };
    }
    return port;
  });
  return { ...service, spec: { ...service.spec, ports } };
}

/** A service with the address and the node ports that it is given. */
export const withPlaces = (world: ClusterAccess, service: Service, kept: readonly Service[]): Service =>
  withNodePorts(world, withAddress(world, service), kept);

/** Node ports that a service had stay with its ports; one that isn't reached from outside any more gives them back. Source: as above. */
export function nodePortsCarried(before: Service, next: Service): Service {
  if (!opensNodes(next) || !next.spec.ports) return next;
  const had = (port: Port) =>
    before.spec.ports?.find((one) => one.port === port.port && (one.protocol ?? 'TCP') === (port.protocol ?? 'TCP'))?.nodePort;
  const ports = next.spec.ports.map((port) => {
    const nodePort = port.nodePort ?? had(port);
    return nodePort ? { ...port, nodePort } : port;
  });
  return { ...next, spec: { ...next.spec, ports } };
}

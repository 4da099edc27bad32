import { addressAt, hash32, prefixSize, rangeFault } from '../../shared';
import type { Facts, Service } from '../../model';
import { nodePorts } from '../../validation';
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

const [firstPort, lastPort] = nodePorts;
/** How many ports of nodes there are. */
const allPorts = lastPort - firstPort + 1;
/** Those below are left to whoever asks for one. Source: as above, reserving node port ranges: min(max(16, size / 32), 128) ports. */
const handedFrom = firstPort + Math.min(Math.max(16, Math.floor(allPorts / 32)), 128);

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
const portsToOpen = (service: Service): readonly Port[] =>
  opensNodes(service) ? (service.spec.ports ?? []).filter((one) => !one.nodePort) : [];

/**
 * Whether a service's ports can't all get one on the nodes.
 * @param coming services that are sent before it in the same batch
 */
export function nodePortsShort(facts: Facts, coming: readonly Service[], service: Service): boolean {
  const wanted = portsToOpen(service);
  if (!wanted.length) return false;
  const services = [...facts.list('Service'), ...coming];
  const protocolOf = ({ protocol = 'TCP' }: Port) => protocol;
  const asking = [...wanted, ...coming.flatMap(portsToOpen)].map(protocolOf);
  return [...new Set(wanted.map(protocolOf))].some(
    (protocol) => numbersOf(services, protocol).size + asking.filter((one) => one === protocol).length > allPorts
  );
}

/** @param kept services whose own numbers are not handed out, though they aren't there yet */
function withNodePorts(world: ClusterAccess, service: Service, kept: readonly Service[]): Service {
  if (!portsToOpen(service).length) return service;
  const others = [...world.store.list('Service'), ...kept, service];
  const taken = new Map<string, Set<number>>();
  const ports = service.spec.ports!.map((port) => {
    if (port.nodePort) return port;
    const { protocol = 'TCP' } = port;
    let mine = taken.get(protocol);
    if (!mine) taken.set(protocol, (mine = numbersOf(others, protocol)));
    const { namespace = '', name } = service.metadata;
    const handed = lastPort - handedFrom + 1;
    const drawn = hash32(`${namespace}/${name} ${protocol} ${port.port}`, world.seed) % handed;
    // First those that nobody chooses, then the rest.
    for (let i = 0; i < allPorts; i += 1) {
      const nodePort = i < handed ? handedFrom + ((drawn + i) % handed) : firstPort + (i - handed);
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

import { hash32, same } from '../../../shared';
import { ownerOf, isReady, pairsMatch, zoneOf, type EndpointSlice, type Pod, type Service } from '../../../model';
import { pairKeys, type Store } from '../../store';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';

/** Services whose selector matches a pod. */
export function servicesOf(store: Store, pod: Pod): Service[] {
  const { labels = {} } = pod.metadata;
  const found: Service[] = [];
  for (const key of pairKeys(pod)) {
    for (const service of store.by<'Service'>('servicesByPair', key)) {
      if (pairsMatch(service.spec.selector, labels)) found.push(service);
    }
  }
  return found;
}

function portOf(pod: Pod | undefined, target: string | number | undefined, fallback: number): number {
  if (typeof target === 'number') return target;
  const named = pod?.spec.containers.flatMap((one) => one.ports ?? []).find((one) => one.name === target);
  return named?.containerPort ?? fallback;
}

/** A port that is named has to be there: a pod without any of the ports asked for is no endpoint. */
function hasPorts(pod: Pod, { spec }: Service): boolean {
  const named = (spec.ports ?? []).flatMap(({ targetPort }) => (typeof targetPort === 'string' ? [targetPort] : []));
  if (named.length < (spec.ports ?? []).length || !named.length) return true;
  const own = new Set(pod.spec.containers.flatMap((one) => (one.ports ?? []).map((port) => port.name)));
  return named.some((name) => own.has(name));
}

function endpointsOf(world: ClusterAccess, service: Service): EndpointSlice['endpoints'] {
  const namespace = service.metadata.namespace ?? '';
  const selector = service.spec.selector ?? {};
  const pods = matchingPods(world.store, namespace, selector).filter((pod) => pod.status?.podIP && hasPorts(pod, service));
  return pods
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1))
    .map((pod) => {
      // Whoever is given out before being ready counts as ready here; whether it serves is told apart. Source: EndpointConditions v1 discovery.
      const ready = service.spec.publishNotReadyAddresses === true || (isReady(pod) && !pod.metadata.deletionTimestamp);
      const zone = zoneOf(world.store.get('Node', '', pod.spec.nodeName ?? ''));
      return {
        addresses: [pod.status?.podIP ?? ''],
        conditions: { ready, serving: isReady(pod), terminating: pod.metadata.deletionTimestamp !== undefined },
        ...(pod.spec.hostname && pod.spec.subdomain === service.metadata.name ? { hostname: pod.spec.hostname } : {}),
        ...(pod.spec.nodeName ? { nodeName: pod.spec.nodeName } : {}),
        ...(zone ? { zone } : {}),
        targetRef: { kind: 'Pod', namespace, name: pod.metadata.name }
      };
    });
}

/** Pods that answer to a service's selector; one that asks for nothing is answered by none. */
const matchingPods = (store: Store, namespace: string, selector: Readonly<Record<string, string>>): Pod[] =>
  Object.keys(selector).length ? store.podsLabelled(namespace, selector) : [];

/** Keeps each service's endpoint slice: which pods answer to its selector, and which of them are ready. */
export const endpoints: Loop = {
  id: 'endpoints',
  paceMs: 60,
  watches: {
    Service: itself,
    Pod: (now, before, store) => {
      if (
        now &&
        before &&
        isReady(now) === isReady(before) &&
        now.status?.podIP === before.status?.podIP &&
        now.metadata.deletionTimestamp === before.metadata.deletionTimestamp &&
        now.metadata.labels === before.metadata.labels
      )
        return [];
      const pod = (now ?? before)!;
      return pod.status?.podIP ? servicesOf(store, pod).map(idOf) : [];
    }
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const service = world.store.get('Service', namespace, name);
    if (!service || !service.spec.selector) return;
    const list = endpointsOf(world, service);
    const first = matchingPods(world.store, namespace, service.spec.selector)[0];
    const ports = (service.spec.ports ?? []).map(({ name: port, targetPort, port: number, protocol }) => ({
      ...(port === undefined ? {} : { name: port }),
      port: portOf(first, targetPort, number),
      protocol: protocol ?? 'TCP'
    }));
    const sliceName = `${name}-${hash32(key).toString(36).slice(0, 5)}`;
    const old = world.store.get('EndpointSlice', namespace, sliceName);
    if (old && same(old.endpoints, list) && same(old.ports, ports)) return;
    world.put({
      apiVersion: 'discovery.k8s.io/v1',
      kind: 'EndpointSlice',
      metadata: { name: sliceName, namespace, labels: { 'kubernetes.io/service-name': name }, ownerReferences: [ownerOf(service)] },
      addressType: 'IPv4',
      endpoints: list,
      ports
    });
  }
};

import { pairsMatch, type Facts, type Pod, type Service, type Way } from '../../model';
import { isUnheard } from './outages';

/** Services that lead to a pod. */
export const servicesTo = (facts: Facts, pod: Pod): Service[] =>
  facts.list('Service', pod.metadata.namespace).filter((one) => one.spec.selector && pairsMatch(one.spec.selector, pod.metadata.labels));

/** Outside addresses of a service, as the provider gave them. */
export function outsideAddresses(service: Service): string[] {
  const { loadBalancer } = (service.status ?? {}) as { loadBalancer?: { ingress?: { ip?: string }[] } };
  return (loadBalancer?.ingress ?? []).flatMap((one) => one.ip ?? []);
}

/** Why a client can't get at a pod on its way; undefined when it can. */
export function wayFault(facts: Facts, pod: Pod, way: Way): string | undefined {
  const services = servicesTo(facts, pod);
  if (isUnheard(facts, pod.spec.nodeName ?? ''))
    return `${pod.metadata.name} doesn't answer: its node ${pod.spec.nodeName} is out of reach`;
  if (way === 'inside') return services.length ? undefined : `no service leads to ${pod.metadata.name}`;
  if (way === 'tunnel') {
    const tunnels = facts.list('Tunnel', pod.metadata.namespace);
    if (!tunnels.length) return 'no tunnel stands';
    return tunnels.some((one) => services.some((service) => service.metadata.name === one.spec.service))
      ? undefined
      : `the tunnel to ${tunnels.map((one) => one.spec.service).join(', ')} doesn't lead to ${pod.metadata.name}`;
  }
  const outside = services.filter((one) => one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort');
  if (!outside.length) return `no service of ${pod.metadata.name} has an address outside`;
  return outside.some((one) => one.spec.type === 'NodePort' || outsideAddresses(one).length)
    ? undefined
    : `${outside.map((one) => one.metadata.name).join(', ')} has no address yet`;
}

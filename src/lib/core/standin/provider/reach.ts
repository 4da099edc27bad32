import { clusterDomain, pairsMatch, type Facts, type Pod, type PodSpec, type Service, type Way } from '../../model';
import { imageCard } from './images';
import { isUnheard } from './outages';
import { plainClient, policyFault, portsOf } from './policies';
import { calledName, talksTls, tlsFault } from './tls';

/** Services that lead to a pod. */
export const servicesTo = (facts: Facts, pod: Pod): Service[] =>
  facts
    .list('Service', pod.metadata.namespace)
    .filter((one) => (one.spec.selector ? pairsMatch(one.spec.selector, pod.metadata.labels) : ledByHand(facts, one, pod)));

/** Whether a service without a selector leads to a pod by a slice that somebody wrote. Source: the cluster API's "Service", without selectors. */
function ledByHand(facts: Facts, { metadata }: Service, pod: Pod): boolean {
  const address = pod.status?.podIP;
  return (
    address !== undefined &&
    facts
      .list('EndpointSlice', metadata.namespace)
      .some(
        (one) =>
          one.metadata.labels?.['kubernetes.io/service-name'] === metadata.name &&
          one.endpoints.some((two) => two.addresses.includes(address) && two.conditions?.ready !== false)
      )
  );
}

/** Outside addresses of a service, as the provider gave them. */
export function outsideAddresses(service: Service): string[] {
  const { loadBalancer } = (service.status ?? {}) as { loadBalancer?: { ingress?: { ip?: string }[] } };
  return (loadBalancer?.ingress ?? []).flatMap((one) => one.ip ?? []);
}

/** Where callers outside reach a service: the provider's addresses, or its ports on the first node that is heard of. */
export function outsidePlaces(facts: Facts, service: Service): string[] {
  if (service.spec.type !== 'NodePort') return outsideAddresses(service);
  const node = facts.list('Node').find((one) => !isUnheard(facts, one.metadata.name));
  const address = node?.status?.addresses?.find((one) => one.type === 'InternalIP')?.address;
  return address === undefined ? [] : (service.spec.ports ?? []).flatMap((one) => (one.nodePort ? [`${address}:${one.nodePort}`] : []));
}

/** Annotation (invented) with the name under which a service is called from outside. */
export const outsideNameMark = 'standin.example/outside-name';

/** Whether a service leads to the port where the pods' program serves with a certificate only. */
export function servesTlsOnly(service: Service, pod: { readonly spec: PodSpec }): boolean {
  const tls = pod.spec.containers.map((one) => imageCard(one.image).tlsPort).find((one) => one !== undefined);
  const named = new Map(pod.spec.containers.flatMap((one) => one.ports ?? []).map((one) => [one.name ?? '', one.containerPort]));
  const numbers = (service.spec.ports ?? []).map(({ port, targetPort = port }) =>
    typeof targetPort === 'number' ? targetPort : named.get(targetPort)
  );
  return tls !== undefined && numbers.length > 0 && numbers.every((one) => one === tls);
}

/** The name that a client calls a service's pod by: what certificates are checked against. */
export function nameCalled(facts: Facts, service: Service, pod: Pod, outside: boolean): string {
  if (outside) return service.metadata.annotations?.[outsideNameMark] ?? outsidePlaces(facts, service)[0]?.replace(/:\d+$/, '') ?? '';
  if (service.spec.clusterIP === 'None') return calledName(facts, pod);
  const domain = clusterDomain(facts);
  return `${service.metadata.name}.${service.metadata.namespace ?? ''}.svc.${domain}`;
}

/** Why a pod doesn't answer where a service leads with TLS only; undefined where it does, or the service leads to a plain port too. */
export function listenFault(facts: Facts, service: Service, pod: Pod, outside: boolean): string | undefined {
  const { options } = facts.get('Process', pod.metadata.namespace ?? '', pod.metadata.name)?.spec ?? {};
  if (!servesTlsOnly(service, pod))
    return talksTls(options) && pod.spec.containers.some((one) => imageCard(one.image).tlsAlone)
      ? `${service.metadata.name} leads to a plain port, and ${pod.metadata.name} takes no plain calls: it has a certificate to show`
      : undefined;
  return talksTls(options)
    ? tlsFault(facts, pod, nameCalled(facts, service, pod, outside))
    : `${service.metadata.name} leads to the port for TLS, where ${pod.metadata.name} doesn't listen: it has no certificate to show`;
}

/** Why a client can't get at a pod on its way; undefined when it can. */
export function wayFault(facts: Facts, pod: Pod, way: Way): string | undefined {
  const services = servicesTo(facts, pod);
  if (isUnheard(facts, pod.spec.nodeName ?? ''))
    return `${pod.metadata.name} doesn't answer: its node ${pod.spec.nodeName} is out of reach`;
  const unheard = (through: readonly Service[], out: boolean): string | undefined => {
    const faults = through.map((one) => listenFault(facts, one, pod, out));
    return faults.includes(undefined) ? undefined : faults[0];
  };
  if (way === 'inside')
    return services.length
      ? (policyFault(facts, plainClient(pod.metadata.namespace ?? ''), pod, portsOf(pod).clients) ?? unheard(services, false))
      : `no service leads to ${pod.metadata.name}`;
  if (way === 'tunnel') {
    const tunnels = facts.list('Tunnel', pod.metadata.namespace);
    if (!tunnels.length) return 'no tunnel stands';
    const through = services.filter((service) => tunnels.some((one) => one.spec.service === service.metadata.name));
    return through.length
      ? unheard(through, false)
      : `the tunnel to ${tunnels.map((one) => one.spec.service).join(', ')} doesn't lead to ${pod.metadata.name}`;
  }
  const outside = services.filter((one) => one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort');
  if (!outside.length) return `no service of ${pod.metadata.name} has an address outside`;
  const given = outside.filter((one) => outsidePlaces(facts, one).length);
  const kept = policyFault(facts, { outside: true }, pod, portsOf(pod).clients);
  if (kept) return kept;
  return given.length ? unheard(given, true) : `${outside.map((one) => one.metadata.name).join(', ')} has no address yet`;
}

import { isReady, pairsMatch, refOf, type Facts, type Service } from '../../model';
import { asManifest } from '../../manifest';
import { compact, field, look } from '../evidence';
import type { JointRule, Position } from '../types';

/** Whether a service's selector finds no pod at all. */
const findsNothing = (facts: Facts, service: Service): boolean =>
  !facts.list('Pod', service.metadata.namespace).some((pod) => pairsMatch(service.spec.selector, pod.metadata.labels));

/** Services that carry traffic to the member, and those that are plainly meant to: named after its workload, and finding nobody. */
function meant({ facts, namespace, labels, set }: Position): Service[] {
  const owner = set?.metadata.name;
  return facts.list('Service', namespace).filter((service) => {
    if (service.spec.clusterIP === 'None' || !service.spec.selector) return false;
    if (pairsMatch(service.spec.selector, labels)) return true;
    const named = owner !== undefined && (service.metadata.name === owner || service.metadata.name.startsWith(`${owner}-`));
    return named && findsNothing(facts, service);
  });
}

function missingPort(service: Service, { spec }: Position): string | undefined {
  const ports = (spec?.containers ?? []).flatMap((one) => one.ports ?? []);
  const named = service.spec.ports?.find(
    (one) => typeof one.targetPort === 'string' && !ports.some((port) => port.name === one.targetPort)
  );
  return named && String(named.targetPort);
}

/** Does traffic through the services reach the member? */
export const service = {
  id: 'service' as const,
  shared: true,
  title: 'Service',
  why: "Clients don't talk to members but to a service. Its selector and its target port decide whether anything arrives.",
  perClaim: false,
  look(at) {
    const { facts, pod, podName, labels, namespace, set } = at;
    if (podName === undefined) return undefined;
    const services = meant(at);
    if (!services.length) return undefined;
    for (const one of services) {
      if (!pairsMatch(one.spec.selector, labels)) {
        const mended = set && asManifest({ ...one, spec: { ...one.spec, selector: set.spec.selector.matchLabels ?? {} } });
        return look('broken', one.metadata.name, `the selector of ${one.metadata.name} matches no pod`, {
          objects: [refOf(one)],
          evidence: compact([field(one, 'spec.selector', one.spec.selector), set && field(set, 'spec.template.metadata.labels', labels)]),
          remedy: { text: "Give the service the workload's own selector.", ...(mended ? { manifests: [mended] } : {}) }
        });
      }
      const port = missingPort(one, at);
      if (port !== undefined) {
        return look('broken', one.metadata.name, `${one.metadata.name} sends to a port called ${port}, which no container has`, {
          objects: [refOf(one)],
          evidence: [field(one, 'spec.ports[].targetPort', port)],
          remedy: { text: 'Name a port that the container declares, or give its number.' }
        });
      }
    }
    const label = services.map((one) => one.metadata.name).join(', ');
    const objects = services.map(refOf);
    const carries = services.every((one) =>
      facts
        .list('EndpointSlice', namespace)
        .some(
          (slice) =>
            slice.metadata.labels?.['kubernetes.io/service-name'] === one.metadata.name &&
            slice.endpoints.some((end) => end.targetRef?.name === podName && end.conditions?.ready)
        )
    );
    if (carries) return look('holds', label, `carries traffic to ${podName}`, { objects });
    return look(
      isReady(pod) ? 'settling' : 'waiting',
      label,
      isReady(pod) ? 'its endpoints are being renewed' : 'waits until the member is ready',
      { objects }
    );
  }
} satisfies JointRule;

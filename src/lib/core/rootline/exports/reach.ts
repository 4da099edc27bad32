import { isReady, pairsMatch, refOf, type Service } from '../../model';
import { scopeIn } from '../../exports';
import { field, look, ref } from '../evidence';
import type { Position } from '../types';
import { placed, remedyFor, type Placed } from './place';
import { stageOf } from './stage';

const sliceLabel = 'kubernetes.io/service-name';

/** The name of a set's member, by its headless service. */
export function nameLook({ facts, pod, podName, set, namespace, spec, labels }: Position): Placed[] {
  const name = set?.spec.serviceName ?? (set ? undefined : spec?.subdomain);
  if (podName === undefined || !name || !set) return [];
  const full = `${podName}.${name}`;
  const service = facts.get('Service', namespace, name);
  if (!service) {
    if (scopeIn(facts).of('Service', namespace) !== 'contained')
      return [placed('name', look('unseen', full, `services of ${namespace} are not in the export; export Service ${name}`))];
    return [
      placed(
        'name',
        look('broken', name, `there is no service ${name}, and services of the namespace were exported`, {
          objects: [ref('Service', namespace, name)],
          evidence: [field(set, 'spec.serviceName', name)],
          ...remedyFor('name')
        })
      )
    ];
  }
  const objects = [refOf(service)];
  if (service.spec.selector && !pairsMatch(service.spec.selector, labels))
    return [
      placed(
        'name',
        look('broken', name, `the selector of ${name} doesn't match the member's labels`, {
          objects,
          evidence: [field(service, 'spec.selector', service.spec.selector), field(set, 'spec.template.metadata.labels', labels)],
          ...remedyFor('name')
        })
      )
    ];
  if (service.spec.clusterIP !== 'None')
    return [
      placed(
        'name',
        look('unseen', full, `${name} is not headless; whether the members are looked up by their own names can't be told`, { objects })
      )
    ];
  if (!pod || !isReady(pod)) return [placed('name', look('waiting', full, 'waits on the member', { objects }))];
  return [placed('name', look('holds', full, 'its service is headless, and selects it', { objects }))];
}

/** A port that is called by a name which no container has. */
export function missingPort(service: Service, spec: Position['spec']): string | undefined {
  const containers = [...(spec?.containers ?? []), ...(spec?.initContainers ?? [])];
  const ports = containers.flatMap((one) => one.ports ?? []);
  const named = service.spec.ports?.find(
    (one) => typeof one.targetPort === 'string' && !/^\d+$/.test(one.targetPort) && !ports.some((port) => port.name === one.targetPort)
  );
  return named && String(named.targetPort);
}

/** The services that select the member. */
export function serviceLook({ facts, pod, podName, labels, namespace, spec, set }: Position): Placed[] {
  if (podName === undefined) return [];
  const services = facts
    .list('Service', namespace)
    .filter((one) => one.spec.selector && one.metadata.name !== set?.spec.serviceName && pairsMatch(one.spec.selector, labels));
  if (!services.length || stageOf(pod) === 'ended') return [];
  for (const one of services) {
    const port = missingPort(one, spec);
    if (port !== undefined)
      return [
        placed(
          'service',
          look('broken', one.metadata.name, `${one.metadata.name} sends to a port called ${port}, which no container has`, {
            objects: [refOf(one)],
            evidence: [field(one, 'spec.ports[].targetPort', port)],
            ...remedyFor('service')
          })
        )
      ];
  }
  const label = services.map((one) => one.metadata.name).join(', ');
  const objects = services.map(refOf);
  if (!pod || !isReady(pod)) return [placed('service', look('waiting', label, 'waits until the member is ready', { objects }))];
  const slices = facts
    .list('EndpointSlice', namespace)
    .filter((one) => services.some((two) => one.metadata.labels?.[sliceLabel] === two.metadata.name));
  if (!slices.length) return [placed('service', look('unseen', label, 'selects it; its endpoints are not in the export', { objects }))];
  return [placed('service', look('holds', label, 'selects it', { objects }))];
}

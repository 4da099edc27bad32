import { isReady, pairsMatch, refOf, type Service, type StatefulSet } from '../../model';
import { asManifest } from '../../manifest';
import { resolve } from '../../standin';
import { compact, field, look, ref } from '../evidence';
import type { JointRule, Look, Position } from '../types';

/** A headless service that would give the set's members their names. */
function headless(set: StatefulSet, name: string): Service {
  const ports = set.spec.template.spec.containers
    .flatMap((one) => one.ports ?? [])
    .map(({ name: port, containerPort, protocol }) => ({
      name: port ?? `port-${containerPort}`,
      port: containerPort,
      ...(protocol ? { protocol: protocol as 'TCP' } : {})
    }));
  return {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { name, namespace: set.metadata.namespace },
    spec: { clusterIP: 'None', selector: set.spec.selector.matchLabels ?? {}, ...(ports.length ? { ports } : {}) }
  };
}

function serviceFault({ set, labels, namespace, spec }: Position, name: string, service: Service | undefined): Look | undefined {
  if (!service) {
    return look('broken', name, `the service ${namespace}/${name} doesn't exist`, {
      objects: [ref('Service', namespace, name)],
      evidence: compact([
        set && field(set, 'spec.serviceName', name),
        spec && !set ? field(ref('Pod', namespace, ''), 'spec.subdomain', name) : undefined
      ]),
      remedy: { text: `Send a headless service ${namespace}/${name}.`, ...(set ? { manifests: [headless(set, name)] } : {}) }
    });
  }
  if (service.spec.clusterIP !== 'None') {
    return look('broken', name, `the service ${name} is not headless, so its members have no names`, {
      objects: [refOf(service)],
      evidence: [field(service, 'spec.clusterIP', service.spec.clusterIP)],
      remedy: {
        text: "clusterIP can't be changed: take the service away and send it anew with clusterIP: None.",
        ...(set ? { manifests: [headless(set, name)] } : {})
      }
    });
  }
  if (!pairsMatch(service.spec.selector, labels)) {
    const mended = asManifest({ ...service, spec: { ...service.spec, selector: set?.spec.selector.matchLabels ?? {} } });
    return look('broken', name, `the selector of ${name} doesn't match the member's labels`, {
      objects: [refOf(service)],
      evidence: [
        field(service, 'spec.selector', service.spec.selector),
        field(set ?? ref('Pod', namespace, ''), 'spec.template.metadata.labels', labels)
      ],
      remedy: { text: "Give the service the set's own selector.", ...(set ? { manifests: [mended] } : {}) }
    });
  }
  return undefined;
}

/** Does the member's own DNS name lead to it, through the set's headless service? */
export const name = {
  id: 'name' as const,
  shared: false,
  title: 'Name',
  why: 'Peers find each other by member.service. That name exists only when the set names a headless service whose selector matches.',
  perClaim: false,
  look(at) {
    const { facts, pod, podName, set, namespace, spec } = at;
    if (podName === undefined) return undefined;
    const serviceName = set ? set.spec.serviceName : spec?.subdomain;
    // Whoever names no service asks for no name.
    if (!serviceName) return undefined;
    const service = facts.get('Service', namespace, serviceName);
    const fault = serviceFault(at, serviceName, service);
    if (fault) return fault;
    const full = `${podName}.${serviceName}`;
    const objects = [refOf(service!)];
    const found = pod && resolve(facts, namespace, full);
    if (found?.addresses.length) return look('holds', full, `resolves to ${found.addresses.join(', ')}`, { objects });
    return look(
      pod && isReady(pod) ? 'settling' : 'waiting',
      full,
      found?.reason && pod && isReady(pod) ? found.reason : 'waits on the member',
      { objects }
    );
  }
} satisfies JointRule;

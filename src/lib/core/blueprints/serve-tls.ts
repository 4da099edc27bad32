import { asManifest } from '../manifest';
import { selectsPodsOf, type ApiObject, type Facts, type Service, type StatefulSet } from '../model';
import { imageCard, outsideNameMark, servesTlsOnly, talksTls } from '../standin';
import { certificateFor, objectsIn } from './parts';

const isOutside = (one: Service): boolean => one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort';

/** The set with a certificate to show: the secret mounted, the port opened, TLS switched on. */
function showing(set: StatefulSet, secret: string, port: number): StatefulSet {
  const { template } = set.spec;
  const [first, ...others] = template.spec.containers;
  const container = {
    ...first!,
    ports: [...(first!.ports ?? []).filter((one) => one.containerPort !== port), { name: 'data-tls', containerPort: port }],
    env: [...(first!.env ?? []).filter((one) => one.name !== 'TLS'), { name: 'TLS', value: 'on' }],
    volumeMounts: [...(first!.volumeMounts ?? []).filter((one) => one.name !== 'tls'), { name: 'tls', mountPath: '/etc/tls' }]
  };
  const volumes = [...(template.spec.volumes ?? []).filter((one) => one.name !== 'tls'), { name: 'tls', secret: { secretName: secret } }];
  return {
    ...set,
    spec: { ...set.spec, template: { ...template, spec: { ...template.spec, containers: [container, ...others], volumes } } }
  } as StatefulSet;
}

/**
 * What has to be sent so that a workload serves its outside addresses with certificates instead of in plain: an issuer, a certificate with
 * every name, the set with that certificate, the services on the other port. Undefined where its program knows no TLS, shows a certificate
 * already, or nothing is open in plain. Members restart one after another.
 * @param domain under which it is called from outside
 */
export function servedWithTls(facts: Facts, set: StatefulSet, domain: string): ApiObject[] | undefined {
  const { name, namespace = '' } = set.metadata;
  const pod = { spec: set.spec.template.spec };
  const port = pod.spec.containers.map((one) => imageCard(one.image).tlsPort).find((one) => one !== undefined);
  const on = Object.fromEntries((pod.spec.containers[0]?.env ?? []).map((one) => [one.name, one.value ?? '']));
  if (port === undefined || talksTls(on)) return undefined;
  const open = facts
    .list('Service', namespace)
    .filter((one) => isOutside(one) && selectsPodsOf(one.spec.selector, set) && !servesTlsOnly(one, pod));
  if (!open.length) return undefined;
  const called = new Map(open.map((one) => [one.metadata.name, `${one.metadata.name}.${domain}`]));
  const services = open.map((one) =>
    asManifest({
      ...one,
      metadata: { ...one.metadata, annotations: { ...one.metadata.annotations, [outsideNameMark]: called.get(one.metadata.name)! } },
      spec: { ...one.spec, ports: [{ name: 'data-tls', port, protocol: 'TCP' }] }
    } as Service)
  );
  const certificate = objectsIn(certificateFor({ name, namespace }, name, set.spec.replicas ?? 1, [...called.values()]));
  return [...certificate, asManifest(showing(set, `${name}-tls`, port)), ...services];
}

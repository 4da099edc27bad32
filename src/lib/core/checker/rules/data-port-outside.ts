import { selectsPodsOf, type Service } from '../../model';
import { join, service, set } from '../examples';
import { rule, hit, keepInside } from '../rule';

const plainPorts = (one: Service): NonNullable<Service['spec']['ports']> =>
  (one.spec.ports ?? []).filter((port) => !(port.port === 443 || /tls|https|secure/i.test(port.name ?? '')));

export default rule({
  id: 'data-port-outside',
  level: 'warning',
  title: 'A data port open to the outside, without TLS',
  why: 'A load balancer or a node port lets anybody who reaches the address talk to the store, in plain text. Keep it inside and use a tunnel, or serve TLS.',
  bad: join(
    service(),
    service(
      'type: LoadBalancer, loadBalancerSourceRanges: [10.8.0.0/16], selector: {app: store}, ports: [{name: sql, port: 7110}]',
      'name: store-outside'
    ),
    set()
  ),
  good: join(service(), service('selector: {app: store}, ports: [{name: sql, port: 7110}]', 'name: store-inside'), set()),
  check: ({ written, all }) =>
    written('Service').flatMap((on) => {
      const { type, selector } = on.object.spec;
      if (type !== 'LoadBalancer' && type !== 'NodePort') return [];
      const space = on.object.metadata.namespace ?? 'default';
      const sets = all('StatefulSet', space).filter((one) => selectsPodsOf(selector, one));
      const ports = plainPorts(on.object);
      if (!sets[0] || !ports.length) return [];
      return [
        hit(
          on,
          ['spec', 'type'],
          `${ports.map((one) => one.name ?? one.port).join(', ')} of ${sets[0].metadata.name} is open to the outside, without TLS.`,
          'Write type: ClusterIP and use a tunnel, or serve TLS on it.',
          keepInside(on)
        )
      ];
    })
});

import { service } from '../examples';
import { rule, hit, keepInside } from '../rule';

export default rule({
  id: 'tunnel-would-do',
  level: 'note',
  title: 'A public address where a tunnel would do',
  why: "For looking in now and then (a console, an administrator's session) a temporary tunnel to a member needs no address that stands open all the time.",
  bad: service(
    'type: LoadBalancer, loadBalancerSourceRanges: [10.8.0.0/16], selector: {app: store}, ports: [{name: console, port: 443}]',
    'name: console'
  ),
  good: service('selector: {app: store}, ports: [{name: console, port: 443}]', 'name: console'),
  check: ({ written }) =>
    written('Service').flatMap((on) =>
      on.object.spec.type === 'LoadBalancer' &&
      [on.object.metadata.name, ...(on.object.spec.ports ?? []).map((one) => one.name ?? '')].some((one) =>
        /(^|-)(console|admin|debug|metrics)($|-)/.test(one)
      )
        ? [
            hit(
              on,
              ['spec', 'type'],
              `${on.object.metadata.name} gives an administrator's port a public address.`,
              'Write type: ClusterIP and open a tunnel when it is needed.',
              keepInside(on)
            )
          ]
        : []
    )
});

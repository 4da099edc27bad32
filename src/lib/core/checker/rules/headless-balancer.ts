import { service } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'headless-balancer',
  level: 'error',
  title: 'A balancer cannot be headless',
  why: 'clusterIP: None means no address of its own; a load balancer or a node port needs one. The cluster refuses both together.',
  bad: service(
    'type: LoadBalancer, clusterIP: None, loadBalancerSourceRanges: [10.8.0.0/16], selector: {app: store}, ports: [{name: https, port: 443}]',
    'name: front'
  ),
  good: service(
    'type: LoadBalancer, loadBalancerSourceRanges: [10.8.0.0/16], selector: {app: store}, ports: [{name: https, port: 443}]',
    'name: front'
  ),
  check: ({ written }) =>
    written('Service').flatMap((on) =>
      on.object.spec.clusterIP === 'None' && (on.object.spec.type === 'LoadBalancer' || on.object.spec.type === 'NodePort')
        ? [
            hit(
              on,
              ['spec', 'clusterIP'],
              `${on.object.metadata.name} is headless and of type ${on.object.spec.type}.`,
              'Make two services of it: a headless one for the names, another for the outside.',
              change('Leave clusterIP out', on, { drop: ['spec', 'clusterIP'] })
            )
          ]
        : []
    )
});

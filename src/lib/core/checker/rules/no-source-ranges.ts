import { service } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'no-source-ranges',
  level: 'warning',
  title: 'A balancer that lets everybody in',
  why: 'Without loadBalancerSourceRanges the address answers to the whole network it stands in, often the internet.',
  bad: service('type: LoadBalancer, selector: {app: store}, ports: [{name: https, port: 443}]', 'name: front'),
  good: service(
    'type: LoadBalancer, loadBalancerSourceRanges: [10.8.0.0/16], selector: {app: store}, ports: [{name: https, port: 443}]',
    'name: front'
  ),
  check: ({ written, target }) =>
    written('Service').flatMap((on) => {
      const ranges = on.object.spec.loadBalancerSourceRanges as string[] | undefined;
      if (on.object.spec.type !== 'LoadBalancer' || (ranges?.length && !ranges.includes('0.0.0.0/0'))) return [];
      const own = target?.list('Ground')[0]?.spec.nodeRange;
      return [
        hit(
          on,
          ['spec', 'type'],
          `${on.object.metadata.name} lets in from everywhere.`,
          'Name the ranges that may come in under loadBalancerSourceRanges.',
          own ? change(`Let in ${own} only`, on, { set: ['spec', 'loadBalancerSourceRanges'], value: [own] }) : undefined
        )
      ];
    })
});

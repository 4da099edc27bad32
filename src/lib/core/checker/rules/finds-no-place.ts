import { plural } from '../../shared';
import { faultRemedies, faultSentence, type PlaceFault } from '../../standin';
import { join, service, set } from '../examples';
import { hit, rule } from '../rule';
import { toBe, writtenAs } from '../to-be';

const asks = (cpu: string): string =>
  join(
    service(),
    set({
      spec: 'replicas: 5',
      image: 'shelf.standin.example/engines/image-shelf:r4',
      claim: null,
      container: `resources: {requests: {cpu: ${cpu}, memory: 64Mi}}`
    })
  );

export default rule({
  id: 'finds-no-place',
  level: 'error',
  title: 'Members that no node would take',
  why: 'Each member has to find a node beside those that stand there and those before it: room, taints, labels, ports, company, spread, and the reach of its volume. One that finds none stays Pending, and in a set all after it wait, too.',
  unless: [
    'claims-over-slots',
    'company-of-nobody',
    'cpu-over-node',
    'fixed-node-waits',
    'host-port-crowded',
    'members-kept-apart',
    'memory-over-node',
    'more-members-than-nodes',
    'node-label-missing',
    'over-limit-range',
    'pinned-pair-apart',
    'topologies-elsewhere',
    'topology-key-unknown'
  ],
  against: 'south-quay',
  bad: asks('2'),
  good: asks('1'),
  check: (context) =>
    toBe(context).parts.flatMap((part) => {
      const on = writtenAs(context, part.of);
      if (!on || !part.faults.size || part.untold || !context.target) return [];
      const [worst] = [...part.faults].sort((a, b) => b[1] - a[1])[0]! as [PlaceFault, number];
      return [
        hit(
          on,
          ['spec'],
          `${part.stay + part.placed} of ${plural(part.wanted, 'member')} would find a place; of ${plural(context.target.nodes().length, 'node')} ${faultSentence(part.faults)}.`,
          faultRemedies[worst]
        )
      ];
    })
});

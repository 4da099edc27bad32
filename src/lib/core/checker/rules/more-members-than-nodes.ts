import { nodeWanted, repellingTaint, nodeReady } from '../../model';
import { join, service, set } from '../examples';
import { onePerNode } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'more-members-than-nodes',
  level: 'error',
  title: 'More members than nodes, one to a node',
  why: 'Where a required rule allows one member on a node, member n+1 has nowhere to stand on n nodes, and waits for ever.',
  against: 'south-quay',
  absent: ['Node'],
  bad: join(
    service(),
    set({
      spec: 'replicas: 5',
      pod: 'affinity:\n  podAntiAffinity:\n    requiredDuringSchedulingIgnoredDuringExecution:\n    - {topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: store}}}',
      image: 'shelf.standin.example/engines/image-shelf:r4',
      claim: null
    })
  ),
  good: join(
    service(),
    set({
      spec: 'replicas: 3',
      pod: 'affinity:\n  podAntiAffinity:\n    requiredDuringSchedulingIgnoredDuringExecution:\n    - {topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: store}}}',
      image: 'shelf.standin.example/engines/image-shelf:r4',
      claim: null
    })
  ),
  check: ({ written, target }) =>
    written('StatefulSet', 'Deployment').flatMap((on) => {
      if (!target) return [];
      const { spec, metadata } = on.object.spec.template;
      if (!onePerNode(spec, metadata?.labels)) return [];
      const fit = target
        .list('Node')
        .filter((node) => nodeReady(node) && nodeWanted(spec, node) && !repellingTaint(node, spec.tolerations));
      const size = on.object.spec.replicas ?? 1;
      if (size <= fit.length) return [];
      return [
        hit(
          on,
          ['spec', 'replicas'],
          `${size} members, one to a node, and ${fit.length} nodes that would take one.`,
          `Ask for ${fit.length}, add nodes, or let two stand together.`,
          change(`Write ${fit.length}`, on, { set: ['spec', 'replicas'], value: fit.length })
        )
      ];
    })
});

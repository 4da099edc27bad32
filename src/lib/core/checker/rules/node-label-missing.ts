import { nodeWanted } from '../../model';
import { pod } from '../examples';
import { podPlaces } from '../pods';
import { nearest, rule, hit } from '../rule';

const image = 'shelf.standin.example/engines/image-shelf:r4';

export default rule({
  id: 'node-label-missing',
  level: 'error',
  title: 'No node carries the labels asked for',
  why: 'A pod whose nodeSelector or required node affinity fits no node is never placed; it waits until somebody labels a node, and nothing says so but an event.',
  against: 'north-quay',
  absent: ['Node'],
  bad: pod({ image, spec: 'nodeSelector: {pier: outer}' }),
  good: pod({ image, spec: 'nodeSelector: {topology.kubernetes.io/zone: a}' }),
  check: (context) => {
    const nodes = context.target ? context.all('Node') : [];
    if (!nodes.length) return [];
    return podPlaces(context).flatMap(({ on, spec, path }) => {
      // A daemon set with no node to run on has nothing to wait for.
      if (on.object.kind === 'DaemonSet' || nodes.some((one) => nodeWanted(spec, one))) return [];
      const odd = Object.entries(spec.nodeSelector ?? {}).find(([key, value]) =>
        nodes.every((one) => one.metadata.labels?.[key] !== value)
      );
      if (!odd)
        return [
          hit(on, path, `None of the ${nodes.length} nodes carries all the labels that it asks for.`, 'Ask for less, or label a node.')
        ];
      const [key, value] = odd;
      const known = [...new Set(nodes.flatMap((one) => one.metadata.labels?.[key] ?? []))];
      const near = nearest(value, known);
      return [
        hit(
          on,
          [...path, 'nodeSelector', key],
          `None of the ${nodes.length} nodes carries the label ${key}: ${value}.`,
          near
            ? `Write ${near}, or label a node.`
            : known.length
              ? `There is ${known.join(', ')}; or label a node.`
              : 'Label a node, or leave it out.'
        )
      ];
    });
  }
});

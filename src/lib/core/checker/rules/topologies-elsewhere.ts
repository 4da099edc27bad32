import { storageClass } from '../examples';
import { rule, hit, listed } from '../rule';

const topologies = (zone: string): string =>
  storageClass(
    'volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain, allowVolumeExpansion: true',
    'name: even',
    'block.standin.example'
  ) + `allowedTopologies: [{matchLabelExpressions: [{key: topology.kubernetes.io/zone, values: [${zone}]}]}]\n`;

export default rule({
  id: 'topologies-elsewhere',
  level: 'error',
  title: 'Topologies in which no node stands',
  why: 'A class with allowed topologies makes volumes there and nowhere else. Where no node carries one of the values, a claim of the class is never made, and its pod never placed.',
  against: 'north-quay',
  absent: ['Node'],
  bad: topologies('z'),
  good: topologies('a'),
  check: (context) => {
    const nodes = context.target?.list('Node') ?? [];
    if (!nodes.length) return [];
    return context.written('StorageClass').flatMap((on) => {
      const terms = on.object.allowedTopologies ?? [];
      const reached = terms.some((term) =>
        nodes.some((node) =>
          (term.matchLabelExpressions ?? []).every(({ key, values }) => values.includes(node.metadata.labels?.[key] ?? ''))
        )
      );
      if (!terms.length || reached) return [];
      const [first] = terms[0]!.matchLabelExpressions ?? [];
      const there = [...new Set(nodes.flatMap((node) => (first ? (node.metadata.labels?.[first.key] ?? []) : [])))].sort();
      return [
        hit(
          on,
          ['allowedTopologies'],
          `No node stands where ${on.object.metadata.name} allows volumes.`,
          there.length ? `Of ${first!.key} there are ${listed(there.slice(0, 8))}.` : 'Name labels that nodes carry.'
        )
      ];
    });
  }
});

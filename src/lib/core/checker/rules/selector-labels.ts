import { join, service, set } from '../examples';
import { rule } from '../rule';

export default rule({
  id: 'selector-labels',
  level: 'error',
  title: 'The selector misses its own template',
  why: 'A workload finds its pods by their labels. When the template does not carry every pair of the selector, the cluster refuses it.',
  bad: join(service('clusterIP: None, selector: {app: shop}, ports: [{port: 7110}]'), set({ labels: 'app: shop' })),
  good: join(service(), set()),
  repair({ written }) {
    const spec = written.value.spec as { selector?: { matchLabels?: Record<string, string> } } | undefined;
    const pairs = Object.entries(spec?.selector?.matchLabels ?? {});
    if (!pairs.length) return undefined;
    return {
      says: "Give the template the selector's labels",
      own: pairs.map(([key, value]) => ({ set: ['spec', 'template', 'metadata', 'labels', key], value }))
    };
  }
});

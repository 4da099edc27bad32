import { claimsOf, waitsForConsumer } from '../../model';
import { claim, join, pod, storageClass } from '../examples';
import { classFor, podPlaces } from '../pods';
import { rule, change, hit } from '../rule';

const mounted = 'volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]';
const waiting = 'accessModes: [ReadWriteOnce], storageClassName: even, resources: {requests: {storage: 40Gi}}';

export default rule({
  id: 'fixed-node-waits',
  level: 'error',
  title: 'A node by name, and a claim that waits for one to be chosen',
  why: 'With nodeName nobody looks for a place. A claim of a class that waits for the first consumer is made once a place was chosen for its pod: here that never happens, and both wait for ever.',
  bad: join(storageClass(), claim(waiting), pod({ spec: `nodeName: node-1\n${mounted}` })),
  good: join(storageClass(), claim(waiting), pod({ spec: `nodeSelector: {kubernetes.io/hostname: node-1}\n${mounted}` })),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path, namespace }) => {
      if (!spec.nodeName) return [];
      const name = claimsOf(spec).find((one) => {
        const found = context.find('PersistentVolumeClaim', namespace, one);
        return found !== undefined && !found.spec.volumeName && waitsForConsumer(classFor(context, found.spec));
      });
      if (name === undefined) return [];
      return [
        hit(
          on,
          [...path, 'nodeName'],
          `${on.object.metadata.name} names its node, so nobody chooses one for the claim ${name}, which waits for that.`,
          'Select the node by its label instead.',
          change(
            'Select the node by its label',
            on,
            { set: [...path, 'nodeSelector'], value: { ...spec.nodeSelector, 'kubernetes.io/hostname': spec.nodeName } },
            { drop: [...path, 'nodeName'] }
          )
        )
      ];
    })
});

import type { ApiObject } from '../../model';
import { join, pod, claim } from '../examples';
import { podPlaces } from '../pods';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'claim-missing',
  level: 'error',
  title: 'The pod names a claim that is not there',
  why: 'A pod waits for its claims. They must stand in its own namespace, under exactly that name.',
  absent: ['PersistentVolumeClaim'],
  bad: join(
    claim(),
    pod({
      spec: 'volumes: [{name: data, persistentVolumeClaim: {claimName: leger}}]',
      container: 'volumeMounts: [{name: data, mountPath: /data}]'
    })
  ),
  good: join(
    claim(),
    pod({
      spec: 'volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]',
      container: 'volumeMounts: [{name: data, mountPath: /data}]'
    })
  ),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path, namespace }) =>
      (spec.volumes ?? []).flatMap((one, i) => {
        const name = one.persistentVolumeClaim?.claimName;
        if (name === undefined || context.find('PersistentVolumeClaim', namespace, name)) return [];
        const there = context.all('PersistentVolumeClaim', namespace).map((two) => two.metadata.name);
        if (!context.target && !there.length) return [];
        const near = nearest(name, there);
        const made: ApiObject = {
          apiVersion: 'v1',
          kind: 'PersistentVolumeClaim',
          metadata: { name, namespace },
          spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '10Gi' } } }
        };
        return [
          hit(
            on,
            [...path, 'volumes', i, 'persistentVolumeClaim', 'claimName'],
            `There is no claim "${name}" in ${namespace}.`,
            near ? `Write ${near}.` : 'Send the claim too.',
            near
              ? change(`Write ${near}`, on, { set: [...path, 'volumes', i, 'persistentVolumeClaim', 'claimName'], value: near })
              : { says: 'Add a claim of 10Gi', add: [made] }
          )
        ];
      })
    )
});

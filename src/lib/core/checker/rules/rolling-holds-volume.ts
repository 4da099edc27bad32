import { claimsOf } from '../../model';
import { join, deployment, claim } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'rolling-holds-volume',
  level: 'warning',
  title: 'A rolling update that waits for itself',
  why: 'A rolling update starts the new pod before the old one ends. With a one-node claim the new pod, on another node, waits for the volume that the old one holds, and the old one waits to be replaced. Recreate ends the old one first.',
  bad: join(
    claim(),
    deployment({
      spec: 'volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]',
      container: 'volumeMounts: [{name: data, mountPath: /data}]'
    })
  ),
  good: join(
    claim(),
    deployment({
      top: 'strategy: {type: Recreate}',
      spec: 'volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]',
      container: 'volumeMounts: [{name: data, mountPath: /data}]'
    })
  ),
  check: ({ written, find }) =>
    written('Deployment').flatMap((on) => {
      const name = claimsOf(on.object.spec.template.spec).find((one) =>
        find('PersistentVolumeClaim', on.object.metadata.namespace ?? 'default', one)?.spec.accessModes.every((mode) =>
          mode.startsWith('ReadWriteOnce')
        )
      );
      const { type, rollingUpdate } = on.object.spec.strategy ?? {};
      // Without any more pods than are asked for the old one ends first.
      const goesFirst = /^0%?$/.test(String(rollingUpdate?.maxSurge ?? '25%'));
      if (name === undefined || type === 'Recreate' || goesFirst) return [];
      return [
        hit(
          on,
          ['spec'],
          `The next rollout of ${on.object.metadata.name} waits for ${name}, which the old pod holds.`,
          'Write strategy: {type: Recreate}.',
          change('Write Recreate', on, { set: ['spec', 'strategy'], value: { type: 'Recreate' } })
        )
      ];
    })
});

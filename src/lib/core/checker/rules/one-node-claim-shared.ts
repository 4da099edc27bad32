import { join, deployment, claim } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'one-node-claim-shared',
  level: 'error',
  title: 'A one-node claim for pods on several nodes',
  why: 'ReadWriteOnce means one node: several pods on it may share the volume, a pod on another node waits for ever. Give each member a claim of its own (a set), or share files.',
  bad: join(
    claim(),
    deployment({
      top: 'replicas: 3\nstrategy: {type: Recreate}',
      spec: 'volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]',
      container: 'volumeMounts: [{name: data, mountPath: /data}]'
    })
  ),
  good: join(
    claim(),
    deployment({
      top: 'replicas: 1\nstrategy: {type: Recreate}',
      spec: 'volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]',
      container: 'volumeMounts: [{name: data, mountPath: /data}]'
    })
  ),
  check: ({ written, find }) =>
    written('Deployment', 'DaemonSet', 'StatefulSet').flatMap((on) => {
      const size = on.object.kind === 'DaemonSet' ? Infinity : (on.object.spec.replicas ?? 1);
      if (size < 2) return [];
      return (on.object.spec.template.spec.volumes ?? []).flatMap((one, i) => {
        const name = one.persistentVolumeClaim?.claimName;
        const found = name === undefined ? undefined : find('PersistentVolumeClaim', on.object.metadata.namespace ?? 'default', name);
        if (!found || !found.spec.accessModes.every((mode) => mode.startsWith('ReadWriteOnce'))) return [];
        const says = `${size === Infinity ? 'A pod on each node' : `${size} pods`} of ${on.object.metadata.name} would share ${name}, which one node can have at a time.`;
        return [
          hit(
            on,
            ['spec', 'template', 'spec', 'volumes', i],
            says,
            'Ask for one pod, make it a set with a claim template, or use shared files.',
            on.object.kind === 'DaemonSet' ? undefined : change('Write replicas: 1', on, { set: ['spec', 'replicas'], value: 1 })
          )
        ];
      });
    })
});

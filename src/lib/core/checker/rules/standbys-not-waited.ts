import { enginePartOf } from '../../standin';
import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

const waits = /^(\s*synchronous\s*=\s*)0\s*$/m;
const config = (synchronous: number) =>
  `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: store-config}\ndata:\n  engine.conf: |\n    synchronous = ${synchronous}\n`;
const example = (synchronous: number) =>
  join(
    config(synchronous),
    service('clusterIP: None, selector: {app: store}, ports: [{name: sql, port: 5600}]'),
    set({
      image: 'shelf.standin.example/engines/primary-standby-sql:16.2',
      spec: 'replicas: 3',
      pod: 'volumes: [{name: config, configMap: {name: store-config}}]',
      mounts: '[{name: data, mountPath: /data}, {name: config, mountPath: /etc/engine}]'
    })
  );

export default rule({
  id: 'standbys-not-waited',
  level: 'warning',
  title: 'Commits wait for no standby',
  why: 'A commit that no standby has yet is lost with the primary, though the client was told that it counts. Waiting for one standby costs a message to and fro, and what was acknowledged survives the primary.',
  bad: example(0),
  good: example(1),
  check: (bench) =>
    bench.written('ConfigMap').flatMap((on) => {
      const { name, namespace = 'default' } = on.object.metadata;
      const user = bench
        .all('StatefulSet', namespace)
        .find(
          (one) =>
            (one.spec.replicas ?? 1) > 1 &&
            enginePartOf(one.spec.template.spec)?.engine === 'primary-standby-sql' &&
            one.spec.template.spec.volumes?.some((volume) => volume.configMap?.name === name)
        );
      return user
        ? Object.entries(on.object.data ?? {}).flatMap(([key, text]) =>
            waits.test(text)
              ? [
                  hit(
                    on,
                    ['data', key],
                    `Commits of ${user.metadata.name} wait for none of its ${(user.spec.replicas ?? 1) - 1} standbys: losing the primary loses them.`,
                    'Write synchronous = 1.',
                    change('Wait for one standby', on, { set: ['data', key], value: text.replace(waits, (_, head: string) => `${head}1`) })
                  )
                ]
              : []
          )
        : [];
    })
});

import { enginePartOf } from '../../standin';
import { join, service, set } from '../examples';
import { rule, hit } from '../rule';
import type { StatefulSet } from '../../model';
import { hash32 } from '../../shared';

const waits = /^([ \t]*synchronous[ \t]*=[ \t]*)0[ \t]*$/m;
const waited = (text: string): string => text.replace(waits, (_, head: string) => `${head}1`);
const markPath = ['spec', 'template', 'metadata', 'annotations', 'standin.example/config'];
const config = (synchronous: number) =>
  `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: store-config}\ndata:\n  engine.conf: |\n    synchronous = ${synchronous}\n`;
const example = (synchronous: number) =>
  join(
    config(synchronous),
    service('clusterIP: None, selector: {app: store}, ports: [{name: sql, port: 7120}]'),
    set({
      image: 'shelf.standin.example/engines/primary-standby-sql:r6',
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
  check: (context) =>
    context.written('ConfigMap').flatMap((on) => {
      const { name, namespace = 'default' } = on.object.metadata;
      const using = ({ spec }: StatefulSet) =>
        (spec.replicas ?? 1) > 1 &&
        enginePartOf(spec.template)?.engine === 'primary-standby-sql' &&
        spec.template.spec.volumes?.some((volume) => volume.configMap?.name === name) === true;
      const user = context.all('StatefulSet', namespace).find(using);
      // Members read their configuration when they start: the mark of it in the template restarts them.
      const sets = context
        .written('StatefulSet')
        .filter((one) => (one.object.metadata.namespace ?? 'default') === namespace && using(one.object));
      return user
        ? Object.entries(on.object.data ?? {}).flatMap(([key, text]) =>
            waits.test(text)
              ? [
                  hit(
                    on,
                    ['data', key],
                    `Commits of ${user.metadata.name} wait for none of its ${(user.spec.replicas ?? 1) - 1} standbys: losing the primary loses them.`,
                    'Write synchronous = 1.',
                    {
                      says: 'Wait for one standby',
                      wishes: [
                        { on, wish: { set: ['data', key], value: waited(text) } },
                        ...sets.map((set) => ({
                          on: set,
                          wish: { set: markPath, value: hash32(waited(text)).toString(16).padStart(8, '0') }
                        }))
                      ]
                    }
                  )
                ]
              : []
          )
        : [];
    })
});
